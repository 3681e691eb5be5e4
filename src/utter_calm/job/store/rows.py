"""Takes, readings, traces, surfaces and captures as rows, and back; every value is checked when it is read."""

from __future__ import annotations

import sqlite3
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from utter_calm.errors import FileError, InputError, JobFileError
from utter_calm.formats.lossless import Encoded, decode, encode
from utter_calm.job.store.connection import damaged, from_json, to_json
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.result import Reading, Result, Surface, Trace, Trust
from utter_calm.quantities import Conditions, Measured
from utter_calm.rig import Channel, Rig

FloatArray = npt.NDArray[np.float64]
_MOST_POINTS = 5_000_000


class TraceHead(msgspec.Struct):
    """What a trace is, apart from its values."""

    name: str
    channel: int
    x_unit: str
    y_unit: str
    valid: tuple[float, float] | None = None
    invalid_reason: str = ""
    at: Conditions = ()


class SurfaceHead(msgspec.Struct):
    """What a surface is, apart from its values."""

    name: str
    channel: int
    x_unit: str
    y_unit: str
    unit: str
    at: Conditions = ()


class Circumstances(msgspec.Struct):
    """What is known of a capture, apart from its samples."""

    channels: tuple[Channel, ...]
    rig: Rig | None
    drive_known: bool
    load_ohm: float | None
    overload: tuple[bool, ...]
    lost_frames: int
    parts: tuple[Part, ...] = ()
    latency_frames: int = 0
    interruptions: int = 0
    bench: tuple[tuple[str, Measured], ...] = ()
    answered_s: float | None = None
    skew: float = 0.0
    said: tuple[Trust, ...] = ()


def blob(array: FloatArray | None) -> bytes | None:
    """Write numbers as bytes."""
    return None if array is None else np.ascontiguousarray(array, dtype="<f8").tobytes()


def checksum(*blobs: bytes | None) -> int:
    """CRC-32 of some bytes in a row: a flipped bit is told, never read as another number."""
    total = 0
    for one in blobs:
        total = zlib.crc32(one or b"", total)
    return total


def text_checksum(value: Any) -> int:  # noqa: ANN401
    """CRC-32 of a text, or of the values of a row."""
    return zlib.crc32(msgspec.json.encode(value))


def reading_checksum(row: tuple[Any, ...]) -> int:
    """CRC-32 of a reading's row: take, position and its values."""
    return text_checksum(row)


def capture_checksum(head: tuple[Any, ...], data: bytes) -> int:
    """CRC-32 of rate, frames, channels, encoding and circumstances of a capture, and of its samples."""
    return zlib.crc32(data, text_checksum(head))


def array_of(data: Any, path: Path) -> FloatArray | None:  # noqa: ANN401
    """Read bytes as numbers."""
    if data is None:
        return None
    if not isinstance(data, bytes) or len(data) % 8 or len(data) > 8 * _MOST_POINTS:
        raise damaged(path)
    return np.frombuffer(data, dtype="<f8").astype(np.float64)


def insert_capture(connection: sqlite3.Connection, capture: Capture, encoded: Callable[[], Encoded] | None = None) -> int:
    """Store samples; give their id. ``encoded`` gives their bytes where these are made already."""
    encoding, data = encode(capture.samples, capture.rate_hz) if encoded is None else encoded()
    around = Circumstances(
        capture.channels, capture.rig, capture.drive_known, capture.load_ohm, capture.overload, capture.lost_frames,
        capture.parts, capture.latency_frames, capture.interruptions, capture.bench, capture.answered_s, capture.skew,
        capture.said,
    )  # fmt: skip
    head = (capture.rate_hz, len(capture.samples), capture.count, encoding, to_json(around))
    row = (*head, capture_checksum(head, data), data)
    cursor = connection.execute(
        "INSERT INTO capture (rate_hz, frames, channels, encoding, circumstances, checksum, data) VALUES (?, ?, ?, ?, ?, ?, ?)",
        row,
    )
    return int(cursor.lastrowid or 0)


def read_capture(row: tuple[Any, ...] | None, path: Path) -> Capture:
    """Give samples with their circumstances; errors are :class:`JobFileError`."""
    if row is None or not all(isinstance(v, int) for v in row[:3]) or not isinstance(row[6], bytes):
        raise damaged(path)
    rate, frames, channels, encoding, around_json, expected, data = row
    if capture_checksum(row[:5], data) != expected:
        raise JobFileError(
            f"The samples of a take in {path} are damaged: their checksum does not fit.",
            hint="Restore the file from a copy.",
        )
    around = from_json(around_json, Circumstances, path)
    try:
        return Capture(
            decode(encoding, data, frames, channels), rate, around.channels, around.rig, around.drive_known, around.load_ohm,
            around.overload, around.lost_frames, around.parts, around.latency_frames, around.interruptions, around.bench,
            around.answered_s, around.skew, around.said,
        )  # fmt: skip
    except (FileError, InputError) as problem:
        raise damaged(path) from problem


def insert_result(connection: sqlite3.Connection, take_id: int, result: Result) -> None:
    """Store readings, traces and surfaces of a take."""
    values = [
        (take_id, n, r.name, r.channel, _real(r.value), r.unit, _real(r.uncertainty), _real(r.phase_rad),
         to_json(r.at) if r.at else "", r.note)
        for n, r in enumerate(result.readings)
    ]  # fmt: skip
    connection.executemany(
        "INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", [(*row, reading_checksum(row)) for row in values]
    )
    for position, trace in enumerate(result.traces):
        head = TraceHead(trace.name, trace.channel, trace.x_unit, trace.y_unit, trace.valid, trace.invalid_reason, trace.at)
        blobs = tuple(blob(a) for a in (trace.x, trace.magnitude, trace.phase_rad, trace.uncertainty))
        text = to_json(head)
        connection.execute(
            "INSERT INTO trace VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (take_id, position, text, *blobs, checksum(text.encode(), *blobs)),
        )
    for position, one in enumerate(result.surfaces):
        text = to_json(SurfaceHead(one.name, one.channel, one.x_unit, one.y_unit, one.unit, one.at))
        blobs = tuple(blob(a) for a in (one.x, one.y, one.values.reshape(-1)))
        connection.execute(
            "INSERT INTO surface VALUES (?, ?, ?, ?, ?, ?, ?)",
            (take_id, position, text, *blobs, checksum(text.encode(), *blobs)),
        )


def _real(value: float | None) -> float | None:
    return None if value is None else float(value)


def read_reading(row: tuple[Any, ...], path: Path) -> Reading:
    """Give one reading from its row: take, position, what it says, and the checksum of these."""
    *kept, expected = row
    if reading_checksum(tuple(kept)) != expected:
        raise damaged(path)
    _take, _position, name, channel, value, unit, uncertainty, phase, coordinates, note = kept
    numbers = (value, 0.0 if uncertainty is None else uncertainty, 0.0 if phase is None else phase)
    if not (isinstance(name, str) and isinstance(channel, int) and isinstance(unit, str) and isinstance(note, str)
            and all(isinstance(v, float) for v in numbers)):  # fmt: skip
        raise damaged(path)
    at: Conditions = from_json(coordinates, Conditions, path) if coordinates else ()
    return Reading(name, channel, value, unit, uncertainty, None, phase, at, note)


def read_trace(row: tuple[Any, ...], path: Path) -> Trace:
    """Give one trace from its row (head, x, magnitude, phase, uncertainty, checksum)."""
    head_json, *blobs, expected = row
    _check(head_json, blobs, expected, path)
    head = from_json(head_json, TraceHead, path)
    x, magnitude, phase, spread = (array_of(b, path) for b in blobs)
    if x is None or magnitude is None:
        raise damaged(path)
    try:
        return Trace(
            head.name,
            head.channel,
            x,
            head.x_unit,
            magnitude,
            head.y_unit,
            phase,
            spread,
            head.valid,
            head.invalid_reason,
            head.at,
        )
    except ValueError as problem:
        raise damaged(path) from problem


def read_surface(row: tuple[Any, ...], path: Path) -> Surface:
    """Give one surface from its row (head, x, y, vals, checksum)."""
    head_json, *blobs, expected = row
    _check(head_json, blobs, expected, path)
    head = from_json(head_json, SurfaceHead, path)
    x, y, values = (array_of(b, path) for b in blobs)
    if x is None or y is None or values is None or len(values) != len(x) * len(y):
        raise damaged(path)
    try:
        return Surface(head.name, head.channel, x, head.x_unit, y, head.y_unit, values.reshape(len(y), len(x)), head.unit, head.at)
    except ValueError as problem:
        raise damaged(path) from problem


def _check(head: Any, blobs: list[Any], expected: Any, path: Path) -> None:  # noqa: ANN401
    whole = isinstance(head, str) and all(b is None or isinstance(b, bytes) for b in blobs)
    if not whole or checksum(head.encode(), *blobs) != expected:
        raise JobFileError(f"A curve in {path} is damaged: its checksum does not fit.", hint="Analyse the take again.")

"""Samples as bytes and back, without loss: FLAC where the samples are 24-bit integers, else zipped float64."""

from __future__ import annotations

import contextlib
import os
import threading
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import numpy.typing as npt
import soundfile

from utter_calm.errors import FileError

FloatArray = npt.NDArray[np.float64]

FLAC = "flac"
FLOAT64 = "float64-zlib"
_STEPS = 2.0**23
_EFFORT = 0.5  # of the coder; more takes longer and saves nothing on noise
_MOST_BYTES = 4_000_000_000
_PIECE = 1 << 22
Encoded = tuple[str, bytes]
"""An encoding's name, and the bytes."""
_PATIENT = 10


def _give_way() -> None:
    """Wait for the analysis of the same take, which somebody looks forward to, where processors are few."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _PATIENT)  # of this thread alone


_BESIDE = ThreadPoolExecutor(max_workers=1, thread_name_prefix="coder", initializer=_give_way)


def encode_beside(samples: FloatArray, rate_hz: int) -> Callable[[], Encoded]:
    """Begin to encode on a thread, for the coder lets go of the interpreter; what is given waits for it. As :func:`encode`."""
    return _BESIDE.submit(encode, samples, rate_hz).result


def encode(samples: FloatArray, rate_hz: int) -> Encoded:
    """Give the encoding's name and the bytes of samples (n, channels), 1 is full scale."""
    scaled = samples * _STEPS
    whole = np.rint(scaled)
    if (
        np.array_equal(scaled, whole)
        and whole.max(initial=0) < _STEPS
        and whole.min(initial=0) >= -_STEPS
        and samples.shape[1] <= 8
        and 1 <= rate_hz <= 655_350
        and len(samples) >= 1
    ):
        # libsndfile takes 24 bits from the upper end of 32
        values = (whole * 256).astype(np.int32)
        data = _flac(values, rate_hz)
        with contextlib.suppress(soundfile.LibsndfileError, ValueError):
            if np.array_equal(_unflac(data, *values.shape), values):  # read back before it counts
                return FLAC, data
    return FLOAT64, zlib.compress(np.ascontiguousarray(samples, dtype="<f8").tobytes(), 3)


@contextlib.contextmanager
def _in_memory(data: bytes = b"") -> Iterator[int]:
    """A file without a name. The coder gets it and not Python's own: what is raised inside a callback would be lost."""
    handle = os.memfd_create("capture")
    try:
        with os.fdopen(handle, "wb", closefd=False) as file:
            file.write(data)
        os.lseek(handle, 0, os.SEEK_SET)
        yield handle
    finally:
        os.close(handle)


def _flac(values: npt.NDArray[np.int32], rate_hz: int) -> bytes:
    with _in_memory() as handle:
        with soundfile.SoundFile(
            handle, "w", rate_hz, values.shape[1], "PCM_24", format="FLAC", closefd=False, compression_level=_EFFORT
        ) as file:
            file.write(values)
        os.lseek(handle, 0, os.SEEK_SET)
        with os.fdopen(handle, "rb", closefd=False) as whole:
            return whole.read()


def _unflac(data: bytes, frames: int, channels: int) -> npt.NDArray[np.int32]:
    """Decode; a header that promises anything else than is wanted is refused before."""
    with _in_memory(data) as handle, soundfile.SoundFile(handle, closefd=False) as file:
        if (file.frames, file.channels) != (frames, channels):
            raise ValueError("the header promises another size")
        return np.asarray(file.read(dtype="int32", always_2d=True))


def _inflated(data: bytes, count: int) -> npt.NDArray[np.float64]:
    """Unpack so many numbers piece by piece into their place: a long one is never held twice."""
    out = np.empty(count, dtype="<f8")
    place, at, packed = out.data.cast("B"), 0, zlib.decompressobj()
    while data:
        piece = packed.decompress(data, _PIECE)
        if at + len(piece) > len(place):
            raise ValueError("it holds more than was promised")
        place[at : at + len(piece)] = piece
        at, data = at + len(piece), packed.unconsumed_tail
    if at != len(place):
        raise ValueError("it holds less than was promised")
    return out


def decode(encoding: str, data: bytes, frames: int, channels: int) -> FloatArray:
    """Give the samples (frames, channels) back, not to be written to.

    Raises
    ------
    FileError
        The bytes are damaged, or not as long as they should be.
    """
    damaged = FileError("A capture in this job file is damaged.", hint="Restore the file from a copy.")
    if frames < 0 or channels < 1 or frames * channels * 8 > _MOST_BYTES:
        raise damaged
    try:
        if encoding == FLAC:
            samples = _unflac(data, frames, channels) / (_STEPS * 256)
        elif encoding == FLOAT64:
            samples = _inflated(data, frames * channels).reshape(frames, channels)
        else:
            raise damaged
    except (soundfile.LibsndfileError, zlib.error, ValueError, RuntimeError) as problem:
        raise damaged from problem
    if samples.shape != (frames, channels):
        raise damaged
    out = np.asarray(samples, dtype=np.float64)  # the bytes as they are: what is long is not held twice
    out.setflags(write=False)
    return out

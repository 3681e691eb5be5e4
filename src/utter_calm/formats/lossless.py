"""Samples as bytes and back, without loss: FLAC where the samples are 24-bit integers, else zipped float64."""

from __future__ import annotations

import io
import zlib

import numpy as np
import numpy.typing as npt
import soundfile

from utter_calm.errors import FileError

FloatArray = npt.NDArray[np.float64]

FLAC = "flac"
FLOAT64 = "float64-zlib"
_STEPS = 2.0**23
_MOST_BYTES = 4_000_000_000


def encode(samples: FloatArray, rate_hz: int) -> tuple[str, bytes]:
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
        out = io.BytesIO()
        # libsndfile takes 24 bits from the upper end of 32
        soundfile.write(out, (whole * 256).astype(np.int32), rate_hz, format="FLAC", subtype="PCM_24")
        return FLAC, out.getvalue()
    return FLOAT64, zlib.compress(np.ascontiguousarray(samples, dtype="<f8").tobytes(), 3)


def decode(encoding: str, data: bytes, frames: int, channels: int) -> FloatArray:
    """Give the samples (frames, channels) back.

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
            values, _ = soundfile.read(io.BytesIO(data), dtype="int32", always_2d=True)
            samples = values / (_STEPS * 256)
        elif encoding == FLOAT64:
            wanted = frames * channels * 8
            raw = zlib.decompressobj().decompress(data, wanted + 1)
            samples = np.frombuffer(raw, dtype="<f8").reshape(frames, channels)
        else:
            raise damaged
    except (soundfile.LibsndfileError, zlib.error, ValueError, RuntimeError) as problem:
        raise damaged from problem
    if samples.shape != (frames, channels):
        raise damaged
    return np.array(samples, dtype=np.float64)

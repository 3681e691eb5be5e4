"""Sound files in and out: WAV and FLAC, integer and float, through libsndfile."""

from __future__ import annotations

import io
import os
import re
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile

from utter_calm.errors import FileError
from utter_calm.formats.whole import note_input, write_whole

FloatArray = npt.NDArray[np.float64]

_MOST_VALUES = 150_000_000
_RATES_HZ = (1_000, 1_600_000)
_WAV_LIMIT_BYTES = 4_000_000_000
_STREAMED = 0x7FFFF000


def read_audio(path: Path) -> tuple[FloatArray, int]:
    """Read a sound file.

    Returns
    -------
    tuple
        Samples (n, channels), 1 is full scale, and the rate in Hz.

    Raises
    ------
    FileError
        Not there, empty, cut short, too long, or not a sound file.
    """
    if not path.exists():
        raise FileError(f"There is no file {path}.", hint="Check the name.")
    if path.is_dir():
        raise FileError(f"{path} is a folder.", hint="Give a WAV or FLAC file.")
    if path.stat().st_size == 0:
        raise FileError(f"{path} is empty.", hint="Export the recording again.")
    _refuse_lossy(path)
    note_input(path)
    try:
        with soundfile.SoundFile(os.fspath(path)) as file:
            if file.frames * file.channels > _MOST_VALUES:
                raise FileError(
                    f"{path} is too long: {file.frames} frames of {file.channels} channels.",
                    hint=f"Up to {_MOST_VALUES // 1_000_000} million samples are read: cut out what matters.",
                )
            frames, rate = file.frames, file.samplerate
            missing = _cut_short(file.extra_info)
            samples = file.read(dtype="float64", always_2d=True)
    except (soundfile.LibsndfileError, OSError, ValueError, RuntimeError) as problem:
        raise FileError(f"{path} is damaged or no sound file.", hint="Give a whole WAV or FLAC file.") from problem
    if missing:
        raise FileError(f"{path} is cut short: {missing} bytes are missing.", hint="Copy or export the recording again.")
    if not len(samples):
        raise FileError(f"{path} holds no samples.", hint="Export the recording again.")
    if len(samples) < frames:
        raise FileError(
            f"{path} is cut short: {len(samples)} of {frames} frames are there.",
            hint="Copy or export the recording again.",
        )
    if not _RATES_HZ[0] <= rate <= _RATES_HZ[1]:
        raise FileError(f"{path} claims a rate of {rate} Hz.", hint="Export the recording again with its true rate.")
    return samples, int(rate)


def _refuse_lossy(path: Path) -> None:
    """Refuse what was made by a lossy coder, before a decoder sees it.

    Raises
    ------
    FileError
        MPEG audio, Vorbis or Opus.
    """
    try:
        with path.open("rb") as file:
            begins = file.read(64)
    except OSError as problem:
        raise FileError(f"{path} cannot be read: {problem.strerror}.", hint="Check its permissions.") from problem
    ogg = begins.startswith(b"OggS") and b"FLAC" not in begins
    mpeg = begins.startswith(b"ID3") or (len(begins) > 1 and begins[0] == 0xFF and begins[1] & 0xE0 == 0xE0)
    if ogg or mpeg:
        raise FileError(f"{path} was coded with losses: its noise and distortion are the coder's.", hint="Give a WAV or FLAC file.")


def _cut_short(log: str) -> int:
    """Bytes that a WAV's header promises and the file does not hold; recorders that stream write no true length."""
    match = re.search(r"^data : (\d+) \(should be (\d+)\)", log, re.MULTILINE)
    if match is None:
        return 0
    claimed, present = int(match[1]), int(match[2])
    return claimed - present if present < claimed < _STREAMED else 0


def write_audio(path: Path, samples: FloatArray, rate_hz: int) -> None:
    """Write samples (n, channels) by the name's ending: ``.flac`` as 24 bit, ``.wav`` as 32-bit float.

    A WAV that would pass 4 GB is written as RF64, which readers of WAV know.

    Raises
    ------
    FileError
        The ending is unknown, a FLAC would clip, or the file cannot be written.
    """
    ending = path.suffix.lower()
    if ending not in (".wav", ".flac"):
        raise FileError(f"{path.name} is neither .wav nor .flac.", hint="Choose one of these endings.")
    if ending == ".flac" and np.max(np.abs(samples), initial=0.0) > 1.0:
        raise FileError("The samples exceed full scale, which FLAC cannot hold.", hint="Write a .wav file instead.")
    kind = "FLAC" if ending == ".flac" else "RF64" if samples.size * 4 > _WAV_LIMIT_BYTES else "WAV"
    out = io.BytesIO()
    try:
        soundfile.write(out, samples, rate_hz, subtype="PCM_24" if kind == "FLAC" else "FLOAT", format=kind)
    except (soundfile.LibsndfileError, OSError) as problem:
        raise FileError(f"{path} cannot be written: {problem}.", hint="Choose another format.") from problem
    write_whole(path, out.getvalue())

"""What can go wrong, as a small family; every message tells a person what happened, where, and what to do.

UtterCalmError
├── InputError           what was given cannot be used: a value, a file, a call
│   ├── FileError        a file cannot be read or written
│   └── JobFileError     a job file is damaged, newer than the program, or not a job file at all
└── MeasurementError     a step failed while it ran; nothing that was finished before is lost
    ├── Cancelled        somebody pressed mute or cancel
    ├── DeviceGone       the device vanished or stopped delivering blocks
    └── NoSignal         the recording holds nothing that could be measured
"""

from __future__ import annotations


class UtterCalmError(Exception):
    """Base of all errors that are told to a person.

    Parameters
    ----------
    what
        One sentence: what happened, and where.
    hint
        One sentence: what to do about it; may be empty.
    """

    def __init__(self, what: str, *, hint: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.hint = hint

    def __str__(self) -> str:
        return f"{self.what} {self.hint}".strip()


class InputError(UtterCalmError):
    """A value, a file or a call that cannot be used."""


class FileError(InputError):
    """A file that cannot be read or written."""


class JobFileError(InputError):
    """A job file that is damaged, newer than the program, or something else altogether."""


class MeasurementError(UtterCalmError):
    """A step failed while it ran."""


class Cancelled(MeasurementError):
    """Somebody pressed mute or cancel."""

    def __init__(self) -> None:
        super().__init__("Cancelled; nothing of this step was stored.")


class DeviceGone(MeasurementError):
    """The device vanished or stopped delivering blocks."""


class NoSignal(MeasurementError):
    """The recording holds nothing that could be measured."""

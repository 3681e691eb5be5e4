"""A step of a job played elsewhere: its file, a page of instructions, and the take out of a recording."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from utter_calm.errors import InputError
from utter_calm.formats.audio import read_audio, write_audio
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.take import RECORDED, TakeSummary
from utter_calm.measure.away import USUAL_PEAK, Away, make_pack, take_away
from utter_calm.measure.kind import StepKind, StepSettings
from utter_calm.measure.take_step import analyze_step
from utter_calm.quantities import value_text
from utter_calm.signals.header import MARK_S

__all__ = ["Away", "away_text", "take_from_recording", "write_away"]


def write_away(job: Job, cell: Cell, path: Path, peak: float = USUAL_PEAK) -> float:
    """Write the file of a cell's step; give its length in seconds. Errors as in :func:`make_pack` and of writing."""
    pack = make_pack(job.document.step(cell.step).measure, _settings(job, cell), peak)
    write_audio(path, pack.samples, pack.rate_hz)
    return len(pack.samples) / pack.rate_hz


def away_text(job: Job, cell: Cell, name: str, checksum: str, seconds: float) -> str:
    """A page that says what to do with the file; it goes with it."""
    step, unit = job.document.step(cell.step), job.document.unit(cell.unit)
    setup = ", ".join(f"{factor} {value_text(value)}" for factor, value in cell.setup.conditions) or "none"
    return f"""{step.title} of {unit.title}
Conditions: {setup}
File: {name}, {seconds:.1f} s, SHA-256 {checksum}

1. Put the file on whatever plays it; change nothing about it: no other format, no effects, no equaliser.
2. Start the recorder. A WAV or FLAC recording at any rate will do; switch off automatic level control and noise reduction.
3. Play the file once, clear of the noise and without overload. It begins and ends with a rising chirp of {MARK_S:g} s.
4. Stop the recorder a second after the last chirp, and bring the recording back:
   in the window “Measure, Take it from a recording”, or
   utter-calm away take JOB {step.id} RECORDING
"""


def take_from_recording(job: Job, cell: Cell, path: Path, away: Away | None = None, peak: float = USUAL_PEAK) -> TakeSummary:
    """Find a cell's stimulus in a recording, analyse it as if it had been wired, and store the take.

    ``peak`` is that of the file, as it was written.

    Raises
    ------
    FileError
        The recording cannot be read.
    InputError
        The step cannot be played from a file.
    NoSignal
        The stimulus is not in the recording.
    """
    settings, kind = _settings(job, cell), job.document.step(cell.step).measure
    if not isinstance(kind, StepKind):
        raise InputError("This row is deduced from takes, not played.", hint="Choose a step that plays.")
    pack = make_pack(kind, settings, peak)
    if job.document.plan_of(cell.step).rig.hears_sound:
        away = replace(away or Away(), by_microphone=True)
    samples, rate = read_audio(path)
    capture = take_away(pack, samples, rate, away)
    return job.append(
        cell, settings, analyze_step(kind, settings, capture), capture=capture, origin=RECORDED, note=f"from {path.name}"
    )


def _settings(job: Job, cell: Cell) -> StepSettings:
    return job.document.plan_of(cell.step).settings_of(job.document.step(cell.step), cell.setup)

"""Calibrating the impedance rig of a bench: asks for each thing that must be clipped on."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

from utter_calm.errors import Cancelled, InputError
from utter_calm.job.bench import UNIT_FACTOR
from utter_calm.job.document import JobDocument
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.prompt import CLIP, Answer, Prompt
from utter_calm.measure.calibrate_impedance import Clipped, calibrate
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.measure.take_step import Progress
from utter_calm.quantities.weighed import understand_weighed
from utter_calm.rig import BARE_LEADS, Rig, SenseCalibration

_TOP = 0.42
_LEAST_U = 5e-4
"""Of a resistor of which nobody said how good it is."""


@dataclass(frozen=True, slots=True)
class CalibrationWanted:
    """What is asked for: the resistor as it was typed, whether the leads are measured open too, for how many days it counts."""

    known: str = "1 kohm ± 0.1 %"
    with_open: bool = False
    days: int = 30

    def resistor(self) -> tuple[float, float]:
        """Its ohms and relative standard uncertainty; what was typed without one is taken as 0.1 %, for nobody knows better.

        Raises
        ------
        InputError
            It cannot be read.
        """
        typed = understand_weighed(self.known, "ohm", what="known resistor")
        return typed.value, typed.u or _LEAST_U


def calibrate_bench(
    bench: Bench, rig: Rig, wanted: CalibrationWanted, rate_hz: int, level_v: float, ask: Callable[[Prompt], Answer], *,
    cancel: threading.Event | None = None, progress: Progress | None = None,
) -> SenseCalibration:  # fmt: skip
    """Go through the stages of a calibration with a bench.

    Raises
    ------
    Cancelled
        Stopped at a prompt or by ``cancel``.
    InputError
        The rig hears no current.
    MeasurementError
        What was clipped on is not what was asked for, or the proof failed.
    """
    if not rig.senses_impedance:
        raise InputError("This rig hears no current.", hint="Give one of its inputs the role “current” (rig).")
    ohm, u = wanted.resistor()
    bench.have(replace(rig, impedance=None))
    by_itself = bench.can_set(UNIT_FACTOR) and bench.can_set(CLIP)

    def clip(clipped: Clipped) -> None:
        if cancel is not None and cancel.is_set():
            raise Cancelled
        answer = ask(Prompt(clipped.text, CLIP, clipped.position, by_itself))
        if answer in (Answer.STOP, Answer.SKIP):
            raise Cancelled
        if answer is Answer.LET_RIG and bench.control is not None:
            bench.control.set(UNIT_FACTOR, BARE_LEADS)
            bench.control.set(CLIP, clipped.position)
        bench.note(UNIT_FACTOR, BARE_LEADS)

    settings = ImpedanceSweepSettings(start_hz=2.0, stop_hz=_TOP * rate_hz, duration_s=4.0, level_v=level_v, rate_hz=rate_hz)
    made = calibrate(bench.device, rig, settings, ohm, u, clip, with_open=wanted.with_open, cancel=cancel, progress=progress)
    return replace(made, days=wanted.days)


def with_calibration(document: JobDocument, rig: Rig, made: SenseCalibration) -> JobDocument:
    """The document with a calibration given to every plan that is measured with that rig."""
    for plan in document.plans:
        if (plan.rig.name, plan.rig.bound) == (rig.name, rig.bound):
            document = document.with_plan(replace(plan, rig=replace(plan.rig, impedance=made)))
    return document

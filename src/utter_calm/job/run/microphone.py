"""Calibrating the microphone of a bench: asks for the calibrator, listens, and says how far it drifted."""

from __future__ import annotations

import datetime as dt
import math
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.errors import Cancelled, InputError
from utter_calm.job.bench import UNIT_FACTOR
from utter_calm.job.document import JobDocument
from utter_calm.job.document.rigs import same_rig
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.measure.kind import Passage
from utter_calm.measure.microphone import heard_calibrator
from utter_calm.measure.player import Player
from utter_calm.quantities import parse_quantity, si_text
from utter_calm.quantities.levels import amplitude_to_db
from utter_calm.rig import CALIBRATOR, Calibrated, Rig
from utter_calm.rig.microphone import capsule_of, drift_db, in_volts, microphone_of, with_sensitivity
from utter_calm.rig.rates import rate_for

_LISTEN_S, _DB = 6.0, math.log(10) / 20
_DRIFTED_DB = 0.5


@dataclass(frozen=True, slots=True)
class CalibratorWanted:
    """What the calibrator gives, as typed, and how well it does so (k = 2, in dB)."""

    level: str = "94 dB"
    within_db: float = 0.3

    def pascal(self) -> float:
        """Its r.m.s. pressure.

        Raises
        ------
        InputError
            It cannot be read, or is none.
        """
        value = parse_quantity(self.level, "Pa", what="calibrator's level")
        if not value > 0 or not 0 <= self.within_db < 6:
            raise InputError("A calibrator gives a level such as 94 dB, known to some tenths of a decibel.", hint="Check both.")
        return value


def calibrate_microphone(
    bench: Bench, rig: Rig, wanted: CalibratorWanted, ask: Callable[[Prompt], Answer], *, cancel: threading.Event | None = None,
    progress: Callable[[float, str], None] | None = None,
) -> Calibrated:  # fmt: skip
    """Have the calibrator put on, listen for some seconds, and give the sensitivity.

    Raises
    ------
    Cancelled
        Stopped at the prompt or by ``cancel``.
    InputError
        The rig has no microphone.
    NoSignal, MeasurementError
        What was heard is no calibrator's tone.
    """
    found = microphone_of(rig)
    if found is None:
        raise InputError("The rig has no microphone.", hint="Give one of its inputs the role “microphone” (rig).")
    pressure = wanted.pascal()
    bench.have(rig)
    text = f"Put the calibrator on the microphone, switch it to {wanted.level}, and let go of both."
    answer = ask(Prompt(text, UNIT_FACTOR, CALIBRATOR, bench.can_set(UNIT_FACTOR)))
    if answer in (Answer.STOP, Answer.SKIP):
        raise Cancelled
    if answer is Answer.LET_RIG and bench.control is not None:
        bench.control.set(UNIT_FACTOR, CALIBRATOR)
    bench.note(UNIT_FACTOR, CALIBRATOR)
    if progress is not None:
        progress(0.1, "listening to the calibrator")
    rate = rate_for(bench.device)
    player = Player(bench.device, in_volts(rig), rate, block_frames=8_192)
    try:
        capture = player.play(Passage(np.zeros(round(_LISTEN_S * rate)), {}), cancel)
    finally:
        player.close()
    number = found[0] + 1
    tone = heard_calibrator(capture, number)
    value = tone.level * capture.scale(number) / pressure
    u = math.hypot(tone.u_level / tone.level, wanted.within_db / 2 * _DB, capture.u_level(number))
    how = f"{amplitude_to_db(pressure / 20e-6):.1f} dB at {si_text(tone.frequency_hz, 'Hz', digits=4)}"
    return Calibrated(dt.datetime.now(dt.UTC).date().isoformat(), float(value), float(u), how)


def calibrated_words(rig: Rig, made: Calibrated) -> str:
    """What a calibration found, and how far that is off the one before."""
    words = f"The microphone gives {si_text(made.value, 'V/Pa', digits=4)}"
    drift = drift_db(capsule_of(rig), made)
    if drift is None:
        return f"{words}."
    last = capsule_of(rig)
    day = "" if last is None else last.history[-1].day
    off = f"{words}, {drift:+.2f} dB off {day}".replace("-", "\N{MINUS SIGN}", 0)
    return f"{off}: it drifted; look at capsule and calibrator." if abs(drift) > _DRIFTED_DB else f"{off}."


def with_calibrated(document: JobDocument, rig: Rig, made: Calibrated) -> JobDocument:
    """The document with the calibration given to every plan that is measured with that rig's microphone."""
    for plan in document.plans:
        if same_rig(plan.rig, rig):
            document = document.with_plan(replace(plan, rig=with_sensitivity(plan.rig, made)))
    return document

"""Calibrating an impedance rig as practitioners do it: leads shorted, a known resistor, open where wanted; then the proof."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.sense import smoothed
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.errors import MeasurementError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.heard_impedance import heard_ratio
from utter_calm.measure.impedance_sweep import ImpedanceSweep, ImpedanceSweepSettings
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.sensed import impedance_of
from utter_calm.measure.take_step import Progress, play_step
from utter_calm.quantities import si_text
from utter_calm.rig import Device, Rig
from utter_calm.rig.sense_calibration import SenseCalibration, parts_of

SHORTED, KNOWN, OPEN, PROOF = "shorted", "known resistor", "open", "proof"
_PER_OCTAVE = 12
_MOST_SHORT, _OFF, _MOST_PROOF = 0.2, 0.25, 0.005
_LEAST_PROVEN, _MOST_PROVEN = 20.0, 10_000.0
_FAR = 100.0


@dataclass(frozen=True, slots=True)
class Clipped:
    """One thing on the leads: what is clipped where, and how it is called on a bench that switches by itself."""

    key: str
    text: str
    position: str


STAGES = {
    SHORTED: Clipped(SHORTED, "Clip the ends of the two leads together, where the unit's terminals will be.", "shorted"),
    KNOWN: Clipped(KNOWN, "Clip the known resistor between the leads.", "known resistor"),
    OPEN: Clipped(OPEN, "Let the leads hang open, apart from each other.", "open"),
    PROOF: Clipped(PROOF, "Leave the known resistor where it is, or clip it on again: it must read right.", "known resistor"),
}


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """What the bare rig makes of what hangs on its leads: (n,) Hz, apparent ohms, and their relative scatter."""

    frequency_hz: FloatArray
    apparent: ComplexArray
    u: FloatArray


def listen(
    device: Device, rig: Rig, settings: ImpedanceSweepSettings, *, shorted: bool = False, cancel: threading.Event | None = None,
    progress: Progress | None = None,
) -> Heard:  # fmt: skip
    """Play one sweep and give what seems to hang on the leads, without any calibration.

    Raises
    ------
    NoSignal
        No current flows, or nothing was heard.
    """
    bare, settings = replace(rig, impedance=None), replace(settings, closer="no")
    capture: Capture = play_step(ImpedanceSweep(), settings, device, bare, load_ohm=None, cancel=cancel, progress=progress)
    ratio, sensed = heard_ratio(settings, capture, ResultBuilder(), ImpedanceSweep().stimulus, shorted=shorted)
    apparent, u = impedance_of(ratio, sensed, None, None, None)
    return Heard(ratio.frequency_hz, apparent, u)


def calibration_from(
    rig: Rig, rate_hz: int, short: Heard, known: Heard, known_ohm: float, u_known: float, *, opened: Heard | None = None,
    day: dt.date | None = None,
) -> SenseCalibration:  # fmt: skip
    """Make a calibration of what was heard.

    Raises
    ------
    MeasurementError
        The short is none, or the resistor is another one.
    """
    seen, least = float(np.median(np.abs(known.apparent))), float(np.median(np.abs(short.apparent)))
    if least > _MOST_SHORT * min(known_ohm, rig.sense_ohm):
        raise MeasurementError(f"With the leads shorted {least:.3g} Ω were read.", hint="Clip their ends together, and again.")
    if abs(seen / known_ohm - 1) > _OFF:
        words = si_text(seen, "ohm", digits=3), si_text(known_ohm, "ohm", digits=3)
        raise MeasurementError(f"The resistor reads {words[0]}, and {words[1]} was entered.", hint="Check which one it is.")
    low = max(short.frequency_hz[0], known.frequency_hz[0])
    high = min(short.frequency_hz[-1], known.frequency_hz[-1])
    f = np.geomspace(low, high, max(24, round(_PER_OCTAVE * float(np.log2(high / low)))))
    opens: tuple[float, ...] = ()
    if opened is not None:
        opens = parts_of(smoothed(opened.frequency_hz, 1 / opened.apparent, f))
    return SenseCalibration(
        tuple(f.tolist()), parts_of(smoothed(short.frequency_hz, short.apparent, f)),
        parts_of(smoothed(known.frequency_hz, known.apparent, f)), known_ohm, u_known, rig.bound, rate_hz,
        (day or dt.datetime.now(dt.UTC).date()).isoformat(), opens,
    )  # fmt: skip


def proven(calibration: SenseCalibration, again: Heard) -> SenseCalibration:
    """Read the same resistor through the calibration, and keep by how much it is off.

    Raises
    ------
    MeasurementError
        It is off by more than half a per cent.
    """
    inside = (again.frequency_hz >= _LEAST_PROVEN) & (again.frequency_hz <= _MOST_PROVEN)
    f = again.frequency_hz[inside]
    read = calibration.correct(f, again.apparent[inside]) / calibration.known_ohm
    # even over log f: a sweep has most of its lines at the top
    weight = 1 / f
    off = float(np.sum(weight * read.real) / np.sum(weight)) - 1
    scatter = float(np.sqrt(np.sum(weight * np.abs(read - 1 - off) ** 2) / np.sum(weight)))
    if abs(off) > _MOST_PROOF:
        raise MeasurementError(
            f"The same resistor now reads {100 * off:+.2f} % off.", hint="Are the clips firm, is it the same one? Calibrate again."
        )
    return replace(calibration, proof=off, u_proof=scatter / max(1.0, float(np.sqrt(len(f) / _FAR))))


def calibrate(
    device: Device, rig: Rig, settings: ImpedanceSweepSettings, known_ohm: float, u_known: float,
    clip: Callable[[Clipped], None], *, with_open: bool = False, cancel: threading.Event | None = None,
    progress: Progress | None = None,
) -> SenseCalibration:  # fmt: skip
    """Go through all stages; ``clip`` is called before each, and returns when it hangs on the leads.

    Raises
    ------
    MeasurementError
        As in :func:`calibration_from` and :func:`proven`, or cancelled.
    """

    def heard(stage: str) -> Heard:
        clip(STAGES[stage])
        return listen(device, rig, settings, shorted=stage == SHORTED, cancel=cancel, progress=progress)

    short, known = heard(SHORTED), heard(KNOWN)
    opened = None
    # before the resistor two unlike inputs make more of a high impedance than of a low one: two ends are not enough
    if with_open or rig.sense_side != "low":
        try:
            opened = heard(OPEN)
        except NoSignal:
            opened = Heard(known.frequency_hz, np.full(len(known.frequency_hz), 1e12, dtype=complex), known.u)
    made = calibration_from(rig, settings.rate_hz, short, known, known_ohm, u_known, opened=opened)
    return proven(made, heard(PROOF))

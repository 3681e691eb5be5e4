"""Impedance of what hangs on the leads: a sweep, its volts on one channel and its current on another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from utter_calm.analysis.sense import LOW
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.analysis.two_channel import Ratio
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, Stimulus, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.sensed import READINGS, Sensed, add_impedance, impedance_of, ratio_in
from utter_calm.measure.swept import LEAD_S, TAIL_S, SweptSettings, between_silences
from utter_calm.quantities import si_text
from utter_calm.rig import CURRENT, VOLTAGE

_FEWEST = 3


@dataclass(frozen=True, slots=True)
class ImpedanceSweepSettings(SweptSettings):
    """Settings of an impedance sweep; the level is small, for a cone that moves far is another driver."""

    start_hz: float = setting(4.0, "Start", "Hz", low=0.5, high=20_000)
    stop_hz: float = setting(22_000.0, "Stop", "Hz", low=10, high=88_000)
    duration_s: float = setting(5.0, "Duration", "s", low=0.5, high=120)
    level_v: float = setting(0.25, "Level at the output", "V", low=1e-4, high=20)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000, rare=True)


class ImpedanceSweep(SingleStimulus[ImpedanceSweepSettings]):
    """One sweep through the unit and the resistor that tells its current."""

    has_floor = False  # without a unit the leads are open, or shorted
    key = "impedance_sweep"
    title = "Impedance"
    question = "Impedance over frequency: of a driver, a loudspeaker, a part"
    settings_type = ImpedanceSweepSettings
    readings = with_roles({
        **READINGS,
        "level": Declared("volts at the unit", "small_level", "R.m.s. across the unit while the sweep sounds."),
    }, "fs", "zmax", "minimum_impedance", "minimum_impedance_frequency", "level")  # fmt: skip
    traces = {"impedance": Declared("impedance", "impedance", "Volts across the unit over its current.")}
    plots = (
        PlotSpec("impedance", "Impedance", ("impedance",)),
        PlotSpec("phase", "Phase of the impedance", ("impedance",), y=PHASE, short="phase"),
    )

    def stimulus(self, settings: ImpedanceSweepSettings) -> Stimulus:
        """Give the sweep between two silences."""
        return between_silences(settings, min(settings.sweep.lead_s(2) * 0.25, 0.1 * settings.duration_s))

    def signal(self, settings: ImpedanceSweepSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.start_hz, settings.stop_hz))
        return f"sweep {low} to {high}"

    def conclude(
        self,
        settings: ImpedanceSweepSettings,
        prepared: Any,  # noqa: ANN401
        *,
        progress: Callable[[float], None] | None = None,
    ) -> Result:
        """Divide the volts by the amperes."""
        capture: Capture = prepared
        out = ResultBuilder()
        ratio = heard_ratio(settings, capture, out)
        if progress is not None:
            progress(0.7)
        apparent, u = impedance_of(ratio, _SENSED, None, None, None)
        impedance, u_rig, calibrated = calibrated_by(capture, ratio.frequency_hz, apparent, out)
        add_impedance(out, ratio.frequency_hz, impedance, u, _SENSED, calibrated=calibrated, u_rig=u_rig)
        volts = capture.signal(VOLTAGE)
        sounding = slice(round(LEAD_S * capture.rate_hz), len(volts) - round(TAIL_S * capture.rate_hz))
        out.add("level", 0, float(np.sqrt(np.mean(volts[sounding] ** 2))), "V")
        return out.build()


_SENSED = Sensed(1.0, LOW, 1, 2)


def heard_ratio(settings: ImpedanceSweepSettings, capture: Capture, out: ResultBuilder, *, shorted: bool = False) -> Ratio:
    """Volts over amperes over the band that was swept; what was wrong with the recording is added.

    Raises
    ------
    NoSignal
        The rig hears no current, a channel is silent, or next to nothing of the sweep was heard.
    """
    roles = [c.role for c in capture.channels]
    if VOLTAGE not in roles or CURRENT not in roles:
        raise NoSignal(
            "An impedance needs the volts across the unit and its current.",
            hint="Give one of the rig's inputs the role “current”, and a sense resistor (rig).",
        )
    volts, amperes = capture.with_role(VOLTAGE), capture.with_role(CURRENT)
    physical = np.stack([capture.signal(n) for n in (volts, amperes)], axis=1)
    record = Capture(physical, capture.rate_hz, overload=_overload(capture, volts, amperes))
    ratio = ratio_in(record, _SENSED, out, "The take", shorted=shorted)
    # beyond what was swept there is only what leaks from it
    inside = (ratio.frequency_hz >= settings.start_hz) & (ratio.frequency_hz <= settings.stop_hz)
    if np.count_nonzero(inside) < _FEWEST:
        raise NoSignal("Next to nothing of the sweep was heard.", hint="Check the leads and the level.")
    return Ratio(ratio.frequency_hz[inside], ratio.value[inside], ratio.u[inside], ratio.coherence)


def calibrated_by(
    capture: Capture, frequency_hz: FloatArray, apparent: ComplexArray, out: ResultBuilder
) -> tuple[ComplexArray, FloatArray, bool]:
    """Impedance (n,) with what the rig adds taken out, the relative standard uncertainty of that, and whether it was.

    A calibration that belongs to another rig is not used; one that is too old is, with a quarter of what it does as uncertainty.
    Both are said.
    """
    rig, none = capture.rig, np.zeros(len(frequency_hz))
    if rig is None:
        return apparent, none, False
    known, plain = rig.impedance, none + rig.u_impedance(capture.rate_hz)
    if known is None:
        return apparent, plain, any(c.correction is not None for c in capture.channels)
    foreign = known.foreign(rig.bound, capture.rate_hz)
    if foreign:
        text = f"The calibration of the impedance was not used: {foreign}. Calibrate again (pickup)."
        out.trust.append(Trust("calibration_foreign", text))
        return apparent, plain, True
    impedance = known.correct(frequency_hz, apparent)
    if not known.expired:
        return impedance, plain, True
    text = f"The calibration of the impedance of {known.made} is older than {known.days} days. Calibrate again (pickup)."
    out.trust.append(Trust("calibration_old", text))
    return impedance, np.hypot(plain, 0.25 * np.abs(impedance / apparent - 1)), True


def _overload(capture: Capture, *numbers: int) -> tuple[bool, ...]:
    return tuple(len(capture.overload) >= n and capture.overload[n - 1] for n in numbers)

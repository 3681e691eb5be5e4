"""Impedance of what hangs on the leads: a sweep, its volts on one channel and its current on another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from utter_calm.analysis.sense import LOW
from utter_calm.analysis.two_channel import Ratio
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, Stimulus, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder
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
        roles = [c.role for c in capture.channels]
        if VOLTAGE not in roles or CURRENT not in roles:
            raise NoSignal(
                "An impedance needs the volts across the unit and its current.",
                hint="Give one of the rig's inputs the role “current”, and a sense resistor (rig).",
            )
        volts, amperes = capture.with_role(VOLTAGE), capture.with_role(CURRENT)
        physical = np.stack([capture.signal(n) for n in (volts, amperes)], axis=1)
        calibrated = capture.channels[amperes - 1].correction is not None
        rig = Sensed(1.0, LOW, 1, 2)
        out = ResultBuilder()
        ratio = ratio_in(Capture(physical, capture.rate_hz, overload=_overload(capture, volts, amperes)), rig, out, "The take")
        if progress is not None:
            progress(0.7)
        # beyond what was swept there is only what leaks from it
        inside = (ratio.frequency_hz >= settings.start_hz) & (ratio.frequency_hz <= settings.stop_hz)
        if np.count_nonzero(inside) < _FEWEST:
            raise NoSignal("Next to nothing of the sweep was heard.", hint="Check the leads and the level.")
        ratio = Ratio(ratio.frequency_hz[inside], ratio.value[inside], ratio.u[inside], ratio.coherence)
        impedance, u = impedance_of(ratio, rig, None, None, None)
        add_impedance(out, ratio.frequency_hz, impedance, u, rig, calibrated=calibrated)
        sounding = slice(round(LEAD_S * capture.rate_hz), len(physical) - round(TAIL_S * capture.rate_hz))
        out.add("level", 0, float(np.sqrt(np.mean(physical[sounding, 0] ** 2))), "V")
        return out.build()


def _overload(capture: Capture, *numbers: int) -> tuple[bool, ...]:
    return tuple(len(capture.overload) >= n and capture.overload[n - 1] for n in numbers)

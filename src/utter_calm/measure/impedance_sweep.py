"""Impedance of what hangs on the leads: a sweep, its volts and its current, or its volts behind a known resistor."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from utter_calm.errors import UtterCalmError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.heard_impedance import SECOND, SECOND_S, SECOND_TO, add_strength, calibrated_by, first_part, heard_ratio
from utter_calm.measure.impedance_level import LEVEL, OUTPUT, TOLD_AS, TRIED, at_level_asked, refuse_unknown_current, tried
from utter_calm.measure.impedance_steps import STEPS, SWEEP, stepped_stimulus
from utter_calm.measure.kind import Passage, Passages, PlotSpec, SingleStimulus, Stimulus, setting
from utter_calm.measure.pictures import NYQUIST, PARTS, PHASE
from utter_calm.measure.result import Result, ResultBuilder
from utter_calm.measure.sensed import READINGS, add_impedance, impedance_of, sharpness_of
from utter_calm.measure.settings import YES_OR_NO, sample_rate
from utter_calm.measure.swept import SweptSettings, between_silences
from utter_calm.quantities import si_text
from utter_calm.rig import Rig

_WIDE, _LINES, _LONGEST_S, _SCATTERS = 1.5, 16.0, 20.0, 3e-3


@dataclass(frozen=True, slots=True)
class ImpedanceSweepSettings(SweptSettings):
    """Settings of an impedance sweep; the level is small, for a cone that moves far is another driver."""

    start_hz: float = setting(4.0, "Start", "Hz", low=0.5, high=20_000)
    stop_hz: float = setting(22_000.0, "Stop", "Hz", low=10, high=176_000)
    duration_s: float = setting(5.0, "Duration", "s", low=0.5, high=120)
    level_v: float = setting(0.25, "Level at the output", "V", low=1e-4, high=20)
    told_as: str = setting(OUTPUT, "Level told as", choices=TOLD_AS)
    level_a: float = setting(0.01, "Current in the unit, at most", "A", low=1e-6, high=10)
    played: str = setting(SWEEP, "Played", choices=((SWEEP, "a sweep"), (STEPS, "tone by tone")))
    per_octave: int = setting(12, "Tones to an octave, tone by tone", low=1, high=96, rare=True)
    averages: int = setting(1, "Sweeps averaged", low=1, high=64)
    closer: str = setting("yes", "A second sweep where a peak is sharp or rough", choices=YES_OR_NO)
    rate_hz: int = sample_rate(96_000)


class ImpedanceSweep(SingleStimulus[ImpedanceSweepSettings]):
    """One sweep or several through the unit and the resistor that tells its current, and one more where a peak is sharp."""

    has_floor = False  # without a unit the leads are open, or shorted
    key = "impedance_sweep"
    title = "Impedance"
    question = "Impedance over frequency: of a driver, a loudspeaker, a part"
    settings_type = ImpedanceSweepSettings
    readings = with_roles({
        **READINGS,
        "level": Declared("volts at the unit", "small_level", "R.m.s. across the unit while the sweep sounds."),
        "current": Declared("current in the unit", "current", "R.m.s. through the unit while the sweep sounds."),
        "power": Declared("power in the unit", "power", "Mean of volts times amperes while the sweep sounds."),
    }, "fs", "zmax", "minimum_impedance", "minimum_impedance_frequency", "level")  # fmt: skip
    traces = {"impedance": Declared("impedance", "impedance", "Volts across the unit over its current.")}
    plots = (
        PlotSpec("impedance", "Impedance", ("impedance",), band=True),
        PlotSpec("phase", "Phase of the impedance", ("impedance",), y=PHASE, short="phase"),
        PlotSpec("parts", "Resistance and reactance", ("impedance",), y=PARTS, short="R and X"),
        PlotSpec("nyquist", "Reactance over resistance (Nyquist)", ("impedance",), y=NYQUIST, short="Nyquist"),
    )

    def stimulus(self, settings: ImpedanceSweepSettings) -> Stimulus:
        """Give the sweep, or the tones, between two silences."""
        if settings.played == STEPS:
            return stepped_stimulus(settings)
        return between_silences(settings, min(settings.sweep.lead_s(2) * 0.25, 0.1 * settings.duration_s))

    def signal(self, settings: ImpedanceSweepSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.start_hz, settings.stop_hz))
        return f"{'tones' if settings.played == STEPS else 'sweep'} {low} to {high}" + (
            f", {settings.averages} times" if settings.averages > 1 else ""
        )

    def expected_s(self, settings: ImpedanceSweepSettings) -> float:
        """Length of the sweeps, without the second pass."""
        return self.stimulus(settings).duration_s * settings.averages

    def passages(self, settings: ImpedanceSweepSettings, rig: Rig) -> Passages:
        """Play the sweep as often as is wanted, then once more about a peak that asks for it."""
        if settings.told_as != OUTPUT:
            refuse_unknown_current(settings, rig)
            trial = tried(settings)
            heard = yield Passage(between_silences(trial, 0.1).volts, {TRIED: 1.0}, text="how much the unit takes")
            settings = at_level_asked(settings, trial, heard, rig)
        volts, tags = self.stimulus(settings).volts, {LEVEL: settings.level_v}
        capture = yield Passage(volts, tags)
        narrow = self._about_peak(settings, capture) if settings.closer == "yes" and settings.played == SWEEP else None
        for _ in range(settings.averages - 1):
            yield Passage(volts, tags)
        if narrow is not None:
            text = f"once more about {si_text(narrow.start_hz * _WIDE, 'Hz', digits=3)}"
            second = {**tags, SECOND: narrow.start_hz, SECOND_TO: narrow.stop_hz, SECOND_S: narrow.duration_s}
            yield Passage(self.stimulus(narrow).volts, second, text=text)

    def _about_peak(self, settings: ImpedanceSweepSettings, capture: Capture) -> ImpedanceSweepSettings | None:
        """A sweep about the resonance, where that is too sharp for the record's lines, or scatters; None where it is not."""
        try:
            ratio, sensed = heard_ratio(settings, capture, ResultBuilder(), self.stimulus)
            apparent, u = impedance_of(ratio, sensed, None, None, None)
        except UtterCalmError:
            return None  # the analysis says what is wrong with it
        found = sharpness_of(ratio.frequency_hz, apparent)
        if found is None:
            return None
        at, width = found
        rough = float(u[int(np.argmin(np.abs(ratio.frequency_hz - at)))])
        lines = width * (settings.duration_s + 1)
        if lines > _LINES and rough < _SCATTERS:
            return None
        long = min(max(settings.duration_s, _LINES / width), _LONGEST_S)
        low, high = max(at / _WIDE, settings.start_hz), min(at * _WIDE, settings.stop_hz)
        return replace(settings, start_hz=low, stop_hz=high, duration_s=long) if high > 2 * low else None

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
        ratio, sensed = heard_ratio(settings, capture, out, self.stimulus)
        if progress is not None:
            progress(0.7)
        apparent, u = impedance_of(ratio, sensed, None, None, None)
        impedance, u_rig, calibrated = calibrated_by(capture, sensed, ratio.frequency_hz, apparent, out)
        add_impedance(out, ratio.frequency_hz, impedance, u, sensed, calibrated=calibrated, u_rig=u_rig)
        add_strength(out, first_part(capture), sensed, ratio.frequency_hz, apparent)
        return out.build()

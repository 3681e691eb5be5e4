"""Settings of distortion against level."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.errors import InputError
from utter_calm.measure.kind import StepSettings, setting
from utter_calm.measure.settings import YES_OR_NO, sample_rate
from utter_calm.quantities.parse import parse_list


@dataclass(frozen=True, slots=True)
class LevelSeriesSettings(StepSettings):
    """Settings of distortion against level."""

    frequency_hz: float = setting(997.0, "Frequency", "Hz", low=2, high=180_000)
    start_v: float = setting(3e-3, "Lowest level at the output", "V", low=1e-6, high=100)
    level_v: float = setting(2.0, "Highest level at the output", "V", low=1e-6, high=100)
    spacing: str = setting("db", "Spacing", choices=(("db", "dB steps"), ("count", "so many steps")), rare=True)
    step_db: float = setting(3.0, "Step", "dB", low=0.05, high=20)
    points: int = setting(25, "Number of steps", "1", low=3, high=500)
    stop_at: float = setting(0.15, "Stop at a THD+N of", "1", low=1e-5, high=1)
    refine: str = setting("yes", "More steps where it bends", choices=YES_OR_NO, rare=True)
    record_s: float = setting(0.1, "Record each step for", "s", low=0.02, high=20, rare=True)
    bounds: str = setting("0.1 %, 1 %, 10 %", "Read off at", analysis_only=True, rare=True)
    of: str = setting("thd_n", "Read off from", choices=(("thd_n", "THD+N"), ("thd", "THD")), analysis_only=True, rare=True)
    nominal_v: float = setting(0.0, "Nominal level at the unit's output (0: none)", "V", high=1000, analysis_only=True)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and levels that do not rise."""
        StepSettings.check(self)
        if self.start_v >= self.level_v:
            raise InputError("The lowest level is not below the highest.", hint="Swap or change them.")
        if self.frequency_hz >= self.rate_hz / 2:
            raise InputError("The tone lies above half the sample rate.", hint="Lower the frequency or raise the rate.")
        parse_list(self.bounds, "1", what="bound")

    def drives(self) -> list[float]:
        """Levels of the first pass, rising."""
        if self.spacing == "db":
            count = max(2, math.ceil(20 * math.log10(self.level_v / self.start_v) / self.step_db - 1e-9) + 1)
            ratio = 10 ** (self.step_db / 20)
            return [min(self.start_v * ratio**k, self.level_v) for k in range(count)]
        return [float(v) for v in np.geomspace(self.start_v, self.level_v, self.points)]

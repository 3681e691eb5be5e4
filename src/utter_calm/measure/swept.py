"""What steps share that play one exponential sweep: its bounds, its law, its samples between two silences."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from utter_calm.analysis.excitation import Excitation, excitation
from utter_calm.errors import InputError
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.kind import StepSettings, Stimulus
from utter_calm.signals.sweep import Sweep

LEAD_S, TAIL_S = 0.1, 0.9
"""Silence before, for what comes early, and after, for what rings."""
_FADE_OUT_S = 0.01
KEPT = 1 << 19
"""Samples: a longer sweep, and what it puts into each bin, take too much room to be kept."""


class SweptSettings(StepSettings):
    """Settings with a sweep among them; dataclasses that inherit declare its fields."""

    __slots__ = ()

    lead_s: float = LEAD_S
    start_hz: float
    stop_hz: float
    duration_s: float
    level_v: float
    rate_hz: int

    def check(self) -> None:
        """Refuse values outside their bounds, a sweep that does not rise, and one that the rate cannot carry."""
        StepSettings.check(self)
        if self.start_hz * 2 > self.stop_hz:
            raise InputError(
                f"A sweep from {self.start_hz:g} to {self.stop_hz:g} Hz is less than an octave.",
                hint="Widen its limits.",
            )
        if self.stop_hz > 0.46 * self.rate_hz:
            raise InputError(
                f"A sweep to {self.stop_hz:g} Hz comes too close to half the rate of {self.rate_hz} Hz.",
                hint=f"Stop at {0.46 * self.rate_hz:.0f} Hz or below, or raise the rate.",
            )

    @property
    def sweep(self) -> Sweep:
        """The sweep's law, amplitude in volts; it begins with a sample."""
        onset_s = round(self.lead_s * self.rate_hz) / self.rate_hz
        return Sweep(self.start_hz, self.stop_hz, self.duration_s, self.level_v * math.sqrt(2), onset_s=onset_s)


def between_silences(settings: SweptSettings, fade_in_s: float, tail_s: float = TAIL_S) -> Stimulus:
    """Give the sweep between two silences, the later one of ``tail_s`` seconds."""
    return Stimulus(_samples(settings.sweep, settings.rate_hz, fade_in_s, tail_s), settings.rate_hz)


def known_between_silences(
    settings: SweptSettings, fade_in_s: float, tail_s: float, recorded: int
) -> tuple[FloatArray, Excitation]:
    """The same samples (n,), and what they put into each bin for so many recorded; kept, for take after take plays the same."""
    known = _known if settings.duration_s * settings.rate_hz < KEPT else _known.__wrapped__
    played = len(_samples(settings.sweep, settings.rate_hz, fade_in_s, tail_s))  # a recording that ends sooner changes nothing
    return known(settings.sweep, settings.rate_hz, fade_in_s, tail_s, max(recorded, played))


@lru_cache(maxsize=1)
def _known(sweep: Sweep, rate_hz: int, fade_in_s: float, tail_s: float, recorded: int) -> tuple[FloatArray, Excitation]:
    samples = _samples(sweep, rate_hz, fade_in_s, tail_s)
    return samples, excitation(recorded, samples, sweep, rate_hz)


def _samples(sweep: Sweep, rate_hz: int, fade_in_s: float, tail_s: float) -> FloatArray:
    made = _kept_samples if sweep.duration_s * rate_hz < KEPT else _kept_samples.__wrapped__
    return made(sweep, rate_hz, fade_in_s, tail_s)


@lru_cache(maxsize=1)
def _kept_samples(sweep: Sweep, rate_hz: int, fade_in_s: float, tail_s: float) -> FloatArray:
    samples = sweep.samples(rate_hz, fade_in_s=fade_in_s, fade_out_s=min(_FADE_OUT_S, 0.05 * sweep.duration_s))
    whole = np.concatenate([np.zeros(round(sweep.onset_s * rate_hz)), samples, np.zeros(round(tail_s * rate_hz))])
    whole.setflags(write=False)
    return whole

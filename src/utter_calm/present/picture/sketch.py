"""What a step will play, as a small picture: its lowest and highest volts, column by column."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from utter_calm.measure.kind import SingleStimulus, StepSettings
from utter_calm.present.picture.drawing import FloatArray
from utter_calm.quantities import si_text

_COLUMNS = 240
_PERIODS, _SOLID = 3, 1.6


@dataclass(frozen=True, slots=True, eq=False)
class Sketch:
    """(n,) lowest and highest of each column, as parts of the peak, and what that is in words."""

    low: FloatArray
    high: FloatArray
    words: str


def sketch_of(kind: SingleStimulus[Any], settings: StepSettings) -> Sketch:
    """Sketch what a step plays on its first channel.

    Raises
    ------
    ValueError, UtterCalmError
        The settings make no signal.
    """
    stimulus = kind.stimulus(settings)
    volts = stimulus.volts if stimulus.volts.ndim == 1 else stimulus.volts[:, 0]
    peak = float(np.max(np.abs(volts), initial=0.0))
    low, high = _columns(volts)
    excerpt = ""
    if peak and float(np.quantile(high - low, 0.1)) > _SOLID * peak:
        # a solid block says nothing: a few periods from the middle do
        (low, high), excerpt = _columns(_periods(volts)), ", a part of it"
    played = f"{si_text(stimulus.duration_s, 's', digits=2)}, peak {si_text(peak, 'V', digits=3)}{excerpt}"
    return Sketch(low / (peak or 1.0), high / (peak or 1.0), played if peak else "silence: it only listens")


def _columns(volts: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest of each column."""
    edges = np.linspace(0, len(volts), min(_COLUMNS, len(volts)) + 1).astype(int)[:-1]
    return np.minimum.reduceat(volts, edges), np.maximum.reduceat(volts, edges)


def _periods(volts: FloatArray) -> FloatArray:
    """A few periods from the middle on, by the zeros that it rises through."""
    after = volts[len(volts) // 2 :]
    rising = np.flatnonzero((after[:-1] < 0) & (after[1:] >= 0))
    return after[rising[0] : rising[_PERIODS] + 1] if len(rising) > _PERIODS else after[:_COLUMNS]

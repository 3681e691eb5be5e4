"""What a step will play, as a small picture: its lowest and highest volts, column by column."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from utter_calm.measure.kind import SingleStimulus, StepSettings
from utter_calm.present.picture.drawing import FloatArray
from utter_calm.quantities import si_text

_COLUMNS = 240


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
    edges = np.linspace(0, len(volts), min(_COLUMNS, len(volts)) + 1).astype(int)[:-1]
    words = (
        f"{si_text(stimulus.duration_s, 's', digits=2)}, peak {si_text(peak, 'V', digits=3)}"
        if peak
        else "silence: it only listens"
    )
    low, high = (f.reduceat(volts, edges) / (peak or 1.0) for f in (np.minimum, np.maximum))
    return Sketch(low, high, words)

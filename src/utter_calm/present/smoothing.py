"""Curves smoothed for the eye: a condition of the picture, said in its words; readings and verdicts never see it."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.analysis.smoothing import smooth_octaves, smooth_phase
from utter_calm.job.take import Take
from utter_calm.measure.kind import PlotSpec

CHOICES = (0, 48, 24, 12, 6, 3, 1)
"""Windows to choose from, in parts of an octave; 0 for none."""


def can_be_smoothed(spec: PlotSpec) -> bool:
    """Whether a picture shows curves over frequency; the single lines of a spectrum have no mean."""
    return spec.x_log and not spec.dense and not spec.sheet and spec.x_label.endswith("Hz")


def smoothing_words(per_octave: int) -> str:
    """Say it; empty for none."""
    if not per_octave:
        return ""
    return "smoothed over an octave" if per_octave == 1 else f"smoothed over 1/{per_octave} octave"


def smoothed(take: Take, spec: PlotSpec, per_octave: int) -> Take:
    """Give the take with the picture's curves smoothed."""
    traces = tuple(
        replace(
            t,
            magnitude=smooth_octaves(t.x, t.magnitude, per_octave),
            phase_rad=None if t.phase_rad is None else smooth_phase(t.x, t.phase_rad, per_octave),
        )
        if t.name in spec.traces and t.x_unit == "Hz"
        else t
        for t in take.result.traces
    )
    return Take(take.summary, replace(take.result, traces=traces))

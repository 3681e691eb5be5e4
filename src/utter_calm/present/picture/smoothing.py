"""Curves smoothed for the eye: a condition of the picture, said in its words; readings and verdicts never see it."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.analysis.smoothing import smooth_octaves, smooth_phase
from utter_calm.job.facts import Shown
from utter_calm.measure.pictures import PlotSpec
from utter_calm.quantities import Scale, quantity

CHOICES = (0, 48, 24, 12, 6, 3, 1)
"""Windows to choose from, in parts of an octave; 0 for none."""


def can_be_smoothed(spec: PlotSpec) -> bool:
    """Whether a picture shows curves over frequency; the single lines of a spectrum have no mean."""
    along = quantity(spec.x)
    curves = not spec.dense and not spec.sheet and not spec.surface and not spec.polar
    return curves and along.unit == "Hz" and along.view(spec.x_view).scale is Scale.LOG


def smoothing_words(per_octave: int) -> str:
    """Say it; empty for none."""
    if not per_octave:
        return ""
    return "smoothed over an octave" if per_octave == 1 else f"smoothed over 1/{per_octave} octave"


def smoothed(one: Shown, spec: PlotSpec, per_octave: int) -> Shown:
    """Give the result with the picture's curves smoothed."""
    traces = tuple(
        replace(
            t,
            magnitude=smooth_octaves(t.x, t.magnitude, per_octave),
            phase_rad=None if t.phase_rad is None else smooth_phase(t.x, t.phase_rad, per_octave),
        )
        if t.name in spec.traces and t.x_unit == "Hz"
        else t
        for t in one.result.traces
    )
    return replace(one, result=replace(one.result, traces=traces))

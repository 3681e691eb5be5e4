"""The same curves drawn over something else: power, output, drive, in volts, dBV or dBFS."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from utter_calm.job.facts import Shown
from utter_calm.measure.pictures import Over, PlotSpec
from utter_calm.measure.result import FloatArray, Trace

_POWER = "power"
_FEW, _CLEARLY = 2, 1.02
"""Of so few points, or of so little less, no way back is made: the last ones of a unit that clips are equal but for noise."""


def usable_overs(spec: PlotSpec, shown: Sequence[Shown]) -> list[Over]:
    """What a picture of these results can be drawn over."""
    usable = [o for o in spec.over if not o.trace or all(s.result.trace(o.trace) is not None for s in shown)]
    # into the input of another device watts come last
    return sorted(usable, key=lambda o: o.quantity == _POWER) if any(s.facts.is_line for s in shown) else usable


def chosen_over(spec: PlotSpec, shown: Sequence[Shown], over: str) -> Over | None:
    """What x is to be: what was asked for where all results have it, else the first that they have; None for their own."""
    usable = usable_overs(spec, shown)
    return next((o for o in usable if o.key == over), usable[0] if usable else None)


def over_something(one: Shown, spec: PlotSpec, over: Over, *, load_ohm: float | None = None) -> Shown:
    """Give the result with the picture's traces drawn over another of its traces.

    The rig alone has no power of its own: with ``load_ohm`` its output stands for what the unit would give to that load.
    """
    traces = []
    for trace in one.result.traces:
        if trace.name not in spec.traces:
            continue
        x = _along(one, trace, over, load_ohm)
        if x is None:
            continue
        traces += [_part(trace, x, part) for part in _there_and_back(x)]
    return replace(one, result=replace(one.result, traces=tuple(traces)))


def _there_and_back(x: FloatArray) -> list[npt.NDArray[np.int64]]:
    """Places of the way up to the most, and of the way back where there is one, each in rising order.

    A unit that folds back gives less for more: sorted in one, two branches would make a zigzag.
    """
    most = int(np.argmax(x))
    up, back = np.arange(most + 1), np.arange(most, len(x))
    if len(back) <= _FEW or x[most] < _CLEARLY * x[-1]:
        return [np.argsort(x, kind="stable")]
    return [some[np.argsort(x[some], kind="stable")] for some in (up, back)]


def _part(trace: Trace, x: FloatArray, places: npt.NDArray[np.int64]) -> Trace:
    spread = None if trace.uncertainty is None else trace.uncertainty[places]
    phase = None if trace.phase_rad is None else trace.phase_rad[places]
    return replace(trace, x=x[places], magnitude=trace.magnitude[places], phase_rad=phase, uncertainty=spread, valid=None)


def _along(one: Shown, trace: Trace, over: Over, load_ohm: float | None) -> FloatArray | None:
    if not over.trace:
        return trace.x
    source = one.result.trace(over.trace, trace.channel, trace.at) or one.result.trace(over.trace, trace.channel)
    if source is not None:
        return np.interp(trace.x, source.x, source.magnitude)
    stand_in = one.result.trace(over.for_floor, trace.channel) if over.for_floor else None
    if stand_in is None or not load_ohm:
        return None
    return np.asarray(np.interp(trace.x, stand_in.x, stand_in.magnitude) ** 2 / load_ohm)

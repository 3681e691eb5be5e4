"""One axis holds one unit: what a microphone hears and what a current does are drawn one at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from utter_calm.job.facts import Shown
from utter_calm.measure.pictures import PlotSpec
from utter_calm.measure.result import Trace


def of_one_unit(
    shown: Sequence[Shown], spec: PlotSpec, channels: frozenset[int] | None
) -> tuple[list[Shown], dict[str, str], tuple[str, ...]]:  # fmt: skip
    """Leave out the channels whose unit another channel's curve of the same name has not; the one in focus counts.

    Gives the results, the unit of each curve's name, and what is said of what was left out.
    """
    chosen = [t for one in reversed(shown) for t in one.result.traces if channels is None or t.channel in channels]
    units: dict[str, str] = {}
    for trace in chosen:
        if trace.name in spec.traces:
            units.setdefault(trace.name, trace.y_unit)
    left = sorted({(t.channel, t.y_unit) for t in chosen if not _fits(t, units)})
    said = "is on another scale: it is drawn when it is shown by itself."
    notes = tuple(f"Channel {channel}, in {unit}, {said}" for channel, unit in left)
    return [with_units(one, units) for one in shown], units, notes


def with_units(one: Shown, units: dict[str, str]) -> Shown:
    """A result without the curves that are in another unit."""
    if all(_fits(t, units) for t in one.result.traces):
        return one
    return replace(one, result=replace(one.result, traces=tuple(t for t in one.result.traces if _fits(t, units))))


def _fits(trace: Trace, units: dict[str, str]) -> bool:
    return units.get(trace.name, trace.y_unit) == trace.y_unit

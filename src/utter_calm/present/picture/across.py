"""Results of other kinds laid over a picture, where they hold a curve of the same quantity over the same quantity."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from utter_calm.job.facts import STEP, Shown
from utter_calm.measure.kinds import declared_trace, kind_of
from utter_calm.measure.pictures import PlotSpec
from utter_calm.measure.result import Trace


def laid_over(shown: Sequence[tuple[Shown, str]], spec: PlotSpec) -> list[Shown]:
    """Let results of other kinds join the last one's picture.

    Parameters
    ----------
    shown
        Results with the titles of their steps; the last one's kind has the picture.
    spec
        The picture.

    Returns
    -------
    list of Shown
        As they are where all are of one kind. Else those that have a curve for it, each told apart by its step: those of other
        kinds with that curve alone, under the name that the picture knows.
    """
    last = shown[-1][0]
    if all(one.facts.kind == last.facts.kind for one, _ in shown):
        return [one for one, _ in shown]
    out = []
    for one, title in shown:
        facts = replace(one.facts, conditions=((STEP, title), *one.facts.conditions))
        if one.facts.kind == last.facts.kind:
            out.append(replace(one, facts=facts))
            continue
        traces = _matching(one, spec, last)
        if traces:
            facts = replace(facts, kind=last.facts.kind, settings=last.facts.settings)
            out.append(replace(one, result=replace(one.result, traces=traces, readings=(), surfaces=()), facts=facts))
    return out


def _matching(one: Shown, spec: PlotSpec, last: Shown) -> tuple[Trace, ...]:
    """Traces of a result of another kind that are what the picture's main trace is, renamed to it."""
    if not spec.traces or spec.sheet or spec.surface or spec.polar:
        return ()
    wanted = next((t for t in last.result.traces if t.name in spec.traces), None)
    if wanted is None:
        return ()
    what = declared_trace(wanted.name, last.facts.kind).quantity
    plots = [p for p in kind_of(one.facts.kind).plots if p.x == spec.x and not (p.sheet or p.surface)
             and (p.dense, p.unwanted) == (spec.dense, spec.unwanted)]  # fmt: skip
    names = [n for n in dict.fromkeys(n for p in plots for n in sorted(p.traces, key=lambda t: t != wanted.name)[:1])
             if declared_trace(n, one.facts.kind).quantity == what]  # fmt: skip
    for name in names:
        if wanted.y_unit == "1" and name != wanted.name:
            continue  # ratios of different things are not one thing
        found = [t for t in one.result.traces if t.name == name and (t.x_unit, t.y_unit) == (wanted.x_unit, wanted.y_unit)]
        if found:
            return tuple(replace(t, name=wanted.name) for t in found)
    return ()

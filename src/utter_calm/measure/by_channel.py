"""Channels measured one by one, so that one that hears nothing does not take the others with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from utter_calm.errors import NoSignal, UtterCalmError
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.usable import add_spans
from utter_calm.rig import CURRENT

_NO_CURRENT = "No current to speak of flows on channel {}: of a loudspeaker with its own amplifier, or too quiet, none is told."


def by_channel(capture: Capture, numbers: Sequence[int], measure: Callable[[Capture], Result]) -> Result:
    """Measure some channels one by one; one that fails is said in trust and does not stop the others.

    Raises
    ------
    UtterCalmError
        No channel could be measured: what was wrong with the first.
    """
    out = ResultBuilder()
    failures: list[UtterCalmError] = []
    for number in numbers:
        try:
            found = measure(capture.only(number))
        except UtterCalmError as problem:
            failures.append(problem)
            if isinstance(problem, NoSignal) and capture.of(number).role == CURRENT:
                out.trust.append(Trust("no_current", _NO_CURRENT.format(number), grave=False))
            else:
                out.trust.append(_unusable(number, problem))
            continue
        out.readings += [replace(r, channel=number if r.channel else 0) for r in found.readings]
        add_spans(out, number, found.trust)
        out.traces += [replace(t, channel=number) for t in found.traces]
        out.surfaces += [replace(s, channel=number) for s in found.surfaces]
        out.trust += [replace(t, channel=number) for t in found.trust]
    if failures and not out.readings:
        raise failures[0]
    return out.build()


def _unusable(number: int, problem: UtterCalmError) -> Trust:
    said = str(problem)
    return Trust("channel_unusable", said if f"hannel {number}" in said else f"Channel {number}: {said}", channel=number)

"""Readings that say less than they seem to: marked where they stand, not only in a word on the whole take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import Reading, Result, Trace, Trust
from utter_calm.quantities import si_text

OVERLOADED = "the input was overloaded"
BEYOND = "the response of what is in the path is not known there"
_TOUCHES = 1.001


def marked(result: Result, capture: Capture, declared: Callable[[str], Declared]) -> Result:
    """Mark readings of channels whose input was overloaded, and what lies where the response of the path is not known.

    Curves end where that ends; what the capture has to say is added. ``declared`` tells of a reading by its name.
    """
    if capture.said:
        result = replace(result, trust=(*result.trust, *capture.said))
    loud = {t.channel for t in result.trust if t.code == "overload"}
    known = {n: c.frequency_hz for n, c in ((k, capture.of(k).correction) for k in capture.numbers) if c is not None}
    if not loud and not known:
        return result

    def mark(reading: Reading) -> Reading:
        if reading.doubt or declared(reading.name).of_record:
            return reading
        if loud and (0 in loud or reading.channel in loud or reading.channel == 0):
            return reading.doubted(OVERLOADED)
        own = known.get(reading.channel) if reading.unit == "Hz" else None
        return reading.doubted(BEYOND) if own is not None and not own[0] <= reading.value <= own[-1] else reading

    traces = tuple(_cut(t, known[t.channel]) if t.channel in known else t for t in result.traces)
    trust = list(result.trust)
    for number, points in known.items():
        if any(t is not was for t, was in zip(traces, result.traces, strict=True) if t.channel == number):
            low, high = (si_text(f, "Hz", digits=3) for f in (points[0], points[-1]))
            text = (
                f"What is in the path of channel {number} is known from {low} to {high}: beyond, its nearest value was taken off."
            )
            trust.append(Trust("beyond_response", text, grave=False, channel=number))
    return replace(result, readings=tuple(map(mark, result.readings)), traces=traces, trust=tuple(trust))


def _cut(trace: Trace, points: tuple[float, ...]) -> Trace:
    """End a curve over frequency where the response of the path ends."""
    if trace.x_unit != "Hz" or not len(trace.x):
        return trace
    had = trace.valid or (float(trace.x[0]), float(trace.x[-1]))
    low, high = max(had[0], points[0]), min(had[1], points[-1])
    if (low <= had[0] * _TOUCHES and high * _TOUCHES >= had[1]) or not high > low:
        return trace
    return replace(trace, valid=(low, high), invalid_reason=BEYOND)

"""A spliced response as readings and a trace, and what makes it doubtful."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.acoustic.splice import Spliced, near_over_far
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text

READINGS = {
    "splice_frequency": Declared("spliced at", "frequency", "Middle of the crossfade: geometric mean of the overlap.", digits=3),
    "gain": Declared("far over near", "gain", "Median of the far over the near response in the overlap.", digits=4),
    "delay": Declared("far later by", "time", "From the slope of the phase of far over near in the overlap; taken out."),
    "overlap_low": Declared("overlap from", "frequency", "Lowest frequency at which both hold.", digits=3),
    "overlap_high": Declared("overlap to", "frequency", "c / (2 pi a) / 1.5, or where one of them ends.", digits=3),
    "tilt": Declared("disagreement", "gain", "By how much far over near changes across the overlap, by a straight line.", digits=2),
    "front_width": Declared("width of the front", "length", "That of the step with which near and far differ least.", digits=2),
}  # fmt: skip
_DISAGREES, _MISMATCH = 10 ** (1 / 20), 10 ** (3 / 20)


def add_spliced(
    out: ResultBuilder, found: Spliced, *, radius_m: float, unit: str = "1", distance_m: float | None = None, channel: int = 1
) -> None:  # fmt: skip
    """Add a whole response; ``distance_m`` of the far one, where it is known, is held against the gain."""
    magnitude = np.abs(found.value)
    out.traces.append(Trace("response", channel, found.frequency_hz, "Hz", magnitude, unit, np.unwrap(np.angle(found.value))))
    out.add("splice_frequency", channel, found.splice_hz, "Hz")
    out.add("gain", channel, found.gain, "1", found.gain * found.u_gain)
    out.add("delay", channel, found.delay_s, "s")
    for name, value in zip(("overlap_low", "overlap_high"), found.overlap_hz, strict=True):
        out.add(name, channel, value, "Hz")
    out.add("tilt", channel, found.tilt, "1")
    if found.opposite:
        out.trust.append(Trust("polarity_differs", "Near and far have opposite polarity: the near one was inverted.", grave=False))
    if found.tilt > _DISAGREES:
        low, high = (si_text(f, "Hz", digits=3) for f in found.overlap_hz)
        text = (
            f"Near and far disagree by {20 * math.log10(found.tilt):.1f} dB between {low} and {high}: check the baffle's width, "
            "the window, and whether a port is missing."
        )
        out.trust.append(Trust("curves_disagree", text))
    if distance_m is not None:
        off = found.gain / near_over_far(radius_m, distance_m)
        if not 1 / _MISMATCH <= off <= _MISMATCH:
            text = (
                f"Far over near is {20 * math.log10(off):+.1f} dB off a / 2r at {distance_m:g} m: check distance, diaphragm and "
                "the levels of both."
            )
            out.trust.append(Trust("level_mismatch", text))

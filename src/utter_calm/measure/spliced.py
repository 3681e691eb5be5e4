"""A spliced response as readings and a trace, and what makes it doubtful."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from utter_calm.analysis.acoustic.splice import Spliced, near_over_far, notch_of, without_port_from
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text

READINGS = {
    "splice_frequency": Declared("spliced at", "frequency", "Middle of the crossfade: geometric mean of the overlap.", digits=3),
    "gain": Declared("far over near", "gain", "Median of the far over the near response in the overlap.", digits=4),
    "delay": Declared("far later by", "time", "From the slope of the phase of far over near in the overlap; taken out."),
    "overlap_low": Declared("overlap from", "frequency", "Lowest at which both hold, within 20 dB of the loudest.", digits=3),
    "overlap_high": Declared("overlap to", "frequency", "c / (2 pi a) / 1.5, or where one of them ends.", digits=3),
    "tilt": Declared("disagreement", "gain", "By how much far over near changes across the overlap, by a straight line.", digits=2),
    "front_width": Declared("width of the front", "length", "That of the step with which near and far differ least.", digits=2),
}  # fmt: skip
_NO_PORT = "what the port gives is missing"
_LOWER, _EVEN = ("lower_3db", "lower_10db"), ("response_above", "response_below")
_DISAGREES, _MISMATCH = 10 ** (1 / 20), 10 ** (3 / 20)
_FLAT = 0.1


def add_spliced(
    out: ResultBuilder, found: Spliced, *, radius_m: float, unit: str = "1", distance_m: float | None = None, channel: int = 1,
    whole_from: float | None = None, spread: FloatArray | None = None,
) -> None:  # fmt: skip
    """Add a whole response.

    ``distance_m`` of the far one, where it is known, is held against the gain. ``whole_from`` is the frequency in Hz below which a
    port is missing, ``spread`` (n,) the relative expanded uncertainty.
    """
    magnitude, f = np.abs(found.value), found.frequency_hz
    valid = None if whole_from is None else (whole_from, float(f[-1]))
    out.traces.append(Trace("response", channel, f, "Hz", magnitude, unit, np.unwrap(np.angle(found.value)),
                            None if spread is None else spread * magnitude, valid, "" if valid is None else _NO_PORT))  # fmt: skip
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


def add_port_missing(
    out: ResultBuilder, found: Spliced, near: tuple[FloatArray, ComplexArray], noise: FloatArray | None = None
) -> float | None:  # fmt: skip
    """Say so where the sound close to a cone is that of a vented box; gives the frequency in Hz below which it is not all."""
    notch = notch_of(near, found.splice_hz, noise)
    if notch is None:
        return None
    text = (f"The sound close to the cone has a notch at {si_text(notch, 'Hz', digits=2)}, as that of a vented box: its port is "
            "missing, and the bass is not all. Give the port's diameter, and measure in its mouth.")  # fmt: skip
    out.trust.append(Trust("port_missing", text))
    afar_from = float(found.frequency_hz[np.argmax(found.share >= 1)])  # in that one the port is heard
    return min(without_port_from(notch), afar_from)


def spread_of(found: Spliced, near: Trace, far: Trace) -> FloatArray | None:
    """Relative expanded uncertainty (n,) of a spliced response; None where that of the far one is not known.

    The near one stands at the far one's level: it has that one's uncertainty in the overlap, that of the gain, and its own noise;
    what its surest place has is the microphone's, which the gain takes out. By how much near and far differ cone and port may
    each be off: where they cancel, that is more of what is left.
    """
    if far.uncertainty is None:
        return None
    f, (low, high) = found.frequency_hz, found.overlap_hz
    afar = np.interp(f, far.x, far.uncertainty / far.magnitude)
    level = float(np.median(afar[(f >= low) & (f <= high)]))
    own = np.zeros(len(f))
    if near.uncertainty is not None:
        each = np.interp(f, near.x, near.uncertainty / near.magnitude)
        own = np.sqrt(each**2 - float(np.min(each)) ** 2)
    close = np.sqrt(level**2 + (2 * found.u_gain * found.parts) ** 2 + own**2)
    return np.asarray(close + found.share * (afar - close))


def say_how_sure(out: ResultBuilder, found: Spliced) -> None:
    """Give lower ends the uncertainty that the gain gives them, and mark what leans on a near one that disagrees with the far one.

    By how much an end moves is told by the slope of the response there: a gain that is off moves all below the overlap up or down.
    """
    disagree = any(t.code == "curves_disagree" for t in out.trust)
    f, level = np.log(found.frequency_hz), np.log(np.abs(found.value))
    for k, reading in enumerate(out.readings):
        low_end = reading.name in _LOWER and reading.value < found.splice_hz
        if low_end:
            at = np.log(reading.value) + np.array([-1, 1]) / 24 * math.log(2)
            slope = abs(float(np.diff(np.interp(at, f, level))[0] / np.diff(at)[0]))
            u = found.u_gain * float(np.interp(reading.value, found.frequency_hz, found.parts))
            out.readings[k] = replace(reading, uncertainty=2 * reading.value * u / max(slope, _FLAT))
        if disagree and (low_end or reading.name in _EVEN):
            out.readings[k] = out.readings[k].doubted("near and far disagree")

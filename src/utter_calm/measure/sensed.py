"""Impedance as a result, from two channels of a capture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.driver.three_point import NoResonance, three_point
from utter_calm.analysis.running import running_median
from utter_calm.analysis.sense import apparent, mismatch, smoothed, u_of_impedance
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.analysis.two_channel import Ratio, ratio_of
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.measure.usable import usable_span

READINGS = {
    "minimum_impedance": Declared("least impedance", "impedance", "Least magnitude over the band."),
    "minimum_impedance_frequency": Declared("least impedance at", "frequency", "Where it lies."),
    "fs": Declared("resonance fs", "frequency", "Where the magnitude peaks, by a parabola through three points."),
    "zmax": Declared("peak impedance", "impedance", "The magnitude there."),
}
_SHORT, _OPEN = 0.01, 1e4
_FOLLOWS = 0.5
_NOISY = 0.02
_NOTHING = 1e-6
_NOT_HELD = 50.0
"""Quality of a peak whose sides are too steep for the curve's points."""


@dataclass(frozen=True, slots=True)
class Sensed:
    """How a current was sensed: the resistor in ohms, its side, and which channel is which."""

    ohm: float
    side: str
    unit_channel: int
    sense_channel: int


def ratio_in(capture: Capture, rig: Sensed, out: ResultBuilder, name: str, *, shorted: bool = False) -> Ratio:
    """Give the ratio of the unit's channel to the sense channel; what was wrong with the recording is added.

    Raises
    ------
    NoSignal
        A channel is silent, or no current flows.
    """
    records = []
    for number in (rig.unit_channel, rig.sense_channel):
        _, trust = usable_span(capture, number)
        out.trust.extend(t for t in trust if t.code in ("overload", "dropout", "lost_blocks", "interrupted"))
        records.append(capture.channel(number))
    unit, sense = (float(np.std(record)) for record in records)
    if sense < _NOTHING * unit:
        raise NoSignal(f"{name}: no current flows, channel {rig.sense_channel} is silent.", hint="Is a lead open?")
    if unit < _NOTHING * sense and not shorted:
        raise NoSignal(f"{name}: channel {rig.unit_channel} is silent.", hint="Is the unit's lead off?")
    try:
        ratio = ratio_of(records[0], records[1], capture.rate_hz)
    except ValueError:
        raise NoSignal(f"{name} holds nothing that was played.", hint="Record a sweep, noise or tones.") from None
    size = float(np.median(np.abs(ratio.value)))
    if ratio.coherence < _FOLLOWS and not shorted:
        what = f"no current flows through the sense resistor, channel {rig.sense_channel} holds noise only"
        if unit < sense:
            what = f"channel {rig.unit_channel} holds noise only"
        raise NoSignal(f"{name}: {what}.", hint="Is a lead open?")
    if size > _OPEN:
        raise NoSignal(f"{name}: next to no current flows.", hint="Is a lead open, or the sense resistor another one?")
    return ratio


def impedance_of(
    ratio: Ratio, rig: Sensed, through: Ratio | None, known_ohm: float | None, shorted: Ratio | None
) -> tuple[ComplexArray, FloatArray]:
    """Impedance (n,) in ohms and its relative standard uncertainty, with what a known resistor and a short tell taken out.

    ``through`` tells the channels' own ratio; ``shorted`` what the leads add. With both, ``Z = (Zm - b) / a`` (two-term).
    """
    f, value, u = ratio.frequency_hz, ratio.value, ratio.u
    leads = np.zeros(len(f), dtype=complex)
    if through is not None and known_ohm is not None:
        own = smoothed(through.frequency_hz, mismatch(through.value, known_ohm, rig.ohm, rig.side), f)
        short = None if shorted is None else smoothed(shorted.frequency_hz, shorted.value, f)
        if short is not None:
            # the resistor was measured through the leads as well: their part of it first
            for _ in range(3):
                leads = apparent(short / own, rig.ohm, rig.side)
                seen = smoothed(through.frequency_hz, through.value, f)
                true = known_ohm + leads
                own = seen / (true / rig.ohm if rig.side == "low" else true / (true + rig.ohm))
        value = value / own
        u = np.hypot(u, smoothed(through.frequency_hz, through.u.astype(np.complex128), f).real / 3)
    elif shorted is not None:
        leads = apparent(smoothed(shorted.frequency_hz, shorted.value, f), rig.ohm, rig.side)
    raw = apparent(value, rig.ohm, rig.side)
    return raw - leads, u_of_impedance(raw, u, rig.ohm, rig.side)


def add_impedance(
    out: ResultBuilder, frequency_hz: FloatArray, impedance: ComplexArray, u: FloatArray, rig: Sensed, *, calibrated: bool,
    u_rig: FloatArray | None = None,
) -> None:  # fmt: skip
    """Add the curve, its least value and its resonance, and what is to be doubted.

    ``u`` is the relative scatter (n,), ``u_rig`` what is not known of the rig besides.
    """
    size, scatter = np.abs(impedance), u
    u = u if u_rig is None else np.hypot(u, u_rig)
    out.traces.append(Trace("impedance", 1, frequency_hz, "Hz", size, "ohm", np.unwrap(np.angle(impedance)), 2 * u * size))
    calm = running_median(size, 2) if len(size) > 20 else size
    least = int(np.argmin(calm))
    out.add("minimum_impedance", 0, float(calm[least]), "ohm", float(u[least] * calm[least]))
    out.add("minimum_impedance_frequency", 0, float(frequency_hz[least]), "Hz")
    middle = float(np.median(size))
    if middle < _SHORT * rig.ohm:
        text = f"The unit has {middle:.3g} Ω: are its leads shorted?"
        out.trust.append(Trust("short_circuit", text))
    else:
        _add_resonance(out, frequency_hz, size, u)
    far = float(np.median(scatter))
    if far > _NOISY:
        text = f"The curve scatters by {100 * far:.2g} %: play louder or longer, or choose another sense resistor."
        out.trust.append(Trust("noisy", text))
    if not calibrated:
        text = "The channels were never compared: their difference in gain and delay is in the result. Record a known resistor."
        out.trust.append(Trust("uncalibrated", text, grave=False))


def sharpness_of(frequency_hz: FloatArray, impedance: ComplexArray) -> tuple[float, float] | None:
    """Resonance and the width of its peak in Hz; None where there is none."""
    try:
        seen = three_point(frequency_hz, np.abs(impedance))
    except NoResonance:
        return None
    sharp = seen.qms if np.isfinite(seen.qms) else _NOT_HELD
    return seen.fs_hz, seen.fs_hz / max(sharp, 0.1)


def _add_resonance(out: ResultBuilder, frequency_hz: FloatArray, size: FloatArray, u: FloatArray) -> None:
    try:
        seen = three_point(frequency_hz, size)
    except NoResonance:
        return
    at = int(np.argmin(np.abs(frequency_hz - seen.fs_hz)))
    out.add("fs", 0, seen.fs_hz, "Hz")
    out.add("zmax", 0, seen.zmax, "ohm", float(u[at] * seen.zmax))

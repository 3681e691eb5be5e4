"""What a capture holds of an impedance: the ratio of its channels over all sweeps, and what the rig's calibration makes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from utter_calm.analysis.sense import HIGH, LOW
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.analysis.two_channel import Ratio
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.impedance_level import LEVEL, TRIED
from utter_calm.measure.impedance_steps import STEPS, stepped_ratio
from utter_calm.measure.kind import Stimulus
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.measure.sensed import Sensed, ratio_in
from utter_calm.rig import CURRENT, LOOPBACK, SENSE, VOLTAGE

if TYPE_CHECKING:
    from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings

SECOND, SECOND_TO, SECOND_S = "second_from_hz", "second_to_hz", "second_s"
"""Tags of a second pass: its band, and how long it sweeps."""
_FEWEST, _INNER, _SOUNDS = 3, 1.12, 0.02
Played = Callable[["ImpedanceSweepSettings"], Stimulus]


def heard_ratio(
    settings: ImpedanceSweepSettings, capture: Capture, out: ResultBuilder, played: Played, *, shorted: bool = False
) -> tuple[Ratio, Sensed]:
    """The ratio over the band that was swept, and how it tells an impedance; what was wrong with the recording is added.

    Sweeps that were repeated are averaged, their scatter from one to the next among their uncertainty; what a second pass heard
    takes the place of the first about its peak.

    Raises
    ------
    NoSignal
        The rig tells no impedance, a channel is silent, or next to nothing of the sweep was heard.
    """
    parts = [p for p in capture.parts or () if TRIED not in p.tags]
    repeats = [capture.part(p) for p in parts if SECOND not in p.tags] or [capture]
    level = next((p.tags[LEVEL] for p in parts if LEVEL in p.tags), settings.level_v)
    settings = replace(settings, level_v=level)
    ratio, sensed = _mean([_one(settings, one, out, played, shorted=shorted) for one in repeats])
    for part in parts:
        if SECOND in part.tags:
            tags = part.tags
            level = tags.get(LEVEL, settings.level_v)
            narrow = replace(settings, level_v=level, start_hz=tags[SECOND], stop_hz=tags[SECOND_TO], duration_s=tags[SECOND_S])
            ratio = _spliced(ratio, _one(narrow, capture.part(part), out, played, shorted=shorted)[0], narrow)
    return ratio, sensed


def first_part(capture: Capture) -> Capture:
    """The first sweep of a capture that was no trial."""
    first = next((p for p in capture.parts if TRIED not in p.tags), None)
    return capture if first is None else capture.part(first)


def _one(
    settings: ImpedanceSweepSettings, capture: Capture, out: ResultBuilder, played: Played, *, shorted: bool
) -> tuple[Ratio, Sensed]:
    physical, sensed = _channels(settings, capture, played)
    record = Capture(physical, capture.rate_hz, overload=capture.overload)
    ratio = ratio_in(record, sensed, out, "The take", shorted=shorted)
    if settings.played == STEPS:
        return stepped_ratio(physical, settings), sensed
    # beyond what was swept there is only what leaks from it
    inside = (ratio.frequency_hz >= settings.start_hz) & (ratio.frequency_hz <= settings.stop_hz)
    if np.count_nonzero(inside) < _FEWEST:
        raise NoSignal("Next to nothing of the sweep was heard.", hint="Check the leads and the level.")
    return Ratio(ratio.frequency_hz[inside], ratio.value[inside], ratio.u[inside], ratio.coherence), sensed


def _channels(settings: ImpedanceSweepSettings, capture: Capture, played: Played) -> tuple[FloatArray, Sensed]:
    """(n, 2) what the unit's input heard beside what tells its current, and how."""
    roles = [c.role for c in capture.channels]
    ohm = next((p.value for p in capture.rig.parts if p.kind == SENSE), None) if capture.rig is not None else None
    if VOLTAGE in roles and CURRENT in roles:
        return np.stack([capture.signal(VOLTAGE), capture.signal(CURRENT)], axis=1), Sensed(1.0, LOW, 1, 2)
    side = "" if capture.rig is None else capture.rig.sense_side
    if VOLTAGE in roles and ohm is not None and side in ("high", "source"):
        volts = capture.signal(VOLTAGE)
        if side == "high":
            before = capture.signal(LOOPBACK)
        else:  # one input: what was played stands for the volts before the resistor
            sound = played(settings).volts
            before = np.zeros(len(volts))
            before[: min(len(sound), len(volts))] = sound[: len(volts)]
        return np.stack([volts, before], axis=1), Sensed(ohm, HIGH, 1, 2)
    raise NoSignal(
        "An impedance needs the volts across the unit and its current.",
        hint="Give one of the rig's inputs the role “current”, or tell the resistor that the unit hangs behind (rig).",
    )


def _mean(found: list[tuple[Ratio, Sensed]]) -> tuple[Ratio, Sensed]:
    """Mean of repeated ratios."""
    first, sensed = found[0]
    if len(found) == 1:
        return first, sensed
    f = first.frequency_hz
    log = np.log(f)
    values = np.array([
        r.value if np.array_equal(r.frequency_hz, f) else np.interp(log, np.log(r.frequency_hz), r.value) for r, _ in found
    ])  # fmt: skip
    stated = np.sqrt(np.mean([np.interp(log, np.log(r.frequency_hz), r.u) ** 2 for r, _ in found], axis=0) / len(found))
    mean = values.mean(axis=0)
    seen = np.sqrt(np.mean(np.abs(values - mean) ** 2, axis=0) / (len(found) - 1) / 2) / np.maximum(np.abs(mean), 1e-300)
    return Ratio(f, mean, np.maximum(stated, seen), min(r.coherence for r, _ in found)), sensed


def _spliced(wide: Ratio, narrow: Ratio, settings: ImpedanceSweepSettings) -> Ratio:
    """The wide ratio with the narrow one in the middle of its band."""
    low, high = settings.start_hz * _INNER, settings.stop_hz / _INNER
    inside = (narrow.frequency_hz > low) & (narrow.frequency_hz < high)
    around = (wide.frequency_hz <= low) | (wide.frequency_hz >= high)
    f = np.concatenate([wide.frequency_hz[around], narrow.frequency_hz[inside]])
    order = np.argsort(f, kind="stable")
    value = np.concatenate([wide.value[around], narrow.value[inside]])[order]
    u = np.concatenate([wide.u[around], narrow.u[inside]])[order]
    return Ratio(f[order], value, u, min(wide.coherence, narrow.coherence))


def calibrated_by(
    capture: Capture, sensed: Sensed, frequency_hz: FloatArray, apparent: ComplexArray, out: ResultBuilder
) -> tuple[ComplexArray, FloatArray, bool]:
    """Impedance (n,) with what the rig adds taken out, the relative standard uncertainty of that, and whether it was.

    A calibration that belongs to another rig is not used; one that is too old is, with a quarter of what it does as uncertainty.
    Both are said.
    """
    rig, none = capture.rig, np.zeros(len(frequency_hz))
    if rig is None:
        return apparent, none, False
    known, plain = rig.impedance, none + rig.u_impedance(capture.rate_hz)
    bare = plain if sensed.side == LOW else plain * np.abs(1 + apparent / sensed.ohm)
    if known is None:
        return apparent, bare, any(c.correction is not None for c in capture.channels)
    foreign = known.foreign(rig.bound, capture.rate_hz)
    if foreign:
        text = f"The calibration of the impedance was not used: {foreign}. Calibrate again (pickup)."
        out.trust.append(Trust("calibration_foreign", text))
        return apparent, bare, True
    impedance = known.correct(frequency_hz, apparent)
    if not known.expired:
        return impedance, plain, True
    text = f"The calibration of the impedance of {known.made} is older than {known.days} days. Calibrate again (pickup)."
    out.trust.append(Trust("calibration_old", text))
    return impedance, np.hypot(plain, 0.25 * np.abs(impedance / apparent - 1)), True


def add_strength(
    out: ResultBuilder, capture: Capture, sensed: Sensed, frequency_hz: FloatArray, apparent: ComplexArray
) -> None:  # fmt: skip
    """Add what the unit got while the sweep sounded: volts, amperes, watts."""
    volts = capture.signal(VOLTAGE)
    loud = np.flatnonzero(np.abs(volts) > _SOUNDS * np.max(np.abs(volts), initial=0.0))
    sounding = slice(int(loud[0]), int(loud[-1]) + 1) if len(loud) else slice(0, len(volts))
    level = float(np.sqrt(np.mean(volts[sounding] ** 2)))
    out.add("level", 0, level, "V")
    if sensed.side == LOW:
        amperes = capture.signal(CURRENT)[sounding]
        out.add("current", 0, float(np.sqrt(np.mean(amperes**2))), "A")
        out.add("power", 0, max(float(np.mean(amperes * volts[sounding])), 0.0), "W")
        return
    # an exponential sweep is at each octave for as long: means over log f are means over time
    weight = np.gradient(np.log(frequency_hz))
    weight /= weight.sum()
    share = np.abs(apparent / (apparent + sensed.ohm))
    source = level / float(np.sqrt(np.sum(weight * share**2)))
    current = source / np.abs(apparent + sensed.ohm)
    out.add("current", 0, float(np.sqrt(np.sum(weight * current**2))), "A")
    out.add("power", 0, max(float(np.sum(weight * current**2 * apparent.real)), 0.0), "W")

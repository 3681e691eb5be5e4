"""One tone on several channels of one recording: their phases against each other, or how much of it crosses over."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import line_spectrum
from utter_calm.errors import UtterCalmError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import Reading, Result, ResultBuilder, Trust
from utter_calm.measure.usable import usable_span

_ALONE = 0.1
"""Of several channels one is driven alone where all others lie 20 dB below it."""

BETWEEN_READINGS: dict[str, Declared] = {
    "channel_phase": Declared("phase re channel 1", "phase", "Phase of the fundamental against channel 1 of the recording."),
    "crosstalk": Declared("crosstalk", "gain", "Where one channel is driven alone: level of its tone in another one over that in "
                          "its own, with its phase.", better="low"),
}  # fmt: skip


def with_channels_compared(capture: Capture, found: Result, numbers: Sequence[int]) -> Result:
    """Add to what single channels (by their numbers) tell of one tone what they tell together."""
    levels = {r.channel: r.value / capture.scale(r.channel) for r in found.readings if r.name == "level"}
    if len(numbers) < 2 or not levels:
        return found
    strongest = max(levels, key=lambda channel: levels[channel])
    frequency = found.reading("fundamental_frequency", strongest)
    if frequency is None:
        return found
    span, _ = usable_span(capture, strongest)
    phasors: dict[int, tuple[complex, float]] = {}
    for number in numbers:
        try:
            record = capture.signal(number)[span]
            if not np.any(record != record[0]):
                continue
            fit = fit_lines(record, np.array([2 * math.pi * frequency.value / capture.rate_hz]))
        except (UtterCalmError, ValueError):
            continue
        rest = line_spectrum(fit.residual, capture.rate_hz)
        spread = math.sqrt(rest.local_density_squared(frequency.value) * capture.rate_hz / len(record))
        phasors[number] = complex(fit.phasors[0]), spread
    out = ResultBuilder()
    out.take_in(ResultBuilder(list(found.readings), list(found.traces), list(found.trust), list(found.surfaces)))
    others = {n: v for n, v in phasors.items() if n != strongest}
    if strongest in phasors and others and all(abs(v) < _ALONE * abs(phasors[strongest][0]) for v, _ in others.values()):
        _add_crosstalk(out, phasors[strongest], others)
    elif 1 in phasors:
        first, u_first = phasors[1]
        for number, (value, spread) in phasors.items():
            if number != 1 and abs(value) > 2 * spread and abs(first) > 2 * u_first:
                turn = math.remainder(math.atan2(value.imag, value.real) - math.atan2(first.imag, first.real), 2 * math.pi)
                out.add("channel_phase", number, turn, "rad", math.hypot(spread / abs(value), u_first / abs(first)) / math.sqrt(2))
    return out.build()


def _add_crosstalk(out: ResultBuilder, driven: tuple[complex, float], others: dict[int, tuple[complex, float]]) -> None:
    """Ratio of each other channel to the driven one; what noise adds to a magnitude is taken off as power (Rice)."""
    for number, (value, spread) in others.items():
        ratio, u = value / driven[0], spread / abs(driven[0])
        honest = math.sqrt(max(abs(ratio) ** 2 - u**2, 0.0))
        if honest < 2 * u:
            text = f"On channel {number} crosstalk is no more than noise: an upper bound."
            out.trust.append(Trust("crosstalk_in_noise", text, grave=False))
            out.readings.append(Reading("crosstalk", number, abs(ratio) + 2 * u, "1", 2 * u, note="at most"))
            continue
        turn = math.atan2(ratio.imag, ratio.real)
        out.readings.append(Reading("crosstalk", number, honest, "1", 2 * u / math.sqrt(2), phase_rad=turn))

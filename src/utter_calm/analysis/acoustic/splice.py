"""A response from close to the cone, joined to one from afar (Keele 1974; Struck and Temme 1994)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.curves import complex_at, fine_grid
from utter_calm.analysis.driver.air import SPEED
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

_LEAST_OCTAVES, _BELOW_LIMIT = 0.5, 1.5
_STEP_HZ_M = 115.0
_NOTCH, _FAINT = 0.5, 0.1
_WIDTHS_M = (0.05, 2.0)


class NoOverlap(ValueError):
    """The curves have less than half an octave in which both hold; carries that band in Hz."""

    def __init__(self, low_hz: float, high_hz: float) -> None:
        super().__init__("the curves do not overlap by half an octave")
        self.low_hz, self.high_hz = low_hz, high_hz


@dataclass(frozen=True, slots=True, eq=False)
class Spliced:
    """A whole response.

    Parameters
    ----------
    frequency_hz, value
        (n,) Hz, and complex at the far one's level, from the near one's lowest to the far one's highest frequency.
    gain
        Far over near, the median of the overlap.
    delay_s
        By which the far one was later; it was taken out.
    opposite
        Whether the near one was inverted to go with the far one.
    overlap_hz, splice_hz
        Where both hold and are heard, and the middle of the crossfade.
    tilt
        Ratio by which far over near changes in the overlap, as the straight line through its decibels has it; 1 where they agree.
    u_gain
        Relative standard uncertainty of ``gain``, from how the two differ in the overlap.
    share
        (n,) of the far one in ``value``, 0 to 1.
    parts
        (n,) cone and port as they add by power, over their sum as complex values, 1 or more: so much what either is off by counts.
    """

    frequency_hz: FloatArray
    value: ComplexArray
    gain: float
    delay_s: float
    opposite: bool
    overlap_hz: tuple[float, float]
    splice_hz: float
    tilt: float
    u_gain: float
    share: FloatArray
    parts: FloatArray


def near_field_to(radius_m: float) -> float:
    """Frequency in Hz up to which a response close to a piston is that from afar: ka = 1."""
    return SPEED / (2 * math.pi * radius_m)


def near_over_far(radius_m: float, distance_m: float) -> float:
    """Far over near pressure of a piston in a wall: ``a / 2 r`` (Keele 1974)."""
    return radius_m / (2 * distance_m)


def baffle_step(frequency_hz: FloatArray, width_m: float) -> ComplexArray:
    """What a baffle of this width gives to a source (n,), re that in a wall: half of it at low frequencies, all at high ones.

    ``(1 + j f / fz) / (1 + j f / 2 fz) / 2`` with ``fz = 115 / (W sqrt 2)`` Hz: half of the step in decibels at 115 / W.
    """
    turn = 1j * frequency_hz / (_STEP_HZ_M / (width_m * math.sqrt(2)))
    return np.asarray(0.5 * (1 + turn) / (1 + turn / 2))


def splice(
    near: tuple[FloatArray, ComplexArray], far: tuple[FloatArray, ComplexArray], radius_m: float,
    port: tuple[FloatArray, ComplexArray, float] | None = None, baffle_m: float | None = None,
) -> Spliced:  # fmt: skip
    """Join a near and a far response.

    Parameters
    ----------
    near, far
        Frequency (n,) and complex response (n,) of each.
    radius_m
        Of the diaphragm.
    port
        The near response of the port, and its diameter over the diaphragm's; added as complex values.
    baffle_m
        Width of the baffle, where the near response is to have its step.

    Raises
    ------
    NoOverlap
        Both hold, and are heard, in less than half an octave.
    """
    low = float(far[0][0])
    high = min(near_field_to(radius_m) / _BELOW_LIMIT, float(far[0][-1]), float(near[0][-1]))
    bottom = float(near[0][0])
    if port is not None:
        high, bottom = min(high, float(port[0][-1])), max(bottom, float(port[0][0]))
    low = max(low, bottom)
    if not high > low * 2**_LEAST_OCTAVES:
        raise NoOverlap(low, high)

    def pieces(f: FloatArray) -> list[ComplexArray]:
        cone = complex_at(f, *near)
        return [cone] if port is None else [cone, port[2] * complex_at(f, port[0], port[1])]

    def close(f: FloatArray) -> ComplexArray:
        total = np.asarray(sum(pieces(f)))
        return total * baffle_step(f, baffle_m) if baffle_m is not None else total

    low, high = _heard(fine_grid(low, high), far)
    if not high > low * 2**_LEAST_OCTAVES:
        raise NoOverlap(low, high)
    inside = fine_grid(low, high)
    ratio = complex_at(inside, *far) / close(inside)
    gain = float(np.median(np.abs(ratio)))
    turns = np.polyfit(inside, np.unwrap(np.angle(ratio)), 1)
    delay = -float(turns[0]) / (2 * math.pi)
    opposite = bool(np.mean(ratio / np.abs(ratio) * np.exp(2j * np.pi * inside * delay)).real < 0)
    octaves, level = np.log2(inside), np.log(np.abs(ratio))
    line = np.polyfit(octaves, level, 1)
    tilt = math.exp(abs(float(line[0])) * float(octaves[-1] - octaves[0]))

    middle = math.sqrt(low * high)
    grid = fine_grid(bottom, float(far[0][-1]))
    width = min(1.0, math.log2(high / low))
    share = np.clip(np.log2(grid / middle) / width + 0.5, 0, 1)
    weight = 0.5 - 0.5 * np.cos(np.pi * share)
    value = np.zeros(len(grid), dtype=complex)
    below, above = weight < 1, weight > 0
    sign = -1.0 if opposite else 1.0
    value[below] += (1 - weight[below]) * close(grid[below]) * gain * sign
    value[above] += weight[above] * complex_at(grid[above], *far) * np.exp(2j * np.pi * grid[above] * delay)
    both, each = np.abs(sum(pieces(grid))), np.sqrt(sum(np.abs(one) ** 2 for one in pieces(grid)))
    parts = np.maximum(each / np.maximum(both, 1e-3 * each), 1.0)
    return Spliced(grid, value, gain, delay, opposite, (low, high), middle, tilt, float(np.std(level)), weight, parts)


def _heard(inside: FloatArray, far: tuple[FloatArray, ComplexArray]) -> tuple[float, float]:
    """Ends in Hz of what is at most 20 dB below the loudest: fainter ends are noise, and what cone and port leave of each other."""
    level = np.abs(complex_at(inside, *far))
    loud = np.flatnonzero(level > _FAINT * np.max(level))
    return float(inside[loud[0]]), float(inside[loud[-1]])


def fitted_baffle(
    near: tuple[FloatArray, ComplexArray], far: tuple[FloatArray, ComplexArray], radius_m: float,
    port: tuple[FloatArray, ComplexArray, float] | None = None,
) -> float:  # fmt: skip
    """Width in m of the baffle whose step makes near and far differ least in the overlap; parameters, errors as :func:`splice`."""
    from scipy.optimize import minimize_scalar  # noqa: PLC0415 - costly, and seldom needed

    def apart(log_width: float) -> float:
        return splice(near, far, radius_m, port, math.exp(log_width)).u_gain

    tried = np.log(np.geomspace(*_WIDTHS_M, 12))
    best = int(np.argmin([apart(w) for w in tried.tolist()]))
    ends = float(tried[max(0, best - 1)]), float(tried[min(len(tried) - 1, best + 1)])
    return math.exp(float(minimize_scalar(apart, bounds=ends, method="bounded", options={"xatol": 1e-3}).x))


def notch_of(near: tuple[FloatArray, ComplexArray], below_hz: float, noise: FloatArray | None = None) -> float | None:
    """Frequency at which the sound close to a cone has a notch, 6 dB or deeper within an octave to both sides; None for none.

    A vented box has it where the port is tuned: there the air in the port moves in the cone's place (Small 1973). A closed one
    falls steadily. ``noise`` (n,) is what the values of ``near`` may be off by: dips that it may have made are none.
    """
    grid = fine_grid(float(near[0][0]), min(below_hz, float(near[0][-1])))
    level = np.abs(complex_at(grid, *near))
    off = np.zeros(len(grid)) if noise is None else np.interp(grid, near[0], noise)
    best, at = _NOTCH, None
    for k in range(1, len(grid) - 1):
        if level[k] > min(level[k - 1], level[k + 1]):
            continue
        low, high = np.searchsorted(grid, (grid[k] / 2, grid[k] * 2))
        beside = min(float(side.max()) for side in ((level - off)[low:k], (level - off)[k + 1 : high + 1]))
        deep = (level[k] + off[k]) / beside if beside > 0 else math.inf
        if deep < best:
            best, at = deep, float(grid[k])
    return at


def without_port_from(notch_hz: float) -> float:
    """Frequency in Hz from which a vented box's cone alone is the whole within 0.6 dB, ``notch_hz`` being where its port is tuned.

    What the port adds to the cone's volume velocity is ``1 / ((f / fb)^2 - 1)`` of it (Small 1973): a fifteenth two octaves above.
    """
    return 4 * notch_hz

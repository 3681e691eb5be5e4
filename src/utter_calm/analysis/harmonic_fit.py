"""Joint least-squares fit of a tone and its harmonics, frequency included, on the raw record.

The model is ``x(t) = d + sum_k Re[c_k exp(j k w t)]``, t counted from the middle of the record. What is left after the fit
is orthogonal to every fitted column: no window, no skirts, no lost bins, any record length. The frequency is found by
Gauss-Newton steps, as in the four-parameter sine fit of IEEE 1057 and IEEE 1241, with the harmonics fitted along so that
they cannot pull it.

All sums over the record run in blocks: with ``t = t_a + b`` the exponential splits into a product, so the sums become
matrix products with one small table of sines. That keeps the cost near that of one Fourier transform.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.blocks import BLOCK, Blocks, ComplexArray, time_sums
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum

_LEAST_PIVOT = 1e-3
"""Least pivot of a scaled matrix of which nothing is lost in rounding but six of sixteen digits."""
CLEAR_CYCLES = 2.0
"""How far below half the rate a line must lie to be fitted, in cycles over the record."""
_MOST_STEPS = 12


class Unsettled(ValueError):
    """The search for the frequency does not come to rest: there is no tone, or it moves."""


@dataclass(frozen=True, slots=True, eq=False)
class HarmonicFit:
    """A tone with harmonics, as fitted.

    Parameters
    ----------
    omega
        Fundamental in rad per sample.
    dc
        Constant, in the unit of the record.
    orders
        (k,) orders that were fitted; the first is 1.
    phasors
        (k,) complex peak amplitudes about the middle of the record: ``Re[c exp(j order omega t)]``.
    residual
        (n,) record minus model.
    segment_phasors
        (s,) the fundamental's phasor in s equal parts of the record, to see whether it holds still.
    parameters
        Number of fitted parameters.
    departure
        (n,) rad by which the fundamental's phase is ahead of an even rotation, where it was followed; ``omega`` is then the mean.
    """

    omega: float
    dc: float
    orders: npt.NDArray[np.int64]
    phasors: ComplexArray
    residual: FloatArray
    segment_phasors: ComplexArray
    parameters: int
    departure: FloatArray | None = None

    def first_orders(self, count: int) -> FloatArray:
        """The first orders together, as they run through the record (n,)."""
        frames = len(self.residual)
        phase = self.omega * (np.arange(frames) - (frames - 1) / 2)
        if self.departure is not None:
            phase = phase + self.departure
        turn = np.exp(1j * phase)
        total = self.phasors[min(count, len(self.phasors)) - 1] * turn
        for phasor in self.phasors[: min(count, len(self.phasors)) - 1][::-1]:
            total = (total + phasor) * turn
        return np.asarray(total.real)


def peak_frequency(spectrum: LineSpectrum, low_hz: float, high_hz: float) -> float:
    """Frequency in Hz of the highest line between two frequencies, by a parabola through the logarithms of three lines.

    Raises
    ------
    ValueError
        No line lies in the range, or all of them are zero.
    """
    first = max(2, int(np.ceil(low_hz / spectrum.bin_hz)))
    last = min(len(spectrum.line_rms) - 2, int(np.floor(high_hz / spectrum.bin_hz)))
    if last < first or not np.any(spectrum.line_rms[first : last + 1] > 0):
        raise ValueError(f"nothing to find between {low_hz:g} and {high_hz:g} Hz")
    peak = first + int(np.argmax(spectrum.line_rms[first : last + 1]))
    left, middle, right = np.log(np.maximum(spectrum.line_rms[peak - 1 : peak + 2], 1e-300))
    bend = left - 2 * middle + right
    shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return float((peak + np.clip(shift, -0.5, 0.5)) * spectrum.bin_hz)


def orders_clear_of_half_rate(omega: float, frames: int, highest: int) -> int:
    """Highest order that can be fitted to so many samples of a tone at ``omega`` (rad per sample).

    On half the rate the samples of a sine and of a cosine are the same: amplitude and phase cannot be told apart, and within
    some cycles over the record not well. Such a line is left in what remains.
    """
    return max(1, min(highest, math.floor((np.pi - 2 * np.pi * CLEAR_CYCLES / frames) / omega)))


def _table(omega: float, orders: npt.NDArray[np.int64]) -> FloatArray:
    """Give cos and sin of every order, then the fundamental's times b, then ones: (BLOCK, 2k + 3)."""
    inside = np.arange(BLOCK, dtype=float)
    # orders follow each other: each is the one before, turned once more, and a product is cheaper than an exponential
    turn = np.exp(1j * omega * inside)
    powers = np.empty((len(orders), BLOCK), dtype=complex)
    powers[0] = turn
    for index in range(1, len(orders)):
        np.multiply(powers[index - 1], turn, out=powers[index])
    cosine, sine = powers.real.T, powers.imag.T
    return np.hstack([cosine, sine, inside[:, None] * cosine[:, :1], inside[:, None] * sine[:, :1], np.ones((BLOCK, 1))])


def fit_harmonics(record: FloatArray, omega: float, highest_order: int, *, segments: int = 8) -> HarmonicFit:
    """Fit a tone near ``omega`` and its harmonics up to an order, as far as they lie clear of half the rate.

    Parameters
    ----------
    record
        (n,) samples, any unit.
    omega
        Start value in rad per sample, within half a cycle over the record.
    highest_order
        2 or more takes harmonics along; 1 fits the tone alone.
    segments
        In how many parts the fundamental is looked at for steadiness.

    Raises
    ------
    Unsettled
        The frequency does not come to rest.
    ValueError
        The record is shorter than 1.5 periods of the tone or than the number of parameters, or the tone lies on half the rate.
    """
    frames = len(record)
    if omega * frames < 2 * np.pi * 1.5 or frames < 4 * highest_order:
        raise ValueError(f"{frames} samples hold less than one and a half periods of the tone")
    blocks = Blocks(record)
    if (np.pi - omega) * frames < 2 * np.pi * CLEAR_CYCLES:
        raise ValueError("the tone lies on half the sample rate")
    orders = np.arange(1, orders_clear_of_half_rate(omega, frames, highest_order) + 1)
    for _ in range(_MOST_STEPS):
        solution = _solve(blocks, omega, orders)
        step = solution.step
        if not np.isfinite(step) or abs(step) * frames > 2 * np.pi:
            raise Unsettled("the tone's frequency does not settle")
        # a cycle error of 1e-10 over the record leaves nothing that 24 bits could show; rounding stops it near 1e-12
        if abs(step) * frames < 1e-10:
            break
        omega += step
    else:
        solution = _solve(blocks, omega, orders)
    count = len(orders)
    residual = _residual(blocks, omega, orders, solution)
    return HarmonicFit(
        omega=omega,
        dc=solution.dc,
        orders=orders,
        phasors=solution.phasors,
        residual=residual,
        segment_phasors=_segments(residual, complex(solution.phasors[0]), omega, segments),
        parameters=2 * count + 2,
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Solution:
    phasors: ComplexArray
    dc: float
    step: float


def _solve(blocks: Blocks, omega: float, orders: npt.NDArray[np.int64]) -> _Solution:
    """One Gauss-Newton step: all amplitudes at this frequency, and how far the frequency is off."""
    k = len(orders)
    sums = blocks.times(_table(omega, orders))
    turn = np.exp(-1j * np.outer(blocks.start, orders * omega))
    projection = (turn * (sums[:, :k] - 1j * sums[:, k : 2 * k])).sum(axis=0)
    slope = sums[:, 2 * k] - 1j * sums[:, 2 * k + 1]
    weighted = complex((turn[:, 0] * (blocks.start * (sums[:, 0] - 1j * sums[:, k]) + slope)).sum())
    total = float(sums[:, -1].sum())

    low = np.arange(2 * int(orders[-1]) + 1, dtype=np.float64)
    flat, ramp, square = time_sums(low * omega, blocks.frames)
    difference, together = np.abs(orders[:, None] - orders[None, :]), orders[:, None] + orders[None, :]
    cos_cos = 0.5 * (flat[difference] + flat[together])
    sin_sin = 0.5 * (flat[difference] - flat[together])
    one_cos = flat[orders]
    # columns: cos (k), sin (k), 1, t cos, t sin; symmetric times make cos against sin vanish
    size = 2 * k + 3
    gram = np.zeros((size, size))
    gram[:k, :k], gram[k : 2 * k, k : 2 * k] = cos_cos, sin_sin
    gram[:k, 2 * k] = gram[2 * k, :k] = one_cos
    gram[2 * k, 2 * k] = blocks.frames
    sign = np.sign(orders - 1)
    # t cos(w t) is odd: it meets the sines; t sin(w t) is even: it meets the cosines and the constant
    odd = 0.5 * (ramp[orders + 1] + sign * ramp[np.abs(orders - 1)])
    even = 0.5 * (ramp[orders + 1] - sign * ramp[np.abs(orders - 1)])
    gram[k : 2 * k, 2 * k + 1] = gram[2 * k + 1, k : 2 * k] = odd
    gram[:k, 2 * k + 2] = gram[2 * k + 2, :k] = even
    gram[2 * k, 2 * k + 2] = gram[2 * k + 2, 2 * k] = ramp[1]
    gram[2 * k + 1, 2 * k + 1] = 0.5 * (square[0] + square[2])
    gram[2 * k + 2, 2 * k + 2] = 0.5 * (square[0] - square[2])
    right = np.concatenate([projection.real, -projection.imag, [total, weighted.real, -weighted.imag]])

    free = _scaled_solve(gram[: 2 * k + 1, : 2 * k + 1], right[: 2 * k + 1])
    phasors = free[:k] - 1j * free[k : 2 * k]
    # the derivative of Re[c exp(j w t)] with respect to w is t (-Re c sin - Im c cos): one column made of two
    mix = np.zeros((size, 2 * k + 2))
    mix[: 2 * k + 1, : 2 * k + 1] = np.eye(2 * k + 1)
    mix[2 * k + 1, -1], mix[2 * k + 2, -1] = -phasors[0].imag, -phasors[0].real
    step = _scaled_solve(mix.T @ gram @ mix, mix.T @ right)[-1]
    return _Solution(phasors, float(free[2 * k]), float(step))


def _scaled_solve(matrix: FloatArray, right: FloatArray) -> FloatArray:
    scale = 1 / np.sqrt(np.maximum(np.diag(matrix), 1e-300))
    scaled = matrix * scale * scale[:, None]
    try:
        # by far most are well conditioned, which the pivots tell; ten times as quick as by singular values
        if float(np.min(np.diag(np.linalg.cholesky(scaled)))) > _LEAST_PIVOT:
            return np.asarray(scale * np.linalg.solve(scaled, right * scale))
    except np.linalg.LinAlgError:
        pass  # not positive in rounding: as good as singular
    return np.asarray(scale * np.linalg.lstsq(scaled, right * scale, rcond=1e-13)[0])


def _residual(blocks: Blocks, omega: float, orders: npt.NDArray[np.int64], solution: _Solution) -> FloatArray:
    """Record minus model, block by block: rotate the phasors to each block, then one matrix product."""
    k = len(orders)
    turned = solution.phasors * np.exp(1j * np.outer(blocks.start, orders * omega))
    weights = np.hstack([turned.real, -turned.imag])
    table = _table(omega, orders)[:, : 2 * k]
    out = np.empty(blocks.frames)
    whole = blocks.full * BLOCK
    rows = out[:whole].reshape(blocks.full, BLOCK)
    np.matmul(weights[: blocks.full], table.T, out=rows)
    np.subtract(blocks.rows, rows, out=rows)
    rows -= solution.dc
    if blocks.count > blocks.full:
        out[whole:] = blocks.rest - table[: len(blocks.rest)] @ weights[-1] - solution.dc
    return out


def _segments(residual: FloatArray, fundamental: complex, omega: float, count: int) -> ComplexArray:
    """Phasor of the fundamental in so many equal parts, of whole blocks; empty for a record too short to be parted.

    Read from the residual, to which DC and the steady harmonics no longer add anything.
    """
    blocks = Blocks(residual)
    if blocks.full < count:
        return np.empty(0, dtype=complex)
    table = _table(omega, np.array([1]))
    sums = blocks.times(table[:, :2])[: blocks.full]
    left = np.exp(-1j * omega * blocks.start[: blocks.full]) * (sums[:, 0] - 1j * sums[:, 1])
    return np.array([fundamental + 2 * part.mean() / BLOCK for part in np.array_split(left, count)])

"""Joint least-squares fit of any set of lines: multitone, two-tone, crosstalk, the series of a square wave.

As in :mod:`harmonic_fit` the raw record is fitted without a window, and what is left is orthogonal to every line. Times
count from the middle of the record, so cosines and sines part into two systems whose matrices are known in closed form.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.blocks import BLOCK, Blocks, ComplexArray, time_sums
from utter_calm.analysis.spectrum import FloatArray

_MOST_STEPS = 20
_FIRST_TURN = 8_000.0


@dataclass(frozen=True, slots=True, eq=False)
class LineFit:
    """Lines as fitted.

    Parameters
    ----------
    omega
        (k,) rad per sample.
    phasors
        (k,) complex peak amplitudes about the middle of the record: ``Re[c exp(j omega t)]``.
    dc
        Constant.
    residual
        (n,) record minus model.
    skew
        Relative deviation of all frequencies together from those that were given.
    """

    omega: FloatArray
    phasors: ComplexArray
    dc: float
    residual: FloatArray
    skew: float


def fit_lines(
    record: FloatArray, omega: FloatArray, *, find_skew: bool = False, refine: bool = False, closest: float = 0.9
) -> LineFit:
    """Fit lines at (k,) frequencies in rad per sample.

    Parameters
    ----------
    find_skew
        Let all frequencies stretch by one common factor: a recorder whose clock is not the player's.
    refine
        Let each frequency move by itself.
    closest
        By how many cycles over the record lines have to differ.

    Raises
    ------
    ValueError
        Lines closer than that, or more unknowns than samples.
    """
    start = np.asarray(omega, dtype=np.float64)
    frames = len(record)
    if 2 * len(start) + 1 > frames:
        raise ValueError(f"{frames} samples are too few for {len(start)} lines")
    if len(start) > 1 and np.min(np.diff(np.sort(start))) * frames < 2 * np.pi * closest:
        raise ValueError("lines lie closer than a cycle over the record")
    blocks = Blocks(record)
    now = start.copy()
    # a skew turns high lines the most: low ones, which it cannot turn by more than a radian or so, come first
    reach = max(_FIRST_TURN / frames, float(start.min()) * 1.001)
    settled = True
    for _ in range(_MOST_STEPS if find_skew or refine else 0):
        phasors, _dc, slope = _solve(blocks, now)
        power = np.maximum(np.abs(phasors) ** 2, 1e-300)
        # the residual against t times the line's derivative; t^2 sums to n^3 / 12
        step = slope / (power * frames**3 / 24)
        if find_skew:
            weight = power * start**2 * (start <= reach)
            settled = reach >= start.max()
            reach *= 3
            step = start * float(np.sum(weight * step / start) / np.sum(weight))
        now = now + (step if find_skew else np.clip(step, -1.5 / frames, 1.5 / frames))
        if np.max(np.abs(step)) * frames < 1e-9 and (settled or not find_skew):
            break
    phasors, dc, _ = _solve(blocks, now)
    weight = np.abs(phasors) ** 2 * start**2
    skew = float(np.sum(weight * (now / start - 1)) / max(float(np.sum(weight)), 1e-300))
    return LineFit(now, phasors, dc, _residual(blocks, now, phasors, dc), skew)


def _solve(blocks: Blocks, omega: FloatArray) -> tuple[ComplexArray, float, FloatArray]:
    """Phasors, constant, and for each line how the residual leans on its derivative with respect to frequency."""
    k, frames = len(omega), blocks.frames
    inside = np.arange(BLOCK, dtype=np.float64)
    angle = np.outer(inside, omega)
    cosine, sine = np.cos(angle), np.sin(angle)
    sums = blocks.times(np.hstack([cosine, sine, inside[:, None] * cosine, inside[:, None] * sine, np.ones((BLOCK, 1))]))
    turn = np.exp(-1j * np.outer(blocks.start, omega))
    plain = sums[:, :k] - 1j * sums[:, k : 2 * k]
    ramped = sums[:, 2 * k : 3 * k] - 1j * sums[:, 3 * k : 4 * k]
    flat = (turn * plain).sum(axis=0)
    sloped = (turn * (blocks.start[:, None] * plain + ramped)).sum(axis=0)
    difference = time_sums(omega[:, None] - omega[None, :], frames)[0]
    together = time_sums(omega[:, None] + omega[None, :], frames)[0]
    even = np.empty((k + 1, k + 1))
    even[:k, :k] = (difference + together) / 2
    even[k, :k] = even[:k, k] = time_sums(omega, frames)[0]
    even[k, k] = frames
    cosines = np.linalg.solve(even, np.append(flat.real, sums[:, -1].sum()))
    sines = np.linalg.solve((difference - together) / 2, -flat.imag)
    phasors = cosines[:k] - 1j * sines
    dc = float(cosines[k])
    lean = sloped - _model_slope(omega, phasors, dc, frames)
    # d/dw Re[c e^(jwt)] = t (-Re c sin - Im c cos)
    return phasors, dc, np.asarray(phasors.real * lean.imag - phasors.imag * lean.real)


def _model_slope(omega: FloatArray, phasors: ComplexArray, dc: float, frames: int) -> ComplexArray:
    """Sum of t exp(-jwt) times the model itself."""
    minus = time_sums(omega[:, None] - omega[None, :], frames)[1]
    plus = time_sums(omega[:, None] + omega[None, :], frames)[1]
    a, b = phasors.real, -phasors.imag  # a cos + b sin
    real = ((plus - minus) @ b) / 2  # t cos(w_i t) b_j sin(w_j t)
    imag = -((plus + minus) @ a) / 2 - dc * time_sums(omega, frames)[1]
    return np.asarray(real + 1j * imag)


def _residual(blocks: Blocks, omega: FloatArray, phasors: ComplexArray, dc: float) -> FloatArray:
    turned = phasors * np.exp(1j * np.outer(blocks.start, omega))
    angle = np.outer(np.arange(BLOCK, dtype=np.float64), omega)
    table = np.hstack([np.cos(angle), np.sin(angle)]).T
    model = np.hstack([turned.real, -turned.imag]) @ table
    out = np.empty(blocks.frames)
    whole = blocks.full * BLOCK
    out[:whole] = (blocks.rows - model[: blocks.full]).ravel()
    out[whole:] = blocks.rest - model[-1, : len(blocks.rest)] if blocks.count > blocks.full else out[whole:]
    return out - dc

"""Both marks of a file are alike: where they are heard unlike, something regulated, coded or moved meanwhile."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.acoustic.marks import Found
from utter_calm.measure.aligned import cut
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.pack import Pack
from utter_calm.measure.result import Trust
from utter_calm.signals.header import LEAD_S, MARK_HZ, MARK_S

_MOVED_DB = 0.3
_EDGE, _OVER_NOISE, _LEAST = 1.1, 8.0, 1e-3
_MARGIN_S, _FADE = 0.02, 0.05


def said_of_marks(recorded: FloatArray, pack: Pack, where: Found) -> list[Trust]:
    """Hold the two marks in a recording (n,) at the pack's rate against each other, level and shape.

    Linear gear that stands still does the same to both, so that they differ by noise only. A coder that leaves out what is masked,
    a noise reduction, a codec of speech do not.
    """
    if where.skew is None:
        return []
    if where.course is not None:  # what wandered is no coder's work
        recorded = cut(recorded[:, None], where, 0, pack.last + round((MARK_S + 2 * _MARGIN_S) * pack.rate_hz), pack.rate_hz)[:, 0]
        where = Found(0.0, 0.0, 0.0)
    heard = [_piece(recorded, where.start + at / (1 + (where.skew or 0.0)), pack.rate_hz) for at in (pack.first, pack.last)]
    if any(piece is None for piece in heard):
        return []
    one, other = (np.asarray(piece) for piece in heard)
    powers = [float(np.sum(np.abs(piece) ** 2)) for piece in (one, other)]
    if min(powers) <= 0:
        return []
    moved = 10 * math.log10(powers[1] / powers[0])
    out = []
    if abs(moved) >= _MOVED_DB:
        text = f"The last mark is {moved:+.1f} dB against the first: a gain control or a volume moved meanwhile."
        out.append(Trust("gain_moved", text.replace("-", "\N{MINUS SIGN}")))
    ratio = complex(np.vdot(one, other)) / powers[0]
    left = float(np.sum(np.abs(other - ratio * one) ** 2))
    still = _still(recorded, pack, where, len(one))
    if left > _LEAST**2 * powers[1] and still is not None and left > _OVER_NOISE * 2 * still:
        apart = 10 * math.log10(left / powers[1])
        text = (f"The two marks differ by {apart:.0f} dB, far beyond the noise: it was coded with losses, cleaned of noise, or "
                "something moved; distortion and noise are not the unit's.")  # fmt: skip
        out.append(Trust("marks_unlike", text.replace("-", "\N{MINUS SIGN}")))
    return out


def _piece(recorded: FloatArray, at: float, rate_hz: int) -> np.ndarray | None:
    """Spectrum in the band of a mark of the stretch that begins at a place between samples; None where that is not recorded."""
    margin = round(_MARGIN_S * rate_hz)
    size, first = round(MARK_S * rate_hz) + 2 * margin, math.floor(at) - margin
    if first < 0 or first + size > len(recorded):
        return None
    lines = np.fft.rfft(recorded[first : first + size] * _shape(size))
    frequency = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = (frequency > MARK_HZ[0] / _EDGE) & (frequency < MARK_HZ[1] * _EDGE)
    turn = np.exp(2j * np.pi * frequency / rate_hz * (at - math.floor(at)))
    return np.asarray((lines * turn)[inside])


def _shape(size: int) -> FloatArray:
    edge = round(_FADE * size)
    out = np.ones(size)
    out[:edge] = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / edge)
    out[size - edge :] = out[:edge][::-1]
    return out


def _still(recorded: FloatArray, pack: Pack, where: Found, lines: int) -> float | None:
    """Power of the noise in as many lines, by the silence before the first mark; None where there is none."""
    size = round(0.8 * LEAD_S * pack.rate_hz)
    end = math.floor(where.start + pack.first / (1 + (where.skew or 0.0))) - round(0.02 * pack.rate_hz)
    if end - size < 0:
        return None
    quiet = np.fft.rfft(recorded[end - size : end] * np.hanning(size))
    frequency = np.fft.rfftfreq(size, 1 / pack.rate_hz)
    inside = (frequency > MARK_HZ[0] / _EDGE) & (frequency < MARK_HZ[1] * _EDGE)
    whole = round(MARK_S * pack.rate_hz)
    # of a Hann window three eighths of the power is left
    return float(np.mean(np.abs(quiet[inside]) ** 2)) / (0.375 * size) * whole * lines

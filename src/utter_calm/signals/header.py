"""A stimulus that is found again in any recording: a mark before and after the sweep, which telephones let through as well."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.signals.ramp import FloatArray, with_ramps
from utter_calm.signals.sweep import Sweep

MARK_HZ, MARK_S = (450.0, 3200.0), 0.6
LEAD_S, GAP_S, TAIL_S, END_S = 0.2, 0.4, 1.0, 0.3
_RAMP_S, _FADE_IN_PERIODS, _FADE_OUT_S = 0.02, 2.0, 0.005


def mark(rate_hz: float, amplitude: float = 1.0) -> FloatArray:
    """(n,) a chirp that rises evenly through the band of a telephone: its place is sharp, and speech does not do that."""
    t = np.arange(round(MARK_S * rate_hz)) / rate_hz
    low, high = MARK_HZ
    turns = low * t + (high - low) / (2 * MARK_S) * t**2
    ramp = round(_RAMP_S * rate_hz)
    return with_ramps(amplitude * np.sin(2 * np.pi * turns), ramp, ramp)


@dataclass(frozen=True, slots=True, eq=False)
class MarkedSweep:
    """Samples (n,) and where in them what begins, in samples: the first mark, the sweep, the last mark."""

    samples: FloatArray
    first: int
    sweep: int
    last: int


def marked_sweep(sweep: Sweep, rate_hz: float) -> MarkedSweep:
    """Make a stimulus: silence, mark, silence, sweep, silence, mark, silence.

    Raises
    ------
    ValueError
        The sweep does not fit below half the rate.
    """
    fade_in = min(_FADE_IN_PERIODS / sweep.start_hz, 0.1 * sweep.duration_s)
    body = sweep.samples(rate_hz, fade_in_s=fade_in, fade_out_s=min(_FADE_OUT_S, 0.05 * sweep.duration_s))
    samples, first, begins, last = marked(body[:, None], rate_hz, sweep.amplitude)
    return MarkedSweep(samples[:, 0], first, begins, last)


def marked(body: FloatArray, rate_hz: float, amplitude: float) -> tuple[FloatArray, int, int, int]:
    """Put a mark before and after samples (n, channels), on every channel; give all, and where mark, samples, mark begin."""
    sign = np.repeat(mark(rate_hz, amplitude)[:, None], body.shape[1], axis=1)
    lead, gap, tail, end = (np.zeros((round(s * rate_hz), body.shape[1])) for s in (LEAD_S, GAP_S, TAIL_S, END_S))
    pieces = [lead, sign, gap, body, tail, sign, end]
    at = np.concatenate([[0], np.cumsum([len(p) for p in pieces])])
    return np.concatenate(pieces), int(at[1]), int(at[3]), int(at[5])

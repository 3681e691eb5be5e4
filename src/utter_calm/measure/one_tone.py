"""One tone out of a record that may drop out and click."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.analysis.impulses import bridged, find_impulses
from utter_calm.analysis.silent_parts import missing_parts
from utter_calm.analysis.tone_fit import ToneFit, fit_tone
from utter_calm.analysis.tone_gaps import whole_stretch
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.result import Trust
from utter_calm.measure.usable import clicks, dropout

_WORTH = 0.05
_MOST_ROUNDS, _SETTLED = 6, 1e-6


def tone_of(
    record: FloatArray, rate_hz: float, channel: int, *, near_hz: float | None = None, begins: int = 0
) -> tuple[ToneFit, FloatArray, list[Trust]]:
    """Fit a tone to the longest stretch in which it does not drop out.

    Parameters
    ----------
    record
        (n,) samples; ``begins`` says which sample of the recording the first is.
    near_hz
        As in :func:`utter_calm.analysis.tone_fit.fit_tone`, whose errors are raised.

    Returns
    -------
    tuple
        The tone, the stretch it was fitted to, its clicks bridged, and what is to be said of the rest.
    """
    tone = fit_tone(record, rate_hz, near_hz=near_hz)
    trust = []
    gaps = missing_parts(record, tone.fit.residual, tone.fit.omega, rate_hz)
    if gaps:
        kept = whole_stretch(len(record), gaps)
        cut = kept.stop - kept.start > _WORTH * len(record)
        lost = all(gap.lost for gap in gaps)
        spans = [((begins + gap.start) / rate_hz, gap.length / rate_hz) for gap in gaps]
        what = "lacks samples (besides whole periods of the tone)" if lost else "loses the tone"
        trust.append(dropout(channel, spans, what, cut=cut))
        if cut:
            record, begins = record[kept], begins + kept.start
            tone = fit_tone(record, rate_hz, near_hz=near_hz or tone.frequency_hz)
    tone, record, runs = _without_clicks(tone, record, rate_hz)
    if runs:
        trust.append(clicks(channel, [(begins + a, begins + b) for a, b in runs], rate_hz, ": bridged, nothing counts them."))
    return tone, record, trust


def _without_clicks(tone: ToneFit, record: FloatArray, rate_hz: float) -> tuple[ToneFit, FloatArray, tuple[tuple[int, int], ...]]:
    """Bridge clicks by the tone that was fitted, and fit again, until that settles; the peak stays that of the record."""
    runs: tuple[tuple[int, int], ...] = ()
    peak, mended = tone.peak, record
    for _ in range(_MOST_ROUNDS):
        found = find_impulses(record - mended + tone.fit.residual, rate_hz)
        again = bridged(record, record - mended + tone.fit.residual, found, rate_hz)
        if np.max(np.abs(again - mended)) <= _SETTLED * peak:
            break
        runs, mended = found, again
        tone = fit_tone(mended, rate_hz, near_hz=tone.frequency_hz)
    return replace(tone, peak=peak), mended, runs

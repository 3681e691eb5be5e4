"""One tone out of a record that may drop out and click."""

from __future__ import annotations

from utter_calm.analysis.impulses import find_impulses
from utter_calm.analysis.tone_fit import ToneFit, fit_tone
from utter_calm.analysis.tone_gaps import find_gaps, whole_stretch
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.result import Trust
from utter_calm.measure.usable import clicks, dropout

_WORTH = 0.05


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
        The tone, the stretch it was fitted to, and what is to be said of the rest.
    """
    tone = fit_tone(record, rate_hz, near_hz=near_hz)
    trust = []
    gaps = find_gaps(record, tone.fit.omega, rate_hz)
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
    found = find_impulses(tone.fit.residual, rate_hz)
    if found:
        runs = [(begins + start, begins + stop) for start, stop in found]
        trust.append(clicks(channel, runs, rate_hz, ": they count in THD+N and noise."))
    return tone, record, trust

"""The recording of a sweep made whole before it is read: without hum, clicks and gaps; where it is out of step that is told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve
from utter_calm.analysis.excitation import Excitation
from utter_calm.analysis.impulses import bridged, find_impulses
from utter_calm.analysis.record import what_is_there
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_doubt import comes_before, earlier_s
from utter_calm.analysis.sweep_faults import SweepFaults, find_clicks, is_heard
from utter_calm.analysis.sweep_gaps import with_gaps_filled
from utter_calm.analysis.sweep_hum import Hum, without_hum
from utter_calm.analysis.sweep_places import displaced, likely, places_in
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.errors import NoSignal
from utter_calm.signals.ramp import raised_cosine
from utter_calm.signals.sweep import Sweep

_MOST_ROUNDS = 8
_AT_EDGE_S = 3e-3
_CUT_EDGE_S, _CUT_FADE_S = 5e-3, 0.03
_SETTLED = 1e-5
_SHARPER, _MUCH_SHARPER, _MORE_BEFORE = 1.005, 1.05, 2.0


@dataclass(frozen=True, slots=True, eq=False)
class Mended:
    """A recording made whole.

    Parameters
    ----------
    found
        Its deconvolution.
    faults
        What was wrong with it.
    moved
        (bins,) by how much the gain still moved where gaps were filled in; None without any.
    filled
        (n,) the recording, without hum and with its gaps filled.
    hum
        What was taken off; None without any.
    """

    found: Deconvolved
    faults: SweepFaults
    moved: FloatArray | None
    filled: FloatArray
    hum: Hum | None


def deconvolve_mended(response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None) -> Mended:
    """Deconvolve a recording (m,) of a stimulus (k,): hum is taken off, what is missing filled in, and clicks are bridged.

    Raises
    ------
    NoSignal
        The sweep is not in it.
    ValueError
        The stimulus holds no sweep.
    """
    found = deconvolve(response, stimulus, sweep, rate_hz, known)
    if not is_heard(response, found.unexplained, (found.low_hz, found.high_hz), rate_hz):
        raise NoSignal(
            f"The sweep is not in the recording: it {what_is_there(response)}.", hint="Check that the input is plugged in."
        )
    cut = heard_to(response, found, sweep, rate_hz) < sweep.stop_hz
    if cut:
        response, stimulus = _both_faded(response, stimulus, round(found.delay_s * rate_hz), int(_CUT_FADE_S * rate_hz))
        found = deconvolve(response, stimulus, sweep, rate_hz)
    response, found, hum = without_hum(response, found, stimulus, sweep, rate_hz, None if cut else known)
    places = places_in(response, found, stimulus, sweep, rate_hz)
    lost, repeated = (
        tuple(
            gap
            for gap in likely(displaced(places, found, late=late), response, found, sweep, rate_hz)
            if _sharper(_put_right(response, gap, late=late), found, stimulus, sweep)
        )
        for late in (False, True)
    )
    made = with_gaps_filled(response, found, stimulus, sweep, rate_hz)
    response, found, clicks = made.filled, made.complete, made.clicks
    unexplained, mended = found.unexplained, response
    if clicks is None:
        clicks = find_clicks(unexplained, found.leaps, sweep, found.delay_s, rate_hz)
    # each round sees the clicks more sharply
    for _ in range(_MOST_ROUNDS if clicks else 0):
        again = bridged(response, unexplained, clicks, rate_hz)
        if np.max(np.abs(again - mended)) < _SETTLED * np.max(np.abs(response)):
            break
        mended = again
        found = deconvolve(mended, stimulus, sweep, rate_hz, known)
        unexplained = response - (mended - found.unexplained)
        clicks = find_clicks(unexplained, find_impulses(unexplained, rate_hz), sweep, found.delay_s, rate_hz)
    reach = _AT_EDGE_S * rate_hz
    faults = SweepFaults(clicks, made.gaps, lost, repeated).without_ends(reach)
    return Mended(found, faults, made.moved, made.filled, hum)


def _put_right(response: FloatArray, gap: Gap, *, late: bool) -> FloatArray:
    """A recording with as many samples put in as are missing, or taken out as are too much, so that it is in step again."""
    if late:
        return np.delete(response, slice(gap.start, gap.start + gap.length))
    return np.insert(response, gap.start, np.zeros(gap.length))


def _sharper(recording: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep) -> bool:
    """Whether the sound arrives more sharply than in ``found``: of what is in step all frequencies arrive together.

    Where reflections are loud pieces of a recording seem out of step as well, but putting them right takes the sound apart, or
    makes something come before it.
    """
    other = deconvolve(recording, stimulus, sweep, found.rate_hz)
    sharper = np.max(np.abs(other.impulse)) / np.max(np.abs(found.impulse))
    return bool(
        sharper > _MUCH_SHARPER or (sharper > _SHARPER and comes_before(other, sweep) < _MORE_BEFORE * comes_before(found, sweep))
    )


def heard_to(response: FloatArray, found: Deconvolved, sweep: Sweep, rate_hz: float) -> float:
    """The frequency that the sweep had reached when the recording ended; infinite where it ended after the sweep."""
    passed = len(response) / rate_hz - (found.delay_s - earlier_s(found, sweep)) - sweep.onset_s - _CUT_EDGE_S
    return float(sweep.start_hz * np.exp(passed / sweep.growth_s)) if passed < sweep.duration_s - _CUT_EDGE_S else float("inf")


def _both_faded(response: FloatArray, stimulus: FloatArray, delay: int, frames: int) -> tuple[FloatArray, FloatArray]:
    """A response that breaks off, and its stimulus as if it had been faded out then: so slowly that the unit hardly minds."""
    fade = raised_cosine(frames)[::-1]
    response = response.copy()
    response[-frames:] *= fade
    end = max(frames, min(len(stimulus), len(response) - delay))
    stimulus = stimulus[:end].copy()
    stimulus[-frames:] *= fade
    return response, stimulus

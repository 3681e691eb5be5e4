"""A recording from elsewhere and the file that was played: brought to one rate, and the sweep cut out of both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.marks import Marks, find_marked, marks_of
from utter_calm.analysis.record import what_is_there
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_finder import find_sweep
from utter_calm.errors import NoSignal
from utter_calm.signals.header import GAP_S, MARK_S, TAIL_S
from utter_calm.signals.sweep import Sweep

_BEFORE_S, _SPARED_S, _SILENT = 0.25, 0.1, 1e-7


@dataclass(frozen=True, slots=True, eq=False)
class Played:
    """A stimulus: (k,) samples at a rate, the law of its sweep, and where its marks are, in samples, if it has any."""

    samples: FloatArray
    rate_hz: float
    sweep: Sweep
    marks: tuple[float, float] | None = None


def understand_stimulus(samples: FloatArray, rate_hz: float) -> Played:
    """Find the sweep in what was played.

    Raises
    ------
    NoSignal
        It is silent, or there is no exponential sweep in it.
    """
    if not np.max(np.abs(samples), initial=0.0) > _SILENT:
        raise NoSignal("The stimulus is silent.", hint="Give the file that was played.")
    marks = marks_of(samples, rate_hz)
    if marks is None or marks.last is None:
        return Played(samples, rate_hz, find_sweep(samples, rate_hz))
    begins = round(marks.first + (MARK_S + GAP_S / 2) * rate_hz)
    inside = samples.copy()
    inside[:begins], inside[round(marks.last) :] = 0.0, 0.0
    return Played(samples, rate_hz, find_sweep(inside, rate_hz), (marks.first, marks.last))


@dataclass(frozen=True, slots=True, eq=False)
class Together:
    """Stimulus and recording from one moment of the player's time on.

    Parameters
    ----------
    recorded, stimulus
        (m,) and (k,) samples at ``rate_hz``, the player's.
    sweep
        The law of the stimulus.
    skew, u_skew
        Of the clocks, where marks told it, and its standard uncertainty; taken out already. None where it is not known.
    recorded_from, stimulus_from
        Seconds of the player's time at which each was cut.
    ends_early_s
        By how much the recording ends before its stimulus does; at most 0 where it does not.
    top_hz
        Half of the recording's own rate, or more than that where it does not bound anything.
    """

    recorded: FloatArray
    stimulus: FloatArray
    rate_hz: float
    sweep: Sweep
    skew: float | None
    u_skew: float
    recorded_from: float
    stimulus_from: float
    ends_early_s: float
    top_hz: float

    def delay_s(self, found_s: float, skew: float) -> float:
        """The recorder's time at which the stimulus's first sample arrives, from the delay found between the two cuts."""
        return (self.recorded_from - self.stimulus_from + found_s) / (1 + skew)


def together(recorded: FloatArray, rate_hz: float, played: Played) -> Together:
    """Bring a recording (n,) to the player's rate, and where the stimulus has marks, to its clock and place.

    Raises
    ------
    NoSignal
        The recording is silent, or the marks of the stimulus are not in it.
    """
    if not np.any(recorded != recorded[0]):
        raise NoSignal(f"The recording {what_is_there(recorded)}.", hint="Check the wiring and the level.")
    rate = played.rate_hz
    samples = recorded if rate_hz == rate else resampled(recorded, rate / rate_hz)
    top = min(rate_hz, rate) / 2
    if played.marks is None:
        ends = played.sweep.onset_s + played.sweep.duration_s - len(samples) / rate
        return Together(samples, played.samples, rate, played.sweep, None, 0.0, 0.0, 0.0, ends, top)
    where = find_marked(samples, rate, Marks(*played.marks))
    if where is None:
        raise NoSignal(
            "The marks of the stimulus are not in the recording.", hint="Check that this is what was recorded, and its level."
        )
    if where.skew:
        samples = resampled(samples, 1 + where.skew)
    start = round(where.start * (1 + (where.skew or 0.0)))
    sweep = played.sweep
    begin = max(0, round((sweep.onset_s - _BEFORE_S) * rate))
    end = min(len(played.samples), round((sweep.onset_s + sweep.duration_s) * rate) + 1)
    last = round((sweep.onset_s + sweep.duration_s + TAIL_S - _SPARED_S) * rate)
    first = max(0, start + begin)
    law = Sweep(sweep.start_hz, sweep.stop_hz, sweep.duration_s, sweep.amplitude, sweep.phase_rad, sweep.onset_s - begin / rate)
    cut = samples[first : max(start + last, first)]
    if len(cut) < rate * _BEFORE_S:
        raise NoSignal("The recording ends before the sweep begins.", hint="Record longer.")
    ends = (start + (sweep.onset_s + sweep.duration_s) * rate - len(samples)) / rate
    return Together(
        cut, played.samples[begin:end], rate, law, where.skew, where.u_skew, first / rate, begin / rate, ends, top
    )  # fmt: skip

"""A step without a wire: its stimulus as a file that anything plays, and the recording of anything as the take that it would be.

The file carries a mark before and after what the step plays. In the recording both are looked for; they tell where it begins and
how far the recorder's clock is off, whatever its rate. What is cut out then is aligned to a fraction of a sample, as a wired
take is, and analysed by the same step. Nobody knows the volts of a telephone: full scale of the file and of the recording
count as one, unless both are told.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from utter_calm.analysis.acoustic.marks import Found, Marks, find_marked
from utter_calm.analysis.record import flat_tops, what_is_there
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.aligned import at_rate, cut
from utter_calm.measure.alike import said_of_marks
from utter_calm.measure.capture import Capture, FloatArray, Part
from utter_calm.measure.kind import SingleStimulus
from utter_calm.measure.pack import Pack
from utter_calm.measure.result import Trust
from utter_calm.measure.uneven import said_of_between
from utter_calm.measure.wander import Followed, followed
from utter_calm.rig import MICROPHONE, VOLTAGE, Channel
from utter_calm.rig.channel import FULL_SCALE
from utter_calm.signals.header import MARK_HZ, marked

USUAL_PEAK = 10 ** (-6 / 20)
_SKEWED, _MARKS_ALONE_V = 2e-6, 0.1


def make_pack(kind: object, settings: Any, peak: float = USUAL_PEAK) -> Pack:  # noqa: ANN401 - of the kind
    """Make the file's samples for a step; the same for the same settings. One that listens only has marks about its silence.

    Raises
    ------
    InputError
        The step hears before it goes on, or its rate is too low for the marks.
    """
    if not isinstance(kind, SingleStimulus):
        raise InputError("This step chooses what it plays by what it hears, or plays nothing: no file can do that.",
                         hint="Choose a response, a loudspeaker sweep, a multitone, or a first look.")  # fmt: skip
    settings.check()
    if settings.rate_hz < 2.2 * MARK_HZ[1]:
        raise InputError(f"At {settings.rate_hz} Hz the marks do not fit.", hint="Raise the step's rate to 8 kHz or more.")
    if not 0 < peak <= 1:
        raise InputError(f"A peak of {peak:g} is beyond full scale.", hint="Choose -6 dBFS or so.")
    volts = kind.stimulus(settings).volts
    body = volts[:, None] if volts.ndim == 1 else volts
    # what listens only has its marks all the same: they tell which silence was meant, and how loud it would have been
    loudest = float(np.max(np.abs(body))) or _MARKS_ALONE_V
    samples, first, begins, last = marked(body * (peak / loudest), settings.rate_hz, peak)
    return Pack(samples, settings.rate_hz, first, begins, last, len(body), loudest / peak)


@dataclass(frozen=True, slots=True)
class Away:
    """What is known of who played and who recorded; None where it is not.

    Parameters
    ----------
    played_full_scale_v, recorded_full_scale_v
        R.m.s. volts of a sine at full scale, at the unit and at the recorder's input.
    by_microphone
        Whether the recorder heard sound; how loud a full-scale sine was nobody knows then.
    """

    played_full_scale_v: float | None = None
    recorded_full_scale_v: float | None = None
    by_microphone: bool = False


def take_away(pack: Pack, recorded: FloatArray, rate_hz: int, away: Away | None = None) -> Capture:
    """Find a pack in a recording (n, channels) and give what a wired take would have been; it says how it was recorded.

    Raises
    ------
    NoSignal
        The recording is silent, or the stimulus is not in it, or not all of it.
    """
    found = find_pack(pack, recorded, rate_hz)
    samples, where = found.samples, found.where
    trust = [*_said_of_clock(where, rate_hz, pack.rate_hz), *said_of_pack(found)]
    channels, words = _channels(pack, samples.shape[1], away or Away())
    trust.append(Trust("played_elsewhere", words, grave=False))
    part = Part(0, len(samples), {}, ())
    return Capture(samples, pack.rate_hz, channels, drive_known=True, parts=(part,), said=tuple(trust))


@dataclass(frozen=True, slots=True, eq=False)
class InRecording:
    """A pack, where it is in a recording, the column that tells it best at the pack's rate, and (frames, channels) cut out.

    ``flat`` counts the samples of each channel in flat tops, as they were recorded; ``way`` tells of a delay that wandered.
    """

    pack: Pack
    where: Found
    column: FloatArray
    samples: FloatArray
    flat: tuple[int, ...]
    way: Followed | None = None


def find_pack(pack: Pack, recorded: FloatArray, rate_hz: int) -> InRecording:
    """Find a pack in a recording (n, channels); errors as in :func:`take_away`."""
    columns = [c for c in range(recorded.shape[1]) if np.any(recorded[:, c] != recorded[0, c])]
    if not columns:
        raise NoSignal(f"The recording {what_is_there(recorded[:, 0])}.", hint="Check the recorder and its level.")
    same = recorded if rate_hz == pack.rate_hz else at_rate(recorded, pack.rate_hz / rate_hz)
    found = [(c, find_marked(same[:, c], pack.rate_hz, Marks(pack.first, pack.last))) for c in columns]
    known = [(c, where) for c, where in found if where is not None]
    if not known:
        raise NoSignal("The marks of this step's file are not in the recording.",
                       hint="Was it this step's file, unchanged, and did the recorder hear all of it?")  # fmt: skip
    column, steady = max(known, key=lambda item: (item[1].skew is not None, float(np.std(same[:, item[0]]))))
    way = followed(same[:, column], pack, steady)
    where = steady if way is None else replace(steady, course=way.course)
    marks = pack.first, pack.last  # whatever is recorded before and behind is of no moment
    first, last = (max(0, round((where.start + at / (1 + (where.skew or 0.0))) * rate_hz / pack.rate_hz)) for at in marks)
    flat = tuple(flat_tops(recorded[first:last, c]) for c in range(recorded.shape[1]))
    return InRecording(pack, where, same[:, column], cut(same, where, pack.body, pack.frames, pack.rate_hz), flat, way)


def said_of_pack(found: InRecording) -> list[Trust]:
    """Say what the marks tell of the way that a pack took: coded, regulated, or late by more and less."""
    where = found.where
    return [
        *_said_of_tops(found), *([] if found.way is None else found.way.said()),
        *said_of_marks(found.column, found.pack, where), *said_of_between(found.column, found.pack, where),
    ]  # fmt: skip


def _said_of_tops(found: InRecording) -> list[Trust]:
    played = found.pack.samples[found.pack.body : found.pack.body + found.pack.frames, 0]
    if flat_tops(played):  # a square wave is flat by itself
        return []
    return [
        Trust("overload", f"Channel {number} is cut off flat in {count} samples: the recorder or the unit was overdriven. "
              "Lower its level.", channel=number)
        for number, count in enumerate(found.flat, start=1) if count
    ]  # fmt: skip


def _said_of_clock(where: Found, rate_hz: int, played_hz: int) -> list[Trust]:
    out = []
    if where.skew is None:
        out.append(Trust("skew_unknown", "Only one mark was found: how far the recorder's clock is off is not known."))
    elif abs(where.skew) > max(_SKEWED, 3 * where.u_skew):
        text = f"The recorder's clock is off by {1e6 * where.skew:+.1f} ppm, which was taken out.".replace("-", "\N{MINUS SIGN}")
        out.append(Trust("skew_removed", text, grave=False))
    if rate_hz != played_hz:
        text = f"Recorded at {rate_hz} Hz and brought to {played_hz} Hz; above {min(rate_hz, played_hz) / 2:g} Hz there is nothing."
        out.append(Trust("rate_converted", text, grave=False))
    return out


def _channels(pack: Pack, count: int, away: Away) -> tuple[tuple[Channel, ...], str]:
    """Channels whose full scale stands for what a wired take would have heard, and a sentence on what levels mean."""
    played, heard = away.played_full_scale_v, away.recorded_full_scale_v
    as_file = pack.volts / math.sqrt(2)
    if away.by_microphone:
        words = "Played and recorded elsewhere: how loud it was is not known, so levels are relative."
        told = (Channel(n, role=MICROPHONE, unit=FULL_SCALE, full_scale=1.0, how="recorded elsewhere") for n in range(1, count + 1))
        return tuple(told), words
    if played is None or heard is None:
        words = "Played and recorded elsewhere: full scale of the recording counts as that of the file, so levels are relative."
        full_scale = as_file
    else:
        # the step's settings say volts; what was really played is the file's sample at the player's own full scale
        full_scale = heard * as_file / played
        words = f"Played and recorded elsewhere, at {played:g} and {heard:g} V full scale; levels are as if the step had played."
    return tuple(Channel(n, role=VOLTAGE, full_scale=full_scale, how="recorded elsewhere") for n in range(1, count + 1)), words

"""Wired right? Half a second of quiet tones before the first take of a setup, and what is wrong in words with its remedy."""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from utter_calm.analysis.wiring import WiringAnalysis, analyze_wiring
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.kind import Passage
from utter_calm.measure.player import Player
from utter_calm.quantities import amplitude_to_db, db_to_amplitude, si_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Device, Rig
from utter_calm.rig.rates import USUAL_HZ
from utter_calm.rig.rating import Rating
from utter_calm.signals.ramp import with_ramps

_LISTEN_S, _SETTLE_S, _RAMP_S = 0.32, 0.15, 0.02
_TONES_HZ = (np.array([233.0, 487.0, 953.0, 1_873.0, 3_701.0]), np.array([281.0, 563.0, 1_117.0, 2_203.0, 4_241.0]))
_DEAD, _SWAPPED = 10 ** (-30 / 20), 10 ** (10 / 20)
_SILENT = 1e-3
"""A path below that gain passes nothing, whatever the unit is: not even a long cable into a low load."""
_GAIN_OFF_DB, _ALIKE_DB = 6.0, 1.0
_FULL = 0.97
_HUM_REMEDY = "Look for a loop or a lifted shield; try a battery, or another outlet."


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that is not as it should be.

    Parameters
    ----------
    code
        For machines: dead, swapped, reversed, inverted, clipping, gain, hum.
    text, remedy
        For people.
    measured
        Gain as it was found, a ratio, where that is what is off.
    """

    code: str
    text: str
    remedy: str
    measured: float | None = None


def probe_volts(level_v: float, rate_hz: int = USUAL_HZ) -> FloatArray:
    """(n, 2) what is played: five tones on each channel, its own, of ``level_v`` r.m.s. together; ramped."""
    return level_v * _probe(rate_hz)


@lru_cache(maxsize=2)
def _probe(rate_hz: int) -> FloatArray:
    frames = round((_LISTEN_S + _SETTLE_S + _RAMP_S) * rate_hz)
    at = 2 * np.pi / rate_hz * np.arange(frames)
    amplitude = math.sqrt(2 / len(_TONES_HZ[0]))
    sides = [sum(np.cos(f * at + _phase(k)) for k, f in enumerate(tones)) * amplitude for tones in _TONES_HZ]
    ramp = round(_RAMP_S * rate_hz)
    return with_ramps(np.stack(sides, axis=1), ramp, ramp)


def _phase(index: int) -> float:
    """Spread so that the peaks do not meet."""
    return math.pi * index**2 / len(_TONES_HZ[0])


def check_wiring(
    device: Device, rig: Rig, *, level_v: float, nominal_gain: float | None, hum_limit_v: float = 0.01, gain_matters: bool = True,
    cancel: threading.Event | None = None, rate_hz: int = USUAL_HZ, rating: Rating | None = None,
) -> list[Finding]:  # fmt: skip
    """Play the probe and say what is wrong; an empty list when nothing is.

    Parameters
    ----------
    level_v
        R.m.s. at the output; keep it far below what the steps use.
    nominal_gain
        By the data sheet; None where it is not known: a channel is then dead that is far below the other.
    hum_limit_v
        R.m.s. at the unit's output above which hum is worth a word.
    gain_matters
        False where knobs of the unit change its gain in a way that nobody wrote down.
    rate_hz
        At which the device runs.
    rating
        What the unit takes: one that is guarded below a frequency is not probed, for the probe plays low tones too.

    Raises
    ------
    MeasurementError
        Cancelled, or the device is gone.
    """
    if len(rig.drives) < 2 or device.info.inputs < 2:
        return []  # the probe tells two channels apart; fewer leads are checked by the first take itself
    if rating is not None and rating.lowest_hz is not None:
        return []
    level_v = min(level_v, rig.highest_v / 3, *(() if rating is None else (rating.most_v / 3,)))
    player = Player(device, rig, rate_hz, block_frames=4_096, probe_v=level_v, rating=rating)
    try:
        recording = player.play(Passage(probe_volts(level_v, rate_hz), {}), cancel)
    finally:
        player.close()
    start = round((_SETTLE_S - 0.01) * rate_hz)
    heard = np.stack([recording.signal(n) for n in (1, 2)], axis=1)[start : start + round(_LISTEN_S * rate_hz)]
    phase = tuple(np.array([_phase(k) for k in range(len(t))]) + 2 * np.pi * t * start / rate_hz for t in _TONES_HZ)
    amplitude = level_v * math.sqrt(2 / len(_TONES_HZ[0]))
    found = analyze_wiring(heard, rate_hz, _TONES_HZ, amplitude, phase)
    clipped = any(recording.overload) or float(np.max(np.abs(recording.samples), initial=0.0)) > _FULL
    return judge_wiring(found, nominal_gain, hum_limit_v=hum_limit_v, gain_matters=gain_matters, clipped=clipped)


def judge_wiring(
    found: WiringAnalysis, nominal_gain: float | None, *, hum_limit_v: float, gain_matters: bool, clipped: bool
) -> list[Finding]:
    """Put the paths into words."""
    out = []
    gain = found.gain
    expected = float(max(gain[0, 0], gain[1, 1], gain[0, 1], gain[1, 0])) if nominal_gain is None else nominal_gain
    floor = max(_DEAD * expected, _SILENT if nominal_gain is None else 0.0)
    if clipped:
        out.append(
            Finding("clipping", "The input clips already at a low level.", "Lower the input's sensitivity or use a divider.")
        )
    crossed = gain[0, 1] > _SWAPPED * gain[0, 0] and gain[1, 0] > _SWAPPED * gain[1, 1]
    if crossed and min(gain[0, 1], gain[1, 0]) > floor:
        out.append(Finding("swapped", "Channels 1 and 2 are swapped.", "Swap the two leads at the output or at the input."))
        return out
    dead = [c for c in range(2) if gain[c, c] < floor]
    for channel in dead:
        other = gain[1 - channel, 1 - channel]
        what = f"Channel {channel + 1} is dead" + (": only the other one arrives." if other >= floor else ".")
        out.append(Finding("dead", what, "Check its leads, its fuse and its mute, and that the unit is on."))
    alive = [c for c in range(2) if c not in dead]
    signs = {c: int(found.polarity[c, c]) for c in alive}
    if len(alive) == 2 and found.opposed:
        wrong = 0 if signs[0] < 0 or signs[1] > 0 else 1
        out.append(Finding("reversed", f"Channel {wrong + 1} is the wrong way round against the other.",
                           "Reverse its leads at one end."))  # fmt: skip
    elif alive and all(sign < 0 for sign in signs.values()):
        out.append(Finding("inverted", "Everything arrives upside down: the unit inverts, or all leads are reversed.",
                           "If the unit should not invert, reverse the leads; else go on."))  # fmt: skip
    off = {c: amplitude_to_db(gain[c, c] / expected) for c in alive} if gain_matters and nominal_gain is not None else {}
    out += _gain_findings({c: far for c, far in off.items() if abs(far) > _GAIN_OFF_DB}, expected)
    for channel in alive:
        if found.hum[channel] > hum_limit_v:
            hum = si_text(float(found.hum[channel]), "V", digits=2)
            out.append(
                Finding(
                    "hum",
                    f"Channel {channel + 1} hums: {hum}.",
                    _HUM_REMEDY,
                )
            )
    return out


def _gain_findings(off_db: dict[int, float], expected: float) -> list[Finding]:
    """Say how far channels are from the data sheet: once where both are off alike."""
    together = len(off_db) == 2 and abs(off_db[0] - off_db[1]) < _ALIKE_DB
    out = []
    for channels in [tuple(off_db)] if together else [(c,) for c in off_db]:
        far = sum(off_db[c] for c in channels) / len(channels)
        measured = expected * db_to_amplitude(far)
        who = "The gain" if together else f"Channel {channels[0] + 1}'s gain"
        way = "below" if far < 0 else "above"
        text = f"{who} is {fixed(amplitude_to_db(measured), 1)} dB, {fixed(abs(far), 1)} dB {way} its data sheet."
        low = "Is the load far too low, or shorted? Is a volume control turned down? "
        high = " Is a gain switch up?"
        entered = "Are the unit's gain and the pickup's divider as entered?"
        out.append(Finding("gain", text, low + entered if far < 0 else entered + high, measured))
    return out

"""Set the level by its effect: as many volts as give 1 W in this load, 1 % distortion, or so much at the input."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

from utter_calm.analysis.level_search import Found, search_level, search_proportional
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.level_noise import FLAT, WEIGHTINGS, crest_of, heard_noise
from utter_calm.measure.player import Player
from utter_calm.measure.point_tone import PointTone, tone_at
from utter_calm.measure.stepped import SteppedTone
from utter_calm.quantities import SPL_REFERENCE_PA, power_w, si_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import MICROPHONE, Device, Rig
from utter_calm.rig.gate import Gate
from utter_calm.rig.rating import Rating

VOLTS, WATTS, THD, DBFS, PASCAL, NOISE = "volts", "watts", "thd_n", "dbfs", "spl", "spl_noise"
EFFECTS = (
    (VOLTS, "volts at the unit's output"), (WATTS, "watts in the load"), (THD, "THD+N"), (DBFS,
    "level at the input, re full scale"), (PASCAL, "sound level at the microphone"),
    (NOISE, "sound level at the microphone, by pink noise"),
)  # fmt: skip
UNITS = {VOLTS: "V", WATTS: "W", THD: "1", DBFS: "1", PASCAL: "Pa", NOISE: "Pa"}
_RATE_HZ = 96_000
_QUIET, _HEARD_WITHIN = 100.0, 5e-3
_BAND_HZ, _LEAST = (20.0, 20_000.0), 1e-12


@dataclass(frozen=True, slots=True)
class Effect:
    """What is wanted.

    Parameters
    ----------
    what
        One of ``UNITS``.
    target
        In its unit; a ratio for distortion and for the level re full scale.
    frequency_hz
        Of the tone.
    start_v, limit_v
        R.m.s. volts at the output: where to begin, and never more than.
    tolerance
        How close is close enough, relative.
    channel
        At which the effect is measured, from 1.
    band_hz, weighting
        Of pink noise: its band, and how what is heard of it is weighted (``Z``, ``A`` or ``C``).
    """

    what: str
    target: float
    frequency_hz: float = 997.0
    start_v: float = 0.001
    limit_v: float = 2.0
    tolerance: float = 0.002
    channel: int = 1
    band_hz: tuple[float, float] = _BAND_HZ
    weighting: str = FLAT

    def check(self, rig: Rig, load_ohm: float | None) -> None:
        """Refuse what cannot be searched for.

        Raises
        ------
        InputError
            Names what is wrong.
        """
        if self.what not in UNITS or not self.target > 0:
            raise InputError("The target is not above zero.", hint=f"Choose one of {', '.join(UNITS)} and a value.")
        if self.what == WATTS and not load_ohm:
            raise InputError("Without a load there are no watts.", hint="Switch a load on, or ask for volts.")
        if self.what in (PASCAL, NOISE) and not any(c.role == MICROPHONE and c.unit == "Pa" for c in rig.recorded):
            raise InputError("The rig has no calibrated microphone.", hint="Give one of its inputs the role “microphone”.")
        if not 0 < self.start_v < self.limit_v:
            raise InputError("The search must begin below its limit.", hint="Lower where it begins.")
        low, high = self.band_hz
        if self.what == NOISE and (not low >= 10 or not low * 1.2 < high <= 0.45 * _RATE_HZ):
            raise InputError(f"{low:g} to {high:g} Hz is no band for the noise.", hint="Give a third of an octave at least.")
        rig.check_level(self.limit_v)

    def amount(self, value: float) -> str:
        """Write so much of it, as in ``94.0 dB SPL``."""
        value = max(value, _LEAST)
        if self.what == THD:
            return f"{100 * value:.3g} % THD+N"
        if self.what == DBFS:
            return f"{fixed(20 * math.log10(value), 1)} dBFS"
        if self.what in (PASCAL, NOISE):
            return f"{fixed(20 * math.log10(value / SPL_REFERENCE_PA), 1)} dB SPL"
        return str(si_text(value, UNITS[self.what], digits=3))

    def words(self, load_ohm: float | None) -> str:
        """Say what a level that was found does, as in ``1.00 W into 8 Ω at 997 Hz``."""
        where = f" into {si_text(load_ohm, 'ohm', digits=3)}" if load_ohm and self.what == WATTS else ""
        value = self.amount(self.target)
        if self.what == NOISE:
            low, high = (si_text(f, "Hz", digits=2) for f in self.band_hz)
            return f"{value} with pink noise, {low} to {high}, {dict(WEIGHTINGS)[self.weighting]}"
        on = f", channel {self.channel}" if self.channel != 1 else ""
        return f"{value}{where} at {si_text(self.frequency_hz, 'Hz', digits=3)}{on}"


def find_level(
    effect: Effect, device: Device, rig: Rig, *, load_ohm: float | None, rating: Rating | None = None,
    cancel: threading.Event | None = None, tried: Callable[[Found], None] | None = None, late_s: float = 0.0,
) -> Found:  # fmt: skip
    """Search on a device; ``tried`` is called after every try with what is known so far.

    ``late_s`` is how late the unit may answer.

    Raises
    ------
    InputError
        The effect cannot be searched for.
    MeasurementError
        Cancelled, the device is gone, or no tone arrives even at the limit.
    """
    effect.check(rig, load_ohm)
    effect = _within(effect, Gate(rig, device.info.outputs, _RATE_HZ, rating))
    player = Player(device, rig, _RATE_HZ, block_frames=8_192, load_ohm=load_ohm, probe_v=effect.start_v, rating=rating)
    tone = SteppedTone(_RATE_HZ, late_s)

    def measure(level: float) -> tuple[float, float]:
        if effect.what == NOISE:
            return heard_noise(player, level, effect.band_hz, effect.weighting, _RATE_HZ, effect.channel, cancel, late_s)
        steps = tone.point(effect.frequency_hz, level, max(0.06, 5 / effect.frequency_hz))
        try:
            passage = next(steps)
            while True:
                passage = steps.send(player.play(passage, cancel))
        except StopIteration as done:
            heard: Capture = done.value
        return _value(effect, tone_at(heard, effect.channel, effect.frequency_hz, _BAND_HZ), heard, load_ohm)

    if effect.what in (PASCAL, NOISE):
        number = next(n for n, c in enumerate(rig.recorded, start=1) if c.role == MICROPHONE)
        limit = effect.limit_v
        if effect.what == NOISE:  # the ceiling is one of peaks
            limit = min(limit, 0.999 * rig.highest_v * math.sqrt(2) / crest_of(effect.band_hz, _RATE_HZ))
        effect = replace(effect, channel=number, limit_v=limit)
        begin = max(min(effect.start_v, limit / 2), limit / _QUIET)
        search = search_proportional(effect.target, begin, effect.limit_v, tolerance=max(effect.tolerance, _HEARD_WITHIN))
    else:
        search = search_level(effect.target, effect.start_v, effect.limit_v, tolerance=effect.tolerance)
    so_far = Found(effect.start_v, 0.0, reached=False, why="searching")
    try:
        level = next(search)
        while True:
            value, spread = measure(level)
            so_far.level, so_far.value = level, value
            if tried is not None:
                tried(so_far)
            level = search.send((value, spread))
    except StopIteration as done:
        found: Found = done.value
    finally:
        player.close()
    if not any(t.value > 0 for t in found.tries):
        raise NoSignal("Nothing arrives, whatever the level.", hint="Check the wiring.")
    return found


def _within(effect: Effect, gate: Gate) -> Effect:
    """An effect that is searched for up to what the unit takes; noise is judged when it is played.

    Raises
    ------
    InputError
        The unit takes no such tone.
    """
    if gate.rating is None or effect.what == NOISE:
        return effect
    most = gate.most_of_tone(effect.frequency_hz)
    if not most > 0:
        frequency = si_text(effect.frequency_hz, "Hz", digits=3)
        raise InputError(f"The unit takes no tone of {frequency}.", hint="Search at a higher one, or change its rating (Alt+3).")
    return replace(effect, limit_v=min(effect.limit_v, most), start_v=min(effect.start_v, most / 2))


def _value(effect: Effect, tone: PointTone | None, heard: Capture, load_ohm: float | None) -> tuple[float, float]:
    """What is searched for, and its standard uncertainty; nothing where no tone stands out."""
    if tone is None:
        return 0.0, 0.0
    if effect.what == WATTS and load_ohm:
        power = power_w(tone.level, load_ohm)
        return power, 2 * power * tone.u_level / tone.level
    if effect.what == THD:
        return tone.thd_n, tone.u_thd_n
    if effect.what == DBFS:
        scale = heard.channels[effect.channel - 1].full_scale
        return tone.level / scale, tone.u_level / scale
    return tone.level, tone.u_level

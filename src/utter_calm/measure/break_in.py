"""Break-in: a low tone for as long as is wanted, its level and the unit's current watched, stopped by anything odd."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import db_to_amplitude, si_text
from utter_calm.rig import CURRENT, VOLTAGE, Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

_STRETCH_S, _RAMP_S, _LOOK_S, _KEPT_S, _MOST_KEPT = 10.0, 0.05, 0.5, 0.25, 200
_SILENT_V = 1e-6


@dataclass(frozen=True, slots=True)
class BreakInSettings(StepSettings):
    """Settings of a break-in."""

    frequency_hz: float = setting(20.0, "Tone", "Hz", low=1, high=1000)
    duration_s: float = setting(3600.0, "For", "s", low=1, high=86_400)
    level_v: float = setting(0.5, "Level at the output", "V", low=1e-3, high=20)
    odd_db: float = setting(1.0, "Stop when the level at the unit moves by more than so many dB", low=0.05, high=20)
    rate_hz: int = sample_rate(48_000)


class BreakIn(StepKind[BreakInSettings]):
    """A tone for hours."""

    has_floor = False
    keeps_when_stopped = True
    key = "break_in"
    title = "Break-in"
    question = "A low tone for a set time, its level and the unit's current watched; stopped by anything odd"
    settings_type = BreakInSettings
    readings = with_roles({
        "played": Declared("played for", "time", "How long the tone sounded."),
        "level_moved": Declared("level moved by", "gain", "Volts at the unit at the end over those at the beginning.", digits=3),
        "impedance_moved": Declared("impedance moved by", "part", "Magnitude at the tone at the end over that at the beginning, "
                                    "less one: a suspension that gives, a coil that is warm.", digits=3),
        "level": Declared("volts at the unit", "small_level", "R.m.s. at the end."),
    }, "played", "impedance_moved", "level_moved", "level")  # fmt: skip
    traces = {
        "level": Declared("volts at the unit", "level", "R.m.s., now and then."),
        "impedance": Declared("impedance at the tone", "impedance", "Volts over amperes, now and then."),
    }
    plots = (
        PlotSpec("level", "Level over time", ("level",), x="time", y="linear", short="level"),
        PlotSpec("impedance", "Impedance at the tone over time", ("impedance",), x="time", y="linear", short="impedance"),
    )

    def signal(self, settings: BreakInSettings) -> str:
        """Say what is played."""
        return f"{si_text(settings.frequency_hz, 'Hz', digits=2)} for {_long(settings.duration_s)}"

    def expected_s(self, settings: BreakInSettings) -> float:
        """Length."""
        return settings.duration_s

    def passages(self, settings: BreakInSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Play stretch after stretch until the time is over, or until the level moves."""
        stretch = min(_STRETCH_S, settings.duration_s)
        count = math.ceil(settings.duration_s / stretch - 1e-9)
        every = max(1, math.ceil(count / _MOST_KEPT))
        first: float | None = None
        rate, frames = settings.rate_hz, round(stretch * settings.rate_hz)
        for number in range(count):
            long = frames if number < count - 1 else round((settings.duration_s - number * stretch) * rate)
            tone = sine(settings.frequency_hz, settings.level_v * math.sqrt(2), rate, long, first_frame=number * frames)
            volts = with_ramps(tone, *(min(round(_RAMP_S * rate), long // 4),) * 2)
            at = number * stretch + long / rate
            last = number == count - 1
            kept = _KEPT_S + _RAMP_S if last or number % every == 0 else 0.0
            text = f"{_long(at)} of {_long(settings.duration_s)}"
            heard = yield Passage(volts, {"at_s": at}, text=text, kept_s=min(kept, long / rate))
            level = _level(_end(heard, _LOOK_S))
            first = level if first is None else first
            if self._odd(settings, first, level) or any(heard.overload):
                if not kept:  # what made it stop must be in the take
                    yield Passage(volts[: round(_LOOK_S * rate)] * 0.0, {"at_s": at}, kept_s=_KEPT_S)
                return

    @staticmethod
    def _odd(settings: BreakInSettings, first: float, level: float) -> bool:
        far = db_to_amplitude(settings.odd_db)
        return not first / far <= level <= first * far or level < _SILENT_V

    def conclude(
        self, settings: BreakInSettings, prepared: Any, *, progress: Callable[[float], None] | None = None  # noqa: ANN401, ARG002
    ) -> Result:  # fmt: skip
        """Level and impedance over time, and why it ended."""
        capture: Capture = prepared
        parts = capture.parts
        if not parts:
            raise NoSignal("Nothing was played.", hint="Take it again.")
        at = np.array([p.tags["at_s"] for p in parts])
        looks = [_end(capture.part(p), _KEPT_S) for p in parts]
        level = np.array([_level(one) for one in looks])
        if level[0] < _SILENT_V:
            raise NoSignal("Nothing of the tone was heard at the unit.", hint="Check the leads and the level.")
        out = ResultBuilder()
        out.add("played", 0, float(at[-1]), "s")
        out.add("level", 0, float(level[-1]), "V", float(level[-1]) * capture.u_level(capture.with_role(VOLTAGE)))
        out.add("level_moved", 0, float(level[-1] / level[0]), "1")
        out.traces.append(Trace("level", 1, at, "s", level, "V"))
        ohm = np.array([_impedance(one, settings.frequency_hz) for one in looks])
        if np.isfinite(ohm).all():
            out.traces.append(Trace("impedance", 1, at, "s", ohm, "ohm"))
            out.add("impedance_moved", 0, float(ohm[-1] / ohm[0] - 1), "1")
        odd = any(capture.overload) or self._odd(settings, float(level[0]), float(level[-1]))
        if at[-1] < settings.duration_s - 1e-6 and not odd:
            left = _long(settings.duration_s - float(at[-1]))
            text = f"Stopped by hand after {_long(float(at[-1]))}: {left} are left, which another take can play."
            out.trust.append(Trust("stopped_by_hand", text, grave=False))
        elif odd:
            moved = 20 * math.log10(max(float(level[-1] / level[0]), 1e-12))
            why = "an input was overdriven" if any(capture.overload) else f"the level at the unit moved by {moved:+.1f} dB"
            out.trust.append(Trust("stopped_odd", f"Stopped after {_long(float(at[-1]))}: {why}. Look at clips, coil and level."))
        return out.build()


def _end(capture: Capture, seconds: float) -> Capture:
    """The end of a stretch, before its ramp."""
    ramp = round(_RAMP_S * capture.rate_hz)
    stop = max(capture.samples.shape[0] - ramp, 1)
    start = max(0, stop - round(seconds * capture.rate_hz))
    return Capture(capture.samples[start:stop], capture.rate_hz, capture.channels, capture.rig)


def _level(capture: Capture) -> float:
    return float(np.sqrt(np.mean(capture.signal(VOLTAGE) ** 2)))


def _impedance(capture: Capture, frequency_hz: float) -> float:
    """Magnitude at the tone; NaN where the rig hears no current."""
    if CURRENT not in {c.role for c in capture.channels}:
        return math.nan
    volts, amperes = (_phasor(capture.signal(role), frequency_hz, capture.rate_hz) for role in (VOLTAGE, CURRENT))
    return abs(volts / amperes) if abs(amperes) > 0 else math.nan


def _phasor(values: FloatArray, frequency_hz: float, rate_hz: float) -> complex:
    """Least squares of cosine and sine: right for any number of cycles."""
    turn = 2 * np.pi * frequency_hz * np.arange(len(values)) / rate_hz
    found, *_ = np.linalg.lstsq(np.stack([np.cos(turn), np.sin(turn), np.ones(len(turn))], axis=1), values, rcond=None)
    return complex(found[0], -found[1])


def _long(seconds: float) -> str:
    """A time as people say it."""
    if seconds < 120:
        return f"{seconds:.3g} s"
    return f"{seconds / 60:.3g} min" if seconds < 7200 else f"{seconds / 3600:.3g} h"

"""Alignment by noise: a known noise is played, and the gain of what listens is turned until it stands at a mark."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import FULL_SCALE_UNIT, amplitude_to_db, db_to_amplitude, si_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Rig
from utter_calm.signals.noise import pink_noise
from utter_calm.signals.ramp import with_ramps

_PERIOD_S, _SETTLE_S, _RAMP_S = 1.0, 0.15, 0.02
_ON_MARK = 2
_LEAST_FS = 1e-7


@dataclass(frozen=True, slots=True)
class AlignmentSettings(StepSettings):
    """Settings of an alignment."""

    level_v: float = setting(0.094, "Level: r.m.s. of a sine of the same peak", "V", low=1e-6, high=100)
    mark_db: float = setting(-20.0, "Mark, re full scale (a sine that just fills the input)", "dB", low=-80, high=0)
    tolerance_db: float = setting(0.1, "Near enough", "dB", low=0.01, high=3)
    patience_s: float = setting(30.0, "Wait for a hand no longer than", "s", low=2, high=3_600)
    rate_hz: int = sample_rate(48_000)


class Alignment(StepKind[AlignmentSettings]):
    """Pink noise of a known level, over and over, until every input stands at the mark or patience is over."""

    key = "alignment"
    title = "Alignment by noise"
    question = "Is the gain of what listens set to the mark, before quiet things are measured"
    settings_type = AlignmentSettings
    readings = with_roles({
        "off_mark": Declared("off the mark", "gain", "R.m.s. of the last second of pink noise (20 Hz to 20 kHz) "
                                "over the mark."),
        "alignment_level": Declared("level of the noise", "level_fs", "R.m.s. of that second, where a sine of full scale is "
                                    "1 (AES17)."),
    }, "off_mark", "alignment_level")  # fmt: skip
    traces = {
        "alignment": Declared(
            "level of the noise", "level_fs", "R.m.s. of each second of the noise, in the order in which they came."
        ),
    }
    plots = (PlotSpec("alignment", "Level, second by second", ("alignment",), x="time", short="level"),)

    def signal(self, settings: AlignmentSettings) -> str:
        """Say what is played."""
        return f"pink noise, mark {fixed(settings.mark_db, 1)} dBFS"

    def highest_level(self, settings: AlignmentSettings) -> float | None:
        """The noise."""
        return settings.level_v

    def expected_s(self, settings: AlignmentSettings) -> float:
        """Half of what patience allows; nobody knows how quick the hand is."""
        return settings.patience_s / 2

    def passages(self, settings: AlignmentSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Play one second after the other; say how far each input is off while the next one plays."""
        frames, ramp = round((_PERIOD_S + _SETTLE_S) * settings.rate_hz), round(_RAMP_S * settings.rate_hz)
        period = pink_noise(1.0, settings.rate_hz, round(_PERIOD_S * settings.rate_hz))
        period *= settings.level_v * math.sqrt(2) / float(np.max(np.abs(period)))
        volts = with_ramps(np.resize(period, frames), ramp, ramp)
        said, on_mark, played = "listening", 0, 0.0
        while on_mark < _ON_MARK and played < settings.patience_s:
            heard = yield Passage(volts, {"at_s": played}, text=said)
            off = [amplitude_to_db(level) - settings.mark_db for level in _levels(heard, settings.rate_hz)]
            on_mark = on_mark + 1 if all(abs(far) <= settings.tolerance_db for far in off) else 0
            said = "; ".join(f"input {n}: {_turn(far, settings.tolerance_db)}" for n, far in enumerate(off, start=1))
            played += frames / settings.rate_hz

    def conclude(
        self, settings: AlignmentSettings, prepared: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Read every second, and say whether the last ones stand at the mark."""
        capture, out = prepared, ResultBuilder()
        seconds = [capture.part(part) for part in capture.parts] or [capture]
        levels = np.array([_levels(one, capture.rate_hz) for one in seconds])
        at = np.array([one.parts[0].tags.get("at_s", 0.0) if one.parts else 0.0 for one in seconds])
        mark = db_to_amplitude(settings.mark_db)
        for column, channel in enumerate(capture.numbers):
            last = float(levels[-1, column])
            out.add("off_mark", channel, last / mark, "1")
            out.add("alignment_level", channel, last, FULL_SCALE_UNIT)
            out.traces.append(Trace("alignment", channel, at, "s", levels[:, column], FULL_SCALE_UNIT))
            off = amplitude_to_db(last / mark)
            if abs(off) > settings.tolerance_db:
                text = f"Input {channel} is not at the mark: {_turn(off, settings.tolerance_db)}. Take it again."
                out.trust.append(Trust("off_mark", text, grave=False, channel=channel))
        if progress is not None:
            progress(1.0)
        return out.build()


def _levels(heard: Capture, rate_hz: float) -> FloatArray:
    """R.m.s. of the last whole period on every input, where a sine of full scale is 1."""
    frames = round(_PERIOD_S * rate_hz)
    end = len(heard.samples) - round(_RAMP_S * rate_hz)
    last = [heard.samples[max(0, end - frames) : end, n - 1] for n in heard.numbers]
    return np.array([max(_LEAST_FS, math.sqrt(2 * float(np.mean(x**2)))) for x in last])


def _turn(off_db: float, tolerance_db: float) -> str:
    """Say how a hand must turn."""
    if abs(off_db) <= tolerance_db:
        return "at the mark"
    size = si_text(abs(off_db), "dB", digits=2)
    return f"{size} too {'loud: turn down' if off_db > 0 else 'quiet: turn up'}"

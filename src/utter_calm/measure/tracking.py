"""Volume-control tracking: how far the channels part at each position of a knob."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.tone import analyze_tone
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import Conditions, read_value, si_text
from utter_calm.rig import Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

_SETTLE_S, _RAMP_S = 0.25, 0.02


@dataclass(frozen=True, slots=True)
class TrackingSettings(StepSettings):
    """Settings of tracking."""

    knob: str = setting("volume", "Knob")
    positions: str = setting("quarter, half, three quarters, full", "Its positions, with commas")
    frequency_hz: float = setting(997.0, "Frequency", "Hz", low=20, high=20_000)
    level_v: float = setting(0.1, "Level at the output", "V", low=1e-6, high=100)
    duration_s: float = setting(0.4, "Record each for", "s", low=0.05, high=20, rare=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and a knob without positions."""
        StepSettings.check(self)
        if not self.knob.strip() or len(self.places()) < 2:
            raise InputError("Tracking needs a knob and at least two positions.", hint="As in: volume; quarter, half, full.")

    def places(self) -> list[str]:
        """Positions in their order."""
        return [p.strip() for p in self.positions.split(",") if p.strip()]

    def at(self, place: str) -> Conditions:
        """Coordinates of a position."""
        return ((self.knob.strip(), read_value(place)),)


class Tracking(StepKind[TrackingSettings]):
    """A tone at every position of a knob."""

    key = "tracking"
    title = "Volume tracking"
    question = "How far the channels part at each position of the volume control"
    settings_type = TrackingSettings
    readings = with_roles({
        "tracking_error": Declared("channels part by", "gain", "Largest ratio of the channels' levels over all positions.",
                                     better="low"),
        "gain_at_position": Declared("gain at", "gain", "Level at the unit's output over that at the rig's output, at a position."),
        "difference_at_position": Declared("channel 2 re 1 at", "gain", "Ratio of the channels' levels at a position."),
    }, "tracking_error", "gain_at_position")  # fmt: skip
    traces = {
        "tracking": Declared("channel 2 re 1", "gain", "Ratio of the channels' levels at each position."),
        "position_gain": Declared("gain", "gain", "Gain at each position."),
    }
    plots = (
        PlotSpec("tracking", "Channel difference against position", ("tracking",), x="position", y_title="channel 2 re 1",
                 detail=0.5, short="difference"),
        PlotSpec("gain", "Gain against position", ("position_gain",), x="position", short="gain"),
    )  # fmt: skip

    def signal(self, settings: TrackingSettings) -> str:
        """Say what is played."""
        return f"sine {si_text(settings.frequency_hz, 'Hz', digits=3)}, {len(settings.places())} positions"

    def expected_s(self, settings: TrackingSettings) -> float:
        """One passage for each position."""
        return len(settings.places()) * (settings.duration_s + _SETTLE_S + _RAMP_S)

    def passages(self, settings: TrackingSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Play the tone at every position."""
        rate = settings.rate_hz
        ramp = round(_RAMP_S * rate)
        frames = round((settings.duration_s + _SETTLE_S + _RAMP_S) * rate)
        volts = with_ramps(sine(settings.frequency_hz, settings.level_v * math.sqrt(2), rate, frames), ramp, ramp)
        for number, place in enumerate(settings.places()):
            yield Passage(volts, {"position": float(number + 1)}, settings.at(place))

    def conclude(self, settings: TrackingSettings, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute every position."""
        out = ResultBuilder()
        start = round((_SETTLE_S - 0.02) * capture.rate_hz)
        stop = start + round(settings.duration_s * capture.rate_hz)
        levels, spreads, places = [], [], []
        for number, (part, place) in enumerate(zip(capture.parts, settings.places(), strict=False)):
            one = capture.part(part)
            records = [one.signal(number)[start:stop] for number in capture.numbers]
            try:
                tones = [analyze_tone(r, capture.rate_hz, near_hz=settings.frequency_hz) for r in records]
            except NoSignal:
                out.trust.append(Trust("no_tone", f"There is no tone at “{place}”.", grave=False))
                continue
            levels.append([t.level for t in tones])
            spreads.append([t.u_level / t.level for t in tones])
            places.append(number + 1.0)
            for channel, tone in zip(capture.numbers, tones, strict=True):
                gain = tone.level / settings.level_v
                u = gain * math.hypot(capture.u_level(channel), tone.u_level / tone.level)
                out.add("gain_at_position", channel, gain, "1", u, settings.at(place))
            if progress is not None:
                progress((number + 1) / len(capture.parts))
        table, spread, x = np.array(levels), np.array(spreads), np.array(places)
        if not len(x):
            raise NoSignal("There is a tone at no position.", hint="Check the wiring and the level.")
        for column, channel in enumerate(capture.numbers):
            out.traces.append(Trace("position_gain", channel, x, "1", table[:, column] / settings.level_v, "1"))
        if table.shape[1] > 1:
            _add_difference(out, x, table[:, 1] / table[:, 0], np.hypot(spread[:, 0], spread[:, 1]), settings, capture)
        return out.build()


def _add_difference(
    out: ResultBuilder,
    x: np.ndarray,
    ratio: np.ndarray,
    spread: np.ndarray,
    settings: TrackingSettings,
    capture: Capture,
) -> None:
    u = np.hypot(spread, capture.u_flatness()) * ratio
    out.traces.append(Trace("tracking", 1, x, "1", ratio, "1", None, 2 * u))
    worst = int(np.argmax(np.abs(np.log(ratio))))
    error = math.exp(abs(math.log(ratio[worst])))
    out.add("tracking_error", 0, error, "1", float(u[worst]), note=f"at {settings.places()[round(x[worst]) - 1]}")
    for at, value, own in zip(x.tolist(), ratio.tolist(), u.tolist(), strict=True):
        out.add("difference_at_position", 0, value, "1", own, settings.at(settings.places()[round(at) - 1]))

"""Volume-control tracking: how far the channels part at each position of a knob."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.tone import analyze_tone
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.definition import Definition
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text
from utter_calm.rig import RigProfile
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
    duration_s: float = setting(0.4, "Record each for", "s", low=0.05, high=20)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and a knob without positions."""
        StepSettings.check(self)
        if not self.knob.strip() or len(self.places()) < 2:
            raise InputError(
                "Tracking needs a knob and at least two positions.", hint="As in: volume; quarter, half, full."
            )

    def places(self) -> list[str]:
        """Positions in their order."""
        return [p.strip() for p in self.positions.split(",") if p.strip()]


class Tracking(StepKind[TrackingSettings]):
    """A tone at every position of a knob."""

    key = "tracking"
    title = "Volume tracking"
    question = "How far the channels part at each position of the volume control"
    settings_type = TrackingSettings
    headline = "tracking_error"
    main_readings = ("tracking_error", "gain_at_position")
    definitions = {
        "tracking_error": Definition("channels part by", "db", "Largest ratio of the channels' levels over all positions.",
                                     better="low"),
        "gain_at_position": Definition("gain at", "db", "Level at the unit's output over that at the rig's output, at a position."),
        "difference_at_position": Definition("channel 2 re 1 at", "db", "Ratio of the channels' levels at a position."),
    }  # fmt: skip
    plots = (
        PlotSpec("tracking", "Channel difference against position", ("tracking",), "position", "channel 2 re 1 in dB", x_log=False,
                 detail=0.5, short="difference"),
        PlotSpec("gain", "Gain against position", ("position_gain",), "position", "gain in dB", x_log=False, short="gain"),
    )  # fmt: skip

    def signal(self, settings: TrackingSettings) -> str:
        """Say what is played."""
        return f"sine {si_text(settings.frequency_hz, 'Hz', digits=3)}, {len(settings.places())} positions"

    def expected_s(self, settings: TrackingSettings) -> float:
        """One passage for each position."""
        return len(settings.places()) * (settings.duration_s + _SETTLE_S + _RAMP_S)

    def passages(self, settings: TrackingSettings, rig: RigProfile) -> Passages:  # noqa: ARG002
        """Play the tone at every position."""
        rate = settings.rate_hz
        ramp = round(_RAMP_S * rate)
        frames = round((settings.duration_s + _SETTLE_S + _RAMP_S) * rate)
        volts = with_ramps(sine(settings.frequency_hz, settings.level_v * math.sqrt(2), rate, frames), ramp, ramp)
        for number, place in enumerate(settings.places()):
            yield Passage(volts, {"position": float(number + 1)}, ((settings.knob.strip(), place),))

    def analyze(
        self, settings: TrackingSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every position."""
        out = ResultBuilder()
        start = round((_SETTLE_S - 0.02) * capture.rate_hz)
        stop = start + round(settings.duration_s * capture.rate_hz)
        levels, spreads, places = [], [], []
        for number, (part, place) in enumerate(zip(capture.parts, settings.places(), strict=False)):
            samples = capture.part(part).samples[start:stop] * capture.scale
            try:
                tones = [analyze_tone(c, capture.rate_hz, near_hz=settings.frequency_hz) for c in samples.T]
            except NoSignal:
                out.trust.append(Trust("no_tone", f"There is no tone at “{place}”.", grave=False))
                continue
            levels.append([t.level for t in tones])
            spreads.append([t.u_level / t.level for t in tones])
            places.append(number + 1.0)
            for channel, tone in enumerate(tones, start=1):
                gain = tone.level / settings.level_v
                u_level = capture.rig.u_level if capture.rig else 0.0
                out.add(
                    "gain_at_position", channel, gain, "1", gain * math.hypot(u_level, tone.u_level / tone.level), place
                )
            if progress is not None:
                progress((number + 1) / len(capture.parts))
        table, spread, x = np.array(levels), np.array(spreads), np.array(places)
        if not len(x):
            raise NoSignal("There is a tone at no position.", hint="Check the wiring and the level.")
        for channel in range(table.shape[1]):
            out.traces.append(Trace("position_gain", channel + 1, x, "1", table[:, channel] / settings.level_v, "1"))
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
    u = np.hypot(spread, capture.rig.u_flatness if capture.rig else 0.0) * ratio
    out.traces.append(Trace("tracking", 1, x, "1", ratio, "1", None, 2 * u))
    worst = int(np.argmax(np.abs(np.log(ratio))))
    error = math.exp(abs(math.log(ratio[worst])))
    out.add("tracking_error", 0, error, "1", float(u[worst]), settings.places()[round(x[worst]) - 1])
    for at, value, own in zip(x.tolist(), ratio.tolist(), u.tolist(), strict=True):
        out.add("difference_at_position", 0, value, "1", own, settings.places()[round(at) - 1])

"""Edges: a square wave through the unit, averaged coherently."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.edges import EdgeAnalysis, analyze_edges
from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, sample_rate, setting
from utter_calm.measure.result import Reading, Result, ResultBuilder, Trace, Trust
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import si_text
from utter_calm.rig import Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.square import square

_SETTLE_S, _RAMP_S = 0.2, 0.02
_SHOWN_SAMPLES = 18
_RESTLESS, _LEAST_FLAT, _NAMED = 0.01, 0.85, 3


@dataclass(frozen=True, slots=True)
class EdgesSettings(StepSettings):
    """Settings of edges."""

    frequency_hz: float = setting(1_003.0, "Repetition", "Hz", low=100, high=20_000)
    level_v: float = setting(0.094, "Level (half the step)", "V", low=1e-6, high=100)
    duration_s: float = setting(0.5, "Averaged over", "s", low=0.02, high=60, rare=True)
    rate_hz: int = sample_rate(192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and edges too close to each other."""
        StepSettings.check(self)
        if self.rate_hz / self.frequency_hz < 16:
            raise InputError("A period of the square has fewer than 16 samples.", hint="Lower the repetition or raise the rate.")


class Edges(SingleStimulus[EdgesSettings]):
    """A square wave through the unit."""

    key = "edges"
    title = "Edges"
    question = "How fast an edge comes through, and what it leaves behind"
    settings_type = EdgesSettings
    readings = with_roles({
        "rise_time": Declared("rise time", "time", "10 % to 90 % of the step (IEC 60469), on the coherent average of all periods.",
                                better="low"),
        "fall_time": Declared("fall time", "time", "90 % to 10 % of the step.", better="low"),
        "overshoot": Declared("overshoot", "part", "Highest point after the edge beyond the upper state, over the step.",
                                better="low"),
        "ringing_frequency": Declared("ringing", "frequency", "Frequency of what swings after the edge, from its zero crossings."),
        "ringing_damping": Declared("ringing, damping", "ratio", "Damping of that as a ratio to the critical one, from how its "
                                    "swings fall.", better="high"),
        "base": Declared("base", "voltage", "The lower state (IEC 60469): median of its flat part."),
        "top": Declared("top", "voltage", "The upper state, likewise."),
        "duty": Declared("duty", "part", "Part of the period spent above the middle of the two states."),
        "droop": Declared("droop", "part", "How far the flat part sinks over its length, over the step.", better="low"),
        "slew_rate": Declared("slew", "slew", "Largest slope of the average, in volts per second. The band of the rig bounds it.",
                                better="high"),
        "step_height": Declared("step", "voltage", "Difference of the two states."),
        "rise_time_corrected": Declared("rise time, rig taken off", "time",
        "Root of the difference of squares of the rise time and "
                                          "the rig's own: exact for edges shaped like a Gaussian's integral.", better="low"),
    }, "rise_time", "overshoot", "slew_rate", "ringing_frequency", "droop", "rise_time_corrected")  # fmt: skip
    traces = {
        "edge": Declared("edge", "voltage", "The average of all periods about the rising edge."),
        "period": Declared("period", "voltage", "The average of all periods."),
    }
    plots = (
        PlotSpec("edge", "Rising edge", ("edge",), x="time", short="edge"),
        PlotSpec("period", "One period", ("period",), x="time", short="period"),
    )

    def stimulus(self, settings: EdgesSettings) -> Stimulus:
        """Give the square; half the step is the level's amplitude."""
        rate = settings.rate_hz
        frames = round((settings.duration_s + _SETTLE_S + _RAMP_S) * rate)
        ramp = round(_RAMP_S * rate)
        return Stimulus(with_ramps(square(settings.frequency_hz, settings.level_v, rate, frames), ramp, ramp), rate)

    def signal(self, settings: EdgesSettings) -> str:
        """Say what is played."""
        return f"square {si_text(settings.frequency_hz, 'Hz', digits=3)}"

    def conclude(self, settings: EdgesSettings, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute every channel."""
        out = ResultBuilder()
        start = round((_SETTLE_S - 0.02) * capture.rate_hz)
        stop = start + round(settings.duration_s * capture.rate_hz)
        for channel in capture.numbers:
            _, trust = usable_part(capture, channel)
            out.trust.extend(t for t in trust if t.code in ("overload", "lost_blocks", "interrupted", "dropout"))
            record = capture.signal(channel)[start:stop]
            add_edges(
                out,
                analyze_edges(record, capture.rate_hz, near_hz=settings.frequency_hz),
                capture,
                channel,
                start / capture.rate_hz,
            )
            if progress is not None:
                progress(channel / capture.count)
        return out.build()

    def correct(self, settings: EdgesSettings, result: Result, floor: Result) -> Result:  # noqa: ARG002
        """Take the rig's own rise time off."""
        added = []
        for reading in result.readings:
            own = floor.reading("rise_time", reading.channel)
            if reading.name == "rise_time" and own is not None and reading.value > own.value * 1.02:
                value = math.sqrt(reading.value**2 - own.value**2)
                spread = None if reading.uncertainty is None else reading.uncertainty * reading.value / value
                added.append(Reading("rise_time_corrected", reading.channel, value, "s", spread))
        return replace(result, readings=(*result.readings, *added))

    def for_floor(self, settings: EdgesSettings, rig: Rig, gain: float) -> EdgesSettings:
        """Bring the input to the same level; the square's own ripple stays below the ceiling."""
        return replace(settings, level_v=min(settings.level_v * gain, 0.98 * math.sqrt(2) * rig.ceiling_v))

    def highest_level(self, settings: EdgesSettings) -> float:
        """R.m.s. of the sine with the same peak."""
        return settings.level_v * 1.01 / math.sqrt(2)


def add_edges(out: ResultBuilder, found: EdgeAnalysis, capture: Capture, channel: int, begins_s: float = 0.0) -> None:
    """Add readings and traces of one channel, of which what was analysed begins at ``begins_s``."""
    u, flat, level = found.u, capture.u_flatness(channel), capture.u_level(channel)
    if found.slips:
        at = ", ".join(f"{begins_s + slip.first / capture.rate_hz:.3f}" for slip in found.slips[:_NAMED])
        more = "" if len(found.slips) <= _NAMED else ", ..."
        text = (f"Channel {channel} falls out of step at {at}{more} s: samples are missing there, or stand twice. The longest "
                "stretch without was measured.")  # fmt: skip
        out.trust.append(Trust("dropout", text))
    if found.odd_periods:
        text = f"On channel {channel} {found.odd_periods} periods are not like the others: a dropout, or a click."
        out.trust.append(Trust("dropout", text))
    if abs(found.restless) > _RESTLESS or found.flat < _LEAST_FLAT:
        text = f"Channel {channel} still rings or settles when the next edge comes: states, droop and overshoot are unsure."
        out.trust.append(Trust("unsettled", f"{text} Lower the repetition."))
    if found.rise_s is not None:
        out.add("rise_time", channel, found.rise_s, "s", u.get("rise_s"))
    if found.fall_s is not None:
        out.add("fall_time", channel, found.fall_s, "s", u.get("fall_s"))
    out.add("overshoot", channel, found.overshoot, "1", math.hypot(u.get("overshoot", 0.0), flat))
    if found.ringing_hz is not None:
        out.add("ringing_frequency", channel, found.ringing_hz, "Hz", u.get("ringing_hz"))
    if found.ringing_damping is not None:
        out.add("ringing_damping", channel, found.ringing_damping, "1", u.get("ringing_damping"))
    for name, state, key in (("base", found.low, "low"), ("top", found.high, "high")):
        out.add(name, channel, state, capture.unit(channel), math.hypot(u.get(key, 0.0), state * level))
    out.add("duty", channel, found.duty, "1", u.get("duty"))
    out.add("droop", channel, found.droop, "1", math.hypot(u.get("droop", 0.0), flat))
    out.add("slew_rate", channel, found.slew, f"{capture.unit(channel)}/s", math.hypot(u.get("slew", 0.0), found.slew * level))
    out.add("step_height", channel, found.step, capture.unit(channel), math.hypot(u.get("step", 0.0), found.step * level))
    near = np.abs(found.time_s) <= _SHOWN_SAMPLES / capture.rate_hz
    out.traces.append(Trace("edge", channel, found.time_s[near], "s", found.period[near], capture.unit(channel)))
    step = max(1, len(found.period) // 4_000)
    out.traces.append(Trace("period", channel, found.time_s[::step], "s", found.period[::step], capture.unit(channel)))

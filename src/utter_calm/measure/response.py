"""Response: one exponential sweep. Gain and phase against frequency, and distortion of each order out of the same sweep."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis import response as curve
from utter_calm.analysis.excitation import excitation
from utter_calm.analysis.sweep import SweepAnalysis, analyze_sweep
from utter_calm.errors import MeasurementError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, about_record, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, Stimulus, sample_rate, setting
from utter_calm.measure.parallel import each_channel
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.point import ORDERS
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.sweep_trust import heard_trust
from utter_calm.measure.swept import SweptSettings, between_silences
from utter_calm.measure.tone_readings import TONE_READINGS
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import si_text
from utter_calm.rig import FULL_SCALE


@dataclass(frozen=True, slots=True)
class ResponseSettings(SweptSettings):
    """Settings of a response."""

    start_hz: float = setting(4.0, "Start", "Hz", low=0.5, high=20_000)
    stop_hz: float = setting(84_000.0, "Stop", "Hz", low=10, high=184_000)
    duration_s: float = setting(4.0, "Duration", "s", low=0.3, high=120)
    level_v: float = setting(0.094, "Level at the output", "V", low=1e-6, high=100)
    ripple_low_hz: float = setting(20.0, "Ripple from", "Hz", low=1, high=180_000, analysis_only=True, rare=True)
    ripple_high_hz: float = setting(20_000.0, "Ripple to", "Hz", low=2, high=184_000, analysis_only=True, rare=True)
    rate_hz: int = sample_rate(192_000)


_READINGS = about_record({
    "gain_at_1khz": Declared("gain at 1 kHz", "gain", "Magnitude of the response at 1 kHz.", means="gain"),
    "deviation_at_20hz": Declared("at 20 Hz", "gain", "Response at 20 Hz relative to 1 kHz."),
    "deviation_at_20khz": Declared("at 20 kHz", "gain", "Response at 20 kHz relative to 1 kHz."),
    "upper_corner": Declared("−3 dB, upper", "frequency", "First frequency above 1 kHz at which the response is 3 dB below that at "
                               "1 kHz; interpolated in dB over log frequency.", better="high"),
    "lower_corner": Declared("−3 dB, lower", "frequency", "First frequency below 1 kHz, going down, at which the response is 3 dB "
                               "below that at 1 kHz.", better="low"),
    "ripple": Declared("ripple", "gain", "Highest over lowest response in the ripple band.", better="low"),
    "channel_difference": Declared("channels differ", "gain", "Largest ratio of the channels' responses in the ripple band.",
                                     better="low"),
    "delay": Declared("delay", "time", "Bulk delay: where the impulse response has its peak. Removed from the phase."),
    "sweep_start": Declared("sweep start", "frequency", "Start frequency of the sweep that was found in the stimulus."),
    "sweep_stop": Declared("sweep stop", "frequency", "Stop frequency of the sweep that was found in the stimulus."),
    "sweep_duration": Declared("sweep duration", "time", "Duration of the sweep that was found in the stimulus."),
    "sweep_growth": Declared("sweep growth", "time", "Time in which the frequency of the sweep grows by the factor e."),
}, "sweep_start", "sweep_stop", "sweep_duration", "sweep_growth")  # fmt: skip


class Response(SingleStimulus[ResponseSettings]):
    """One sweep through the unit."""

    key = "response"
    title = "Response"
    question = "Gain and phase from below to far above the audio band"
    settings_type = ResponseSettings
    readings = with_roles(_READINGS, "upper_corner", "lower_corner", "gain_at_1khz", "deviation_at_20hz", "deviation_at_20khz",
                          "ripple", "channel_difference")  # fmt: skip
    traces = {
        "response": Declared("response", "gain", "Complex gain over frequency, the bulk delay taken out."),
        "relative": Declared("relative to 1 kHz", "gain", "Magnitude of the response over that at 1 kHz."),
        "harmonic_#": TONE_READINGS["harmonic_#"],
    }
    plots = (
        PlotSpec("response", "Response", ("response",), detail=1.0, edges=("ripple_low_hz", "ripple_high_hz")),
        PlotSpec(
            "relative",
            "Response relative to 1 kHz",
            ("relative",),
            y_note="re 1 kHz",
            detail=1.0,
            short="re 1 kHz",
            edges=("ripple_low_hz", "ripple_high_hz"),
        ),
        PlotSpec("phase", "Phase", ("response",), y=PHASE),
        PlotSpec(
            "distortion",
            "Distortion out of the sweep",
            tuple(f"harmonic_{order}" for order in ORDERS),
            x_title="frequency of the fundamental",
            dense=True,
            unwanted=True,
            short="distortion",
        ),
    )

    def stimulus(self, settings: ResponseSettings) -> Stimulus:
        """Give the sweep between two silences: the first for what comes early, the second for what rings."""
        return between_silences(settings, min(settings.sweep.lead_s(2) * 0.5, 0.2 * settings.duration_s))

    def signal(self, settings: ResponseSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.start_hz, settings.stop_hz))
        return f"sweep {low} to {high}"

    def prepare(self, settings: ResponseSettings, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Prepared:
        """Deconvolve every channel against the known stimulus."""
        if not capture.drive_known or any(capture.unit(n) == FULL_SCALE for n in capture.numbers):
            raise MeasurementError("This recording was not made by a response step: what was played, and its units, are not known.")
        played = self.stimulus(settings)
        known = excitation(len(capture.samples), played.volts, settings.sweep, capture.rate_hz)
        analyses = each_channel(
            capture.numbers,
            lambda channel: analyze_sweep(capture.signal(channel), played.volts, settings.sweep, capture.rate_hz, known),
        )
        if progress is not None:
            progress(0.9)
        trust: list[Trust] = []
        for number, found in zip(capture.numbers, analyses, strict=True):
            trust += heard_trust(usable_part(capture, number)[1], found, number, settings.sweep, capture.rate_hz)
        return Prepared(capture, dict(zip(capture.numbers, analyses, strict=True)), tuple(trust))

    def conclude(
        self, settings: ResponseSettings, prepared: Prepared, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Give the curves, and what is read off them."""
        capture, out = prepared.capture, ResultBuilder(trust=list(prepared.trust))
        for channel, found in prepared.channels.items():
            u_level, u_flat = capture.u_level(channel), capture.u_flatness(channel)
            unit = "1" if capture.unit(channel) == "V" else f"{capture.unit(channel)}/V"
            add_response(out, found, channel, u_level=u_level, unit=unit)
            ripple = settings.ripple_low_hz, settings.ripple_high_hz
            _add_curve_readings(out, found, channel, ripple, u_level, u_flat)
            if progress is not None:
                progress(channel / capture.count)
        flat = [capture.u_flatness(channel) for channel in prepared.channels]
        _add_channel_difference(out, list(prepared.channels.values()), settings, flat)
        return out.build()


@dataclass(frozen=True, slots=True, eq=False)
class Prepared:
    """A capture with every channel deconvolved."""

    capture: Capture
    channels: dict[int, SweepAnalysis]
    trust: tuple[Trust, ...]


def add_response(
    out: ResultBuilder, found: SweepAnalysis, channel: int, *, u_level: float = 0.0, unit: str = "1", with_phase: bool = True
) -> None:
    """Add the traces ``response`` and ``harmonic_n``, and the reading ``delay`` unless phase and delay are withheld."""
    magnitude = np.abs(found.gain)
    spread = 2 * np.hypot(found.u_gain, magnitude * u_level)
    reason = "the sweep does not reach there"
    out.traces.append(
        Trace(
            "response", channel, found.frequency_hz, "Hz", magnitude, unit,
            np.unwrap(np.angle(found.gain)) if with_phase else None, spread,
            found.valid_hz, reason,
        )
    )  # fmt: skip
    for order in found.orders:
        if len(order.frequency_hz):
            out.traces.append(
                Trace(
                    f"harmonic_{order.order}", channel, order.frequency_hz, "Hz", np.abs(order.ratio), "1",
                    np.angle(order.ratio) if with_phase else None, 2 * order.noise_ratio,
                    (float(order.frequency_hz[0]), float(order.frequency_hz[-1])),
                    f"order {order.order} lies outside what can be told",
                )
            )  # fmt: skip
    if with_phase:
        out.add("delay", channel, found.delay_s, "s")


def _add_curve_readings(
    out: ResultBuilder,
    found: SweepAnalysis,
    channel: int,
    ripple_hz: tuple[float, float],
    u_level: float,
    u_flat: float,
) -> None:
    frequency, gain = found.frequency_hz, np.abs(found.gain)
    reference = curve.value_at(frequency, gain, 1000.0)
    if reference is None:
        out.trust.append(Trust("no_reference", "The sweep does not cover 1 kHz: nothing can be told relative to it."))
        return
    noise = curve.u_at(frequency, found.u_gain, 1000.0)
    out.add("gain_at_1khz", channel, reference, "1", math.hypot(noise, reference * u_level))
    relative = gain / reference
    out.traces.append(
        Trace(
            "relative", channel, frequency, "Hz", relative, "1", None,
            2 * np.hypot(found.u_gain / reference, relative * math.hypot(noise / reference, u_flat)), found.valid_hz,
            "the sweep does not reach there",
        )
    )  # fmt: skip
    for name, at in (("deviation_at_20hz", 20.0), ("deviation_at_20khz", 20_000.0)):
        value = curve.value_at(frequency, relative, at)
        if value is not None:
            spread = curve.u_at(frequency, found.u_gain, at) / reference
            out.add(name, channel, value, "1", math.hypot(spread, value * noise / reference, value * u_flat))
    lower, upper = curve.corners(frequency, relative)
    for name, corner in (("lower_corner", lower), ("upper_corner", upper)):
        if corner is None:
            edge = found.valid_hz[name == "upper_corner"]
            side = "above" if name == "upper_corner" else "below"
            out.trust.append(
                Trust(
                    f"no_{name}",
                    f"The −3 dB point lies {side} {si_text(edge, 'Hz', digits=3)}, the end of the sweep.",
                    grave=False,
                )
            )
        else:
            slope = curve.log_slope(frequency, relative, corner)
            own = curve.u_at(frequency, found.u_gain / gain, corner)
            spread = math.hypot(own, noise / reference, u_flat)
            out.add(name, channel, corner, "Hz", corner * spread / max(abs(slope), 1e-3))
    ripple = curve.ripple(frequency, gain, *ripple_hz)
    if ripple is not None:
        inside = np.flatnonzero((frequency >= ripple_hz[0]) & (frequency <= ripple_hz[1]))
        ends = inside[np.argmax(gain[inside])], inside[np.argmin(gain[inside])]
        out.add("ripple", channel, ripple, "1", ripple * math.hypot(u_flat, *(found.u_gain[k] / gain[k] for k in ends)))


def _add_channel_difference(
    out: ResultBuilder, found: list[SweepAnalysis], settings: ResponseSettings, u_flat: list[float]
) -> None:
    """Largest difference between the channels in the ripple band, as a ratio of 1 or more."""
    if len(found) < 2:
        return
    grid = found[0].frequency_hz
    inside = (grid >= settings.ripple_low_hz) & (grid <= settings.ripple_high_hz)
    if not inside.any():
        return
    gains = np.array([np.interp(grid, f.frequency_hz, np.abs(f.gain)) for f in found])[:, inside]
    noise = np.array([np.interp(grid, f.frequency_hz, f.u_gain) for f in found])[:, inside]
    ratio = gains.max(axis=0) / gains.min(axis=0)
    worst = int(np.argmax(ratio))
    ends = int(np.argmax(gains[:, worst])), int(np.argmin(gains[:, worst]))
    parts = [u_flat[k] for k in ends] + [float(noise[k, worst] / gains[k, worst]) for k in ends]
    out.add("channel_difference", 0, float(ratio[worst]), "1", float(ratio[worst]) * math.hypot(*parts))

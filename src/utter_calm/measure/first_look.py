"""First look: one tone. Is the gain right? Is there hum? Is it clipping? What are distortion and noise?"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture, FloatArray, usable_part
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, setting
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.parallel import each_channel
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_readings import TONE_DEFINITIONS, add_tone_readings
from utter_calm.measure.tone_trust import tone_trust
from utter_calm.quantities import si_text
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

_RAMP_S = 0.05
_SETTLE_S = 0.35
_SHOWN_PERIODS = 3


@dataclass(frozen=True, slots=True)
class FirstLookSettings(StepSettings):
    """Settings of a first look."""

    frequency_hz: float = setting(997.0, "Frequency", "Hz", low=2, high=90_000)
    level_v: float = setting(0.094, "Level at the output", "V", low=1e-6, high=100)
    duration_s: float = setting(2.0, "Duration", "s", low=0.25, high=120)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=96_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=96_000, analysis_only=True)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, a tone above half the rate, and an empty band."""
        StepSettings.check(self)
        if self.frequency_hz >= self.rate_hz / 2:
            raise InputError(
                f"A tone of {self.frequency_hz:g} Hz cannot be made at a rate of {self.rate_hz} Hz.",
                hint="Lower the frequency or raise the rate.",
            )
        if self.band_low_hz >= self.band_high_hz:
            raise InputError(
                f"The band from {self.band_low_hz:g} to {self.band_high_hz:g} Hz is empty.",
                hint="Swap or widen its limits.",
            )


class FirstLook(SingleStimulus[FirstLookSettings]):
    """One tone through the unit."""

    key = "first_look"
    title = "First look"
    question = "Gain, distortion, noise and hum with one tone"
    settings_type = FirstLookSettings
    definitions = TONE_DEFINITIONS
    headline = "thd_n"
    main_readings = ("thd_n", "level", "power", "gain", "noise", "thd", "sinad", "mains_frequency", "headroom")
    plots = (
        PlotSpec("spectrum", "Spectrum", ("spectrum",), "frequency in Hz", "level in dBV", dense=True, unwanted=True),
        PlotSpec("waveform", "Waveform", ("waveform",), "time in ms", "voltage in V", x_log=False, y="linear"),
    )

    def stimulus(self, settings: FirstLookSettings) -> Stimulus:
        """Give a ramped tone, long enough to settle before the part that is analysed."""
        rate = settings.rate_hz
        frames = round((settings.duration_s + _SETTLE_S + _RAMP_S) * rate)
        tone = sine(settings.frequency_hz, settings.level_v * math.sqrt(2), rate, frames)
        ramp = round(_RAMP_S * rate)
        return Stimulus(with_ramps(tone, ramp, ramp), rate)

    def signal(self, settings: FirstLookSettings) -> str:
        """Say what is played."""
        return f"sine {si_text(settings.frequency_hz, 'Hz', digits=3)}"

    def analyze(
        self, settings: FirstLookSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every channel: readings as in docs/readings.md, traces ``spectrum`` and ``waveform``."""
        out = ResultBuilder()

        def one(channel: int) -> ResultBuilder:
            own = ResultBuilder()
            tone = _analyze_channel(settings, capture, channel, own)
            _compare_drive(settings, capture, channel, tone, own)
            return own

        for own in each_channel(capture.channels, one):
            out.readings += own.readings
            out.traces += own.traces
            out.trust += own.trust
        if progress is not None:
            progress(1.0)
        return out.build()


def _analyze_channel(settings: FirstLookSettings, capture: Capture, channel: int, out: ResultBuilder) -> ToneAnalysis:
    band = settings.band_low_hz, settings.band_high_hz
    if capture.drive_known:
        start = round((_SETTLE_S - 0.02) * capture.rate_hz)
        stop = start + round(settings.duration_s * capture.rate_hz)
        samples, near = capture.channel(channel)[start:stop], settings.frequency_hz
        whole = replace(capture, samples=samples[:, None], overload=capture.overload[channel - 1 : channel])
        _, trust = usable_part(whole, 1)
        trust = [replace(t, text=t.text.replace("Channel 1", f"Channel {channel}")) for t in trust]
    else:
        (samples, trust), near = usable_part(capture, channel), None
    out.trust.extend(trust)
    tone = analyze_tone(samples * capture.scale, capture.rate_hz, band_hz=band, near_hz=near)
    add_tone_readings(out, tone, capture, channel, quasi_peak=not capture.drive_known)
    out.traces.append(line_trace(tone.spectrum, channel, capture.unit))
    out.traces.append(_waveform_trace(samples * capture.scale, tone, capture, channel))
    _judge(out, tone, band, channel)
    return tone


def _compare_drive(
    settings: FirstLookSettings, capture: Capture, channel: int, tone: ToneAnalysis, out: ResultBuilder
) -> None:
    if capture.drive_known and capture.unit == "V":
        gain = tone.level / settings.level_v
        u_rel = math.hypot(tone.u_level / tone.level, capture.rig.u_level if capture.rig else 0.0)
        out.add("gain", channel, gain, "1", gain * u_rel)


def _waveform_trace(signal: FloatArray, tone: ToneAnalysis, capture: Capture, channel: int) -> Trace:
    """A few periods from a rising zero crossing on, in the middle of the record."""
    period = capture.rate_hz / tone.frequency_hz
    start = len(signal) // 2
    rising = np.flatnonzero((signal[start:-1] < tone.dc) & (signal[start + 1 :] >= tone.dc))
    start += int(rising[0]) if len(rising) else 0
    piece = signal[start : start + int(_SHOWN_PERIODS * period) + 2]
    return Trace("waveform", channel, np.arange(len(piece)) / capture.rate_hz, "s", piece, capture.unit)


def _judge(out: ResultBuilder, tone: ToneAnalysis, band: tuple[float, float], channel: int) -> None:
    """Say what limits the numbers."""
    if tone.thd is None:
        text = f"No harmonic of {tone.frequency_hz:.4g} Hz lies in the band: THD is not measurable."
        out.trust.append(Trust("no_harmonics_in_band", text, grave=False))
    else:
        missing = sum(not h.in_band for h in tone.harmonics) + (10 - 1 - len(tone.harmonics))
        if missing:
            text = f"{missing} of the harmonics 2 to 10 lie outside the band and do not count."
            out.trust.append(Trust("harmonics_outside_band", text, grave=False))
    if band[1] > tone.band_hz[1]:
        text = f"The band ends at {tone.band_hz[1]:g} Hz, half the sample rate."
        out.trust.append(Trust("band_limited_by_rate", text, grave=False))
    if not band[0] <= tone.frequency_hz <= band[1]:
        text = f"The tone at {tone.frequency_hz:.4g} Hz lies outside the measuring band."
        out.trust.append(Trust("tone_outside_band", text, grave=False))
    out.trust.extend(tone_trust(tone, channel))

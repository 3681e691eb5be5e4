"""First look: one tone. Is the gain right? Is there hum? Is it clipping? What are distortion and noise?"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.quasi_peak import QuasiPeakRecord, quasi_peak_record
from utter_calm.analysis.tone import ToneAnalysis, tone_in_band
from utter_calm.analysis.tone_fit import ToneFit
from utter_calm.errors import InputError
from utter_calm.measure.bench_readings import BENCH_READINGS, add_bench_readings
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, sample_rate, setting
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.one_tone import tone_of
from utter_calm.measure.parallel import PreparedChannels, prepare_each
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_readings import TONE_READINGS, TONE_TRACES, add_tone_readings
from utter_calm.measure.tone_trust import tone_trust
from utter_calm.measure.usable import usable_part, usable_span
from utter_calm.quantities import si_text
from utter_calm.rig import VOLTAGE
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

_RAMP_S = 0.05
_SETTLE_S = 0.35
_SHOWN_PERIODS = 3


@dataclass(frozen=True, slots=True)
class FirstLookSettings(StepSettings):
    """Settings of a first look."""

    frequency_hz: float = setting(997.0, "Frequency", "Hz", low=2, high=180_000)
    level_v: float = setting(0.094, "Level at the output", "V", low=1e-6, high=100)
    duration_s: float = setting(2.0, "Duration", "s", low=0.25, high=120)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(96_000)

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
    readings = with_roles(
        {**TONE_READINGS, **BENCH_READINGS},
        "thd_n",
        "level",
        "power",
        "gain",
        "noise",
        "thd",
        "sinad",
        "mains_frequency",
        "headroom",
    )
    traces = TONE_TRACES
    plots = (
        PlotSpec("spectrum", "Spectrum", ("spectrum",), dense=True, unwanted=True, edges=("band_low_hz", "band_high_hz")),
        PlotSpec("waveform", "Waveform", ("waveform",), x="time"),
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

    def prepare(
        self, settings: FirstLookSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> PreparedChannels[_Fitted]:
        """Fit the tone of every channel; the band does not matter yet."""
        return prepare_each(capture, lambda channel: _fitted(settings, capture, channel), progress)

    def conclude(
        self, settings: FirstLookSettings, prepared: PreparedChannels[_Fitted], *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Give readings as in docs/readings.md, traces ``spectrum`` and ``waveform``."""
        out = ResultBuilder()
        band = settings.band_low_hz, settings.band_high_hz
        capture = prepared.capture
        for channel, fitted in prepared.channels.items():
            tone = tone_in_band(fitted.tone, band)
            out.trust.extend(fitted.trust)
            add_tone_readings(out, tone, capture, channel, quasi_peak=fitted.quasi_peak)
            _compare_drive(settings, capture, channel, tone, out)
            out.traces += fitted.traces
            _judge(out, tone, band, channel)
        add_bench_readings(out, capture)
        if progress is not None:
            progress(1.0)
        return out.build()


@dataclass(frozen=True, slots=True, eq=False)
class _Fitted:
    """One channel: the tone taken out of it, its traces, and what was wrong with its record."""

    tone: ToneFit
    traces: tuple[Trace, ...]
    trust: tuple[Trust, ...]
    quasi_peak: QuasiPeakRecord | None


def _fitted(settings: FirstLookSettings, capture: Capture, channel: int) -> _Fitted:
    if capture.drive_known:
        start = round((_SETTLE_S - 0.02) * capture.rate_hz)
        where = slice(start, start + round(settings.duration_s * capture.rate_hz))
        _, trust = usable_part(replace(capture, samples=capture.samples[where]), channel)
        near = settings.frequency_hz
    else:
        where, trust = usable_span(capture, channel)
        near = None
    tone, record, said = tone_of(capture.signal(channel)[where], capture.rate_hz, channel, near_hz=near, begins=where.start)
    unit = capture.unit(channel)
    traces = (line_trace(tone.spectrum, channel, unit), _waveform_trace(record, tone, capture, channel))
    quasi_peak = None if capture.drive_known else quasi_peak_record(tone.fit.residual, capture.rate_hz)
    return _Fitted(tone, traces, (*trust, *said), quasi_peak)


def _compare_drive(settings: FirstLookSettings, capture: Capture, channel: int, tone: ToneAnalysis, out: ResultBuilder) -> None:
    if capture.drive_known and capture.of(channel).role == VOLTAGE and capture.unit(channel) == "V":
        gain = tone.level / settings.level_v
        u_rel = math.hypot(tone.u_level / tone.level, capture.u_level(channel))
        out.add("gain", channel, gain, "1", gain * u_rel)


def _waveform_trace(signal: FloatArray, tone: ToneFit, capture: Capture, channel: int) -> Trace:
    """A few periods from a rising zero crossing on, in the middle of the record."""
    period = capture.rate_hz / tone.frequency_hz
    start = len(signal) // 2
    rising = np.flatnonzero((signal[start:-1] < tone.fit.dc) & (signal[start + 1 :] >= tone.fit.dc))
    start += int(rising[0]) if len(rising) else 0
    piece = signal[start : start + int(_SHOWN_PERIODS * period) + 2]
    return Trace("waveform", channel, np.arange(len(piece)) / capture.rate_hz, "s", piece, capture.unit(channel))


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

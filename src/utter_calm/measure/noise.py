"""Noise: with the input quiet, or under a tone at -60 dBFS for the dynamic range."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.noise import NoiseAnalysis, analyze_noise, dynamic_range
from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.analysis.weighting import a_weighting, itu_468_2k
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, setting
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.result import Reading, Result, ResultBuilder, Trace, Trust
from utter_calm.measure.settings import YES_OR_NO
from utter_calm.measure.tone_readings import TONE_READINGS, TONE_TRACES
from utter_calm.rig import Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

QUIET, TONE = "quiet", "tone"
_METHODS = ((QUIET, "input quiet"), (TONE, "tone at −60 dBFS"))
TONE_HZ, TONE_FS = 997.0, 1e-3
_SETTLE_S = 0.4
_RIG_LIMITED_DB = 3.0


@dataclass(frozen=True, slots=True)
class NoiseSettings(StepSettings):
    """Settings of noise."""

    method: str = setting(QUIET, "How", choices=_METHODS)
    duration_s: float = setting(3.0, "Duration", "s", low=0.3, high=600)
    reference_v: float = setting(0.0, "Level that SNR refers to (0: none)", "V", high=1_000, analysis_only=True)
    full_scale_v: float = setting(2.0, "The unit's full scale, for dynamic range", "V", low=1e-3, high=100)
    subtract: str = setting("no", "Subtract the rig's own noise", choices=YES_OR_NO, analysis_only=True)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=96_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=96_000, analysis_only=True)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and an empty band."""
        StepSettings.check(self)
        if self.band_low_hz >= self.band_high_hz:
            raise InputError("The band is empty.", hint="Swap or widen its limits.")


class Noise(SingleStimulus[NoiseSettings]):
    """Noise of a unit."""

    key = "noise"
    title = "Noise"
    question = "How much noise, weighted and not, how dense, and which tones stand in it"
    settings_type = NoiseSettings
    readings = with_roles({
        "noise": TONE_READINGS["noise"],
        "noise_a": TONE_READINGS["noise_a"],
        "noise_468": TONE_READINGS["noise_468"],
        "noise_468_2k": Declared("noise, 468 re 2 kHz", "small_level", "R.m.s. through the weighting of ITU-R BS.468 with 0 dB at "
                                   "2 kHz (AES17). Not to be held against the quasi-peak reading.", better="low", floored=True),
        "noise_density": Declared("density", "density", "Mean noise density in the band, per root hertz, the tones taken out.",
                                    better="low", floored=True),
        "snr": TONE_READINGS["snr"],
        "dynamic_range": Declared("dynamic range", "gain", "Full-scale sine over the noise and distortion under a tone of 997 Hz "
                                    "at −60 dBFS, through the 2 kHz-referred 468 weighting, r.m.s. (AES17).", better="high"),
        "dynamic_range_a": Declared("dynamic range, A", "gain", "The same, A-weighted (IEC 61606).", better="high"),
        "dynamic_range_flat": Declared("dynamic range, flat", "gain", "The same without weighting, in the band.", better="high"),
        "idle_tone_#": Declared("idle tone {}", "small_level", "R.m.s. of the tone that stands out of the noise in place {}; its "
                                  "frequency and kinship stand beside it.", better="low"),
        "idle_tone_#_hz": Declared("idle tone {} at", "frequency", "Frequency of that tone."),
        "noise_corrected": Declared("noise, rig taken off", "small_level", "Noise with the rig's own subtracted as power; where it "
                                      "lies less than 3 dB above the rig's, an upper bound.", better="low"),
        "dc": TONE_READINGS["dc"],
    }, "noise_a", "noise", "noise_468", "noise_density", "snr", "dynamic_range", "noise_corrected")  # fmt: skip
    traces = {
        "spectrum": TONE_TRACES["spectrum"],
        "noise_density": Declared("density", "density", "Noise density, averaged over 240 steps of the axis."),
    }
    plots = (
        PlotSpec("spectrum", "Spectrum of what is left", ("spectrum",), y_title="line", dense=True, short="lines", unwanted=True,
                 edges=("band_low_hz", "band_high_hz")),
        PlotSpec("density", "Noise density, averaged over 240 steps of the axis", ("noise_density",), short="density",
                 unwanted=True),
    )  # fmt: skip

    def stimulus(self, settings: NoiseSettings) -> Stimulus:
        """Give silence, or the tone."""
        frames = round((settings.duration_s + _SETTLE_S) * settings.rate_hz)
        if settings.method == QUIET:
            return Stimulus(np.zeros(frames), settings.rate_hz)
        tone = sine(TONE_HZ, TONE_FS * settings.full_scale_v * math.sqrt(2), settings.rate_hz, frames)
        ramp = round(0.02 * settings.rate_hz)
        return Stimulus(with_ramps(tone, ramp, 0), settings.rate_hz)

    def signal(self, settings: NoiseSettings) -> str:
        """Say what is played."""
        return "no signal" if settings.method == QUIET else "997 Hz at −60 dBFS"

    def highest_level(self, settings: NoiseSettings) -> float | None:
        """Nothing, or the tone."""
        return None if settings.method == QUIET else TONE_FS * settings.full_scale_v

    def for_floor(self, settings: NoiseSettings, rig: Rig, gain: float) -> NoiseSettings:  # noqa: ARG002
        """Give the same: the rig's own noise does not depend on the unit."""
        return settings

    def conclude(self, settings: NoiseSettings, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute every channel."""
        out = ResultBuilder()
        for channel in capture.numbers:
            record = capture.signal(channel)
            if capture.drive_known:
                record = record[round(_SETTLE_S * capture.rate_hz) :]
            add_noise(out, record, capture, channel, settings)
            if progress is not None:
                progress(channel / capture.count)
        return out.build()

    def correct(self, settings: NoiseSettings, result: Result, floor: Result) -> Result:
        """Subtract the rig's own noise as power, where that was asked."""
        if settings.subtract != "yes":
            return result
        added = []
        for reading in result.readings:
            own = floor.reading("noise", reading.channel)
            if reading.name == "noise" and own is not None:
                added.append(_without(reading, own.value))
        return replace(result, readings=(*result.readings, *added))


def _without(reading: Reading, own: float) -> Reading:
    """Difference of powers; closer than 3 dB only a bound can be told (the correction is then larger than the value)."""
    rest = reading.value**2 - own**2
    if reading.value < own * 10 ** (_RIG_LIMITED_DB / 20):
        bound = math.sqrt(max(rest, 0.0)) + (reading.uncertainty or 0.0)
        return Reading("noise_corrected", reading.channel, max(bound, 0.3 * own), reading.unit, note="at most")
    value = math.sqrt(rest)
    spread = None if reading.uncertainty is None else reading.uncertainty * reading.value / value
    return Reading("noise_corrected", reading.channel, value, reading.unit, spread)


def add_noise(
    out: ResultBuilder,
    record: FloatArray,
    capture: Capture,
    channel: int,
    settings: NoiseSettings,
    *,
    look_for_tone: bool = False,
) -> None:
    """Add readings and traces of one channel; ``record`` is in the capture's unit.

    Raises
    ------
    NoSignal
        The record is digitally silent, or too short.
    """
    if len(record) < 0.1 * capture.rate_hz:
        raise NoSignal("The record is shorter than 0.1 s.", hint="Record longer.")
    if not np.any(record != record[0]):
        out.trust.append(Trust("digital_silence", f"Channel {channel} is digitally silent: the unit or the file mutes itself.",
                               grave=False))  # fmt: skip
        raise NoSignal(f"Channel {channel} is silent to the bit.", hint="A muted output says nothing about noise.")
    band = settings.band_low_hz, settings.band_high_hz
    tone = _tone_under(record, capture, band) if settings.method == TONE or look_for_tone else None
    full_scale = settings.full_scale_v if capture.unit(channel) == "V" else 1.0
    if tone is not None and (settings.method == TONE or _is_dynamic_range_tone(tone, full_scale)):
        _add_dynamic_range(out, tone, channel, full_scale)
        record = record - tone_of(tone, record, capture.rate_hz)
    found = analyze_noise(record, capture.rate_hz, band_hz=band)
    _add_readings(out, found, capture, channel, settings)
    out.traces += [line_trace(found.spectrum, channel, capture.unit(channel)), _density(found, capture, channel)]
    if band[1] > found.band_hz[1]:
        text = f"The band ends at {found.band_hz[1]:g} Hz, half the sample rate."
        out.trust.append(Trust("band_limited_by_rate", text, grave=False))


def _tone_under(record: FloatArray, capture: Capture, band: tuple[float, float]) -> ToneAnalysis | None:
    try:
        return analyze_tone(record, capture.rate_hz, band_hz=band, near_hz=TONE_HZ)
    except NoSignal:
        return None


def _is_dynamic_range_tone(tone: ToneAnalysis, full_scale: float) -> bool:
    """Whether a tone is the one that AES17 asks for: 997 Hz at -60 dBFS, within 3 dB."""
    return abs(tone.frequency_hz / TONE_HZ - 1) < 5e-3 and 0.7 < tone.level / (TONE_FS * full_scale) < 1.42


def tone_of(tone: ToneAnalysis, record: FloatArray, rate_hz: float) -> FloatArray:
    """Give the fundamental alone, as it runs through the record."""
    at = np.arange(len(record)) - (len(record) - 1) / 2
    return np.asarray(tone.level * math.sqrt(2) * np.cos(2 * np.pi * tone.frequency_hz / rate_hz * at + tone.phase_rad))


def _add_dynamic_range(out: ResultBuilder, tone: ToneAnalysis, channel: int, full_scale: float) -> None:
    harmonics = sum((h.ratio * tone.level) ** 2 for h in tone.harmonics if h.in_band)
    for name, weighting in (
        ("dynamic_range", itu_468_2k),
        ("dynamic_range_a", a_weighting),
        ("dynamic_range_flat", None),
    ):
        if weighting is None:
            power = tone.noise**2 + harmonics
        else:
            lines = np.array([h.order * tone.frequency_hz for h in tone.harmonics if h.in_band])
            levels = np.array([h.ratio * tone.level for h in tone.harmonics if h.in_band])
            power = tone.noise_spectrum.weighted_power(*tone.band_hz, weighting) + float(np.sum((weighting(lines) * levels) ** 2))
        ratio = dynamic_range(math.sqrt(power) / full_scale)
        out.add(name, channel, ratio, "1", ratio * tone.u_noise / tone.noise if tone.noise else None)


def _add_readings(out: ResultBuilder, found: NoiseAnalysis, capture: Capture, channel: int, settings: NoiseSettings) -> None:
    unit = capture.unit(channel)
    u_cal = capture.u_level(channel)
    u_rel = math.hypot(found.u_relative, u_cal)
    out.add("noise", channel, found.broadband, unit, found.broadband * u_rel)
    out.add("noise_a", channel, found.a_weighted, unit, found.a_weighted * math.hypot(found.u_a_weighted, u_cal))
    out.add("noise_468", channel, found.quasi_peak, unit, found.quasi_peak * math.hypot(found.u_quasi_peak, u_cal))
    out.add("noise_468_2k", channel, found.rms_468_2k, unit, found.rms_468_2k * math.hypot(found.u_468, u_cal))
    out.add("noise_density", channel, found.density, f"{unit}/√Hz", found.density * u_rel)
    if settings.reference_v > 0 and unit == "V":
        out.add("snr", channel, settings.reference_v / found.broadband, "1", settings.reference_v / found.broadband * u_rel)
    elif unit == "FS":
        out.add("snr", channel, 1 / found.broadband, "1", u_rel / found.broadband)
    out.add("dc", channel, found.dc if unit == "V" else found.dc / math.sqrt(2), unit)
    for number, tone in enumerate(found.tones, start=1):
        out.add(f"idle_tone_{number}", channel, tone.rms, unit, math.hypot(tone.u_rms, tone.rms * u_rel), note=tone.kinship)
        out.add(f"idle_tone_{number}_hz", channel, tone.frequency_hz, "Hz")


def _density(found: NoiseAnalysis, capture: Capture, channel: int) -> Trace:
    curve = found.density_curve
    return Trace(
        "noise_density",
        channel,
        found.density_hz,
        "Hz",
        curve,
        f"{capture.unit(channel)}/√Hz",
        None,
        2 * curve * found.u_density,
    )

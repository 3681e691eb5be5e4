"""What a record of noise tells, with or without a tone at -60 dBFS in it, as readings and traces of one channel."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.noise import NoiseAnalysis, QuietRecord, dynamic_range, noise_in_band, quiet_record
from utter_calm.analysis.third_octaves import third_octaves
from utter_calm.analysis.tone import ToneAnalysis, tone_in_band
from utter_calm.analysis.tone_fit import ToneFit, fit_tone
from utter_calm.analysis.weighting import a_weighting, itu_468_2k
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.result import ResultBuilder, Trace, Trust

TONE_HZ, TONE_FS = 997.0, 1e-3
_LOWEST_THIRD_HZ, _OF_HALF_RATE = 18.0, 0.89


@dataclass(frozen=True, slots=True, eq=False)
class PreparedNoise:
    """One channel of a record: all that does not depend on the measuring band.

    Parameters
    ----------
    quiet
        The record, the tone taken out of it.
    tone
        That tone, where it is the one for the dynamic range.
    full_scale
        Full scale of the unit, in the record's unit.
    traces
        Its spectrum and its density.
    """

    capture: Capture
    channel: int
    quiet: QuietRecord
    tone: ToneFit | None
    full_scale: float
    traces: tuple[Trace, ...]


def prepare_noise(
    record: FloatArray, capture: Capture, channel: int, *, full_scale: float, under_tone: bool, look_for_tone: bool = False
) -> PreparedNoise:
    """Make one channel ready.

    Parameters
    ----------
    record
        (n,) in the capture's unit.
    under_tone, look_for_tone
        Whether a tone at -60 dBFS was played; whether it is to be looked for in a record from elsewhere.

    Raises
    ------
    NoSignal
        The record is digitally silent, or too short.
    """
    if len(record) < 0.1 * capture.rate_hz:
        raise NoSignal("The record is shorter than 0.1 s.", hint="Record longer.")
    if not np.any(record != record[0]):
        raise NoSignal(f"Channel {channel} is silent to the bit: the unit or the file mutes itself.",
                       hint="A muted output says nothing about noise.")  # fmt: skip
    tone = _tone_under(record, capture) if under_tone or look_for_tone else None
    if tone is not None and not under_tone and not _is_dynamic_range_tone(tone, full_scale):
        tone = None
    if tone is not None:
        record = record - tone.fit.first_orders(1)
    quiet = quiet_record(record, capture.rate_hz)
    unit = capture.unit(channel)
    traces = line_trace(quiet.spectrum, channel, unit), _density(quiet, capture, channel), _thirds(quiet, channel, unit)
    return PreparedNoise(capture, channel, quiet, tone, full_scale, traces)


@dataclass(frozen=True, slots=True, eq=False)
class HeardNoise:
    """What one channel tells in a band: the noise, and the tone where there is one."""

    noise: NoiseAnalysis
    tone: ToneAnalysis | None
    band_hz: tuple[float, float]


def hear_noise(ready: PreparedNoise, band_hz: tuple[float, float]) -> HeardNoise:
    """Measure one channel in a brick-wall band (Hz)."""
    tone = None if ready.tone is None else tone_in_band(ready.tone, band_hz)
    return HeardNoise(noise_in_band(ready.quiet, band_hz), tone, band_hz)


def add_noise(out: ResultBuilder, ready: PreparedNoise, heard: HeardNoise, *, reference_v: float) -> None:
    """Add readings and traces of one channel; ``reference_v`` is what SNR refers to, 0 for nothing."""
    if heard.tone is not None:
        _add_dynamic_range(out, heard.tone, ready.channel, ready.full_scale)
    _add_readings(out, heard.noise, ready.capture, ready.channel, reference_v)
    out.traces += ready.traces
    top = heard.noise.band_hz[1]
    if heard.band_hz[1] > top:
        out.trust.append(Trust("band_limited_by_rate", f"The band ends at {top:g} Hz, half the sample rate.", grave=False))


def _tone_under(record: FloatArray, capture: Capture) -> ToneFit | None:
    try:
        return fit_tone(record, capture.rate_hz, near_hz=TONE_HZ)
    except NoSignal:
        return None


def _is_dynamic_range_tone(tone: ToneFit, full_scale: float) -> bool:
    """Whether a tone is the one that AES17 asks for: 997 Hz at -60 dBFS, within 3 dB."""
    level = abs(tone.fit.phasors[0]) / math.sqrt(2)
    return bool(abs(tone.frequency_hz / TONE_HZ - 1) < 5e-3 and 0.7 < level / (TONE_FS * full_scale) < 1.42)


def _add_dynamic_range(out: ResultBuilder, tone: ToneAnalysis, channel: int, full_scale: float) -> None:
    """Add the ratios of full scale to what is left of the record: noise, and harmonics by the weight at their own frequencies."""
    inside = [h for h in tone.harmonics if h.in_band]
    lines = np.array([h.order * tone.frequency_hz for h in inside])
    levels = np.array([h.ratio * tone.level for h in inside])
    u_levels = np.array([h.ratio_uncertainty * tone.level for h in inside])
    for name, weighting in (("dynamic_range", itu_468_2k), ("dynamic_range_a", a_weighting), ("dynamic_range_flat", None)):
        weights = np.ones(len(lines)) if weighting is None else weighting(lines)
        noise = tone.noise**2 if weighting is None else tone.residual.power(*tone.band_hz, weighting)
        total = noise + float(np.sum((weights * levels) ** 2))
        u = math.hypot(noise * tone.residual.u_relative(*tone.band_hz, weighting),
                       float(np.linalg.norm(weights**2 * levels * u_levels)))  # fmt: skip
        ratio = dynamic_range(math.sqrt(total) / full_scale)
        out.add(name, channel, ratio, "1", ratio * u / total if total > 0 else None)


def _add_readings(out: ResultBuilder, found: NoiseAnalysis, capture: Capture, channel: int, reference_v: float) -> None:
    unit = capture.unit(channel)
    u_cal = capture.u_level(channel)
    u_rel = math.hypot(found.u_relative, u_cal)
    out.add("noise", channel, found.broadband, unit, found.broadband * u_rel)
    out.add("noise_a", channel, found.a_weighted, unit, found.a_weighted * math.hypot(found.u_a_weighted, u_cal))
    out.add("noise_c", channel, found.c_weighted, unit, found.c_weighted * math.hypot(found.u_c_weighted, u_cal))
    out.add("noise_468", channel, found.quasi_peak, unit, found.quasi_peak * math.hypot(found.u_quasi_peak, u_cal))
    out.add("noise_468_2k", channel, found.rms_468_2k, unit, found.rms_468_2k * math.hypot(found.u_468, u_cal))
    out.add("noise_density", channel, found.density, f"{unit}/√Hz", found.density * math.hypot(found.u_untoned, u_cal))
    if reference_v > 0 and unit == "V":
        out.add("snr", channel, reference_v / found.broadband, "1", reference_v / found.broadband * u_rel)
    elif unit == "FS":
        out.add("snr", channel, 1 / found.broadband, "1", u_rel / found.broadband)
    out.add("dc", channel, found.dc if unit == "V" else found.dc / math.sqrt(2), unit)
    for number, tone in enumerate(found.tones, start=1):
        out.add(f"idle_tone_{number}", channel, tone.rms, unit, math.hypot(tone.u_rms, tone.rms * u_cal), note=tone.kinship)
        out.add(f"idle_tone_{number}_hz", channel, tone.frequency_hz, "Hz")


def _density(found: QuietRecord, capture: Capture, channel: int) -> Trace:
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


def _thirds(found: QuietRecord, channel: int, unit: str) -> Trace:
    """R.m.s. in thirds of an octave, the tones in it, and how far so few lines let it scatter."""
    centres, rms = third_octaves(found.spectrum, (_LOWEST_THIRD_HZ, _OF_HALF_RATE * found.rate_hz / 2))
    side = 10**0.05
    spread = np.array([found.spectrum.u_noise(c / side, c * side) for c in centres.tolist()])
    return Trace("third_octaves", channel, centres, "Hz", rms, unit, None, 2 * rms * spread)

"""Readings of a tone: what they are called, and how an analysis becomes them. Shared by all kinds that play tones."""

from __future__ import annotations

import math

from utter_calm.analysis.quasi_peak import QuasiPeakRecord
from utter_calm.analysis.tone import ToneAnalysis
from utter_calm.analysis.weighting import a_weighting, c_weighting
from utter_calm.measure.between_channels import BETWEEN_READINGS
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, about_record
from utter_calm.measure.result import Reading, ResultBuilder
from utter_calm.measure.tone_trust import frequency_moves, level_moves
from utter_calm.measure.usable import RECORD_READINGS
from utter_calm.quantities import effective_bits, power_w

TONE_READINGS: dict[str, Declared] = about_record({
    "level": Declared("level", "level", "R.m.s. of the fundamental at the unit's output, by a least-squares sine fit on the "
                        "raw record (IEEE 1057). Without known volts: FS, where a full-scale sine is 1 (AES17)."),
    "power": Declared("power", "power", "Level squared over the load's resistance."),
    "gain": Declared("gain", "gain", "Level at the unit's output over level at the rig's output.", means="gain"),
    "fundamental_frequency": Declared("frequency", "frequency", "Frequency of the fundamental, by the four-parameter sine fit "
                                      "(IEEE 1057).", digits=8),
    "frequency_start": Declared("frequency at the start", "frequency", "Where the frequency moves: at the first sample, by "
                                "the straight line through it, or the curve where it bends.", digits=8),
    "frequency_end": Declared("frequency at the end", "frequency", "Likewise, at the last sample.", digits=8),
    "flutter": Declared("flutter", "part", "Where the frequency wobbles: its largest deviation from the straight line through it, "
                          "over the mean frequency; not weighted, up to 200 wobbles a second.", better="low"),
    "flutter_rate": Declared("flutter rate", "frequency", "How often the frequency wobbles."),
    "level_start": Declared("level at the start", "level", "Where level or frequency moves: at the record's first sample, by the "
                            "straight line through the levels of eight parts."),
    "level_end": Declared("level at the end", "level", "Likewise, at the last sample."),
    "thd": Declared("THD", "distortion", "Root-sum-square of harmonics 2 to 10 that lie in the band, over the fundamental "
                      "(IEEE 1241).", better="low", floored=True),
    "thd_n": Declared("THD+N", "distortion", "All that lies in the band but the fundamental and DC, over the fundamental; never "
                        "below THD. The band is a brick wall. (Over the total, as AES17 has it, 10 % would "
                        "read 9.95 %.)", better="low", floored=True),
    "sinad": Declared("SINAD", "gain", "Inverse of THD+N.", better="high"),
    "enob": Declared("effective bits", "bits", "(SINAD in dB − 1.76) / 6.02 (IEEE 1241), in the measuring band; the tone is "
                       "taken as full scale.", better="high"),
    "noise": Declared("noise", "small_level", "R.m.s. of what remains in the band without fundamental, harmonics "
                        "2 to 10 and DC; in a noise step, of all that lies in the band but DC.", better="low", floored=True),
    "snr": Declared("SNR", "gain", "Level over noise: harmonics do not count, the band is that of the noise. Of a sweep: while it "
                      "sounds, over the silence beside it; noise slower than that lasts is not in it.", better="high"),
    "noise_a": Declared("noise, A-weighted", "small_level", "R.m.s. of the noise in the band through A-weighting (IEC 61672-1), "
                          "applied to its spectrum.", better="low", floored=True),
    "noise_c": Declared("noise, C-weighted", "small_level", "R.m.s. of the noise in the band through C-weighting (IEC 61672-1), "
                          "applied to its spectrum.", better="low", floored=True),
    "noise_468": Declared("noise, 468", "small_level", "Quasi-peak of the noise in the band through the weighting of ITU-R BS.468; "
                            "the detector reads the r.m.s. of a steady sine.", better="low", floored=True),
    "dc": Declared("DC", "voltage", "Constant part of the record. In volts instantaneous; without known volts as a part of digital "
                     "full scale."),
    "headroom": Declared("input headroom", "gain", "Digital full scale of the input over the highest sample.", better="high",
                         means="input headroom"),
    "mains_frequency": Declared("mains", "frequency", "Mains frequency whose multiples hold the most power: looked for about 50 Hz "
                                  "and about 60 Hz, not assumed."),
    "harmonic_#": Declared("harmonic {}", "distortion", "Amplitude of harmonic {} over the fundamental's; its phase is that in "
                             "x = A1 sin(t) + Ak sin(k t + phase).", better="low", floored=True),
    "mains_#": Declared("mains × {}", "small_level", "R.m.s. of the mains component at {} times the mains frequency.",
                          better="low", floored=True),
    **BETWEEN_READINGS,
    **RECORD_READINGS,
}, "frequency_start", "frequency_end", "flutter", "flutter_rate", "level_start", "level_end", "headroom",
    "mains_frequency")  # fmt: skip


TONE_TRACES: dict[str, Declared] = {
    "spectrum": Declared("spectrum", "small_level", "R.m.s. of each line of the spectrum."),
    "waveform": Declared("waveform", "voltage", "Instantaneous values of a few periods."),
}


def add_tone_readings(
    out: ResultBuilder, tone: ToneAnalysis, capture: Capture, channel: int, *, quasi_peak: QuasiPeakRecord | None = None
) -> None:
    """Turn what the tone tells into readings; calibration joins the noise in the uncertainty.

    ``quasi_peak`` is what the tone leaves, made ready for ``noise_468``; without it that reading is left out.
    """
    u_rel, unit = capture.u_level(channel), capture.unit(channel)
    out.add("fundamental_frequency", channel, tone.frequency_hz, "Hz", tone.u_frequency_hz)
    u_level = math.hypot(tone.u_level, tone.level * u_rel)
    out.add("level", channel, tone.level, unit, u_level)
    _add_motion(out, tone, capture, channel)
    if capture.load_ohm is not None and unit == "V":
        power = power_w(tone.level, capture.load_ohm)
        u_load = capture.u_load
        out.add("power", channel, power, "W", power * math.hypot(2 * u_level / tone.level, u_load))
    if tone.thd is not None:
        out.add("thd", channel, tone.thd, "1", tone.u_thd)
    out.add("thd_n", channel, tone.thd_n, "1", tone.u_thd_n)
    if tone.thd_n > 0:
        out.add("sinad", channel, tone.sinad, "1", tone.u_thd_n / tone.thd_n * tone.sinad)
        out.add("enob", channel, effective_bits(tone.sinad), "bit", 8.686 * tone.u_thd_n / tone.thd_n / 6.0206)
    out.add("noise", channel, tone.noise, unit, math.hypot(tone.u_noise, tone.noise * u_rel))
    if tone.noise > 0:
        out.add("snr", channel, tone.level / tone.noise, "1", tone.level / tone.noise * (tone.u_noise / tone.noise))
    for name, weighting in (("noise_a", a_weighting), ("noise_c", c_weighting)):
        weighted = math.sqrt(tone.residual.power(*tone.band_hz, weighting))
        u_weighted = tone.residual.u_relative(*tone.band_hz, weighting)
        out.add(name, channel, weighted, unit, weighted * math.hypot(u_weighted, u_rel))
    if quasi_peak is not None:
        peak = quasi_peak.read(tone.band_hz)
        u_peak = quasi_peak.u_relative(tone.residual.fine, tone.band_hz)
        out.add("noise_468", channel, peak, unit, peak * math.hypot(u_peak, u_rel))
    # a constant has no r.m.s. of a sine: in volts it is instantaneous, without volts it is a part of full scale
    dc_scale = 1.0 if unit == "V" else 1 / math.sqrt(2)
    out.add("dc", channel, tone.dc * dc_scale, unit, tone.u_dc * dc_scale)
    out.add("headroom", channel, capture.scale(channel) / tone.peak, "1")
    for harmonic in tone.harmonics:
        out.readings.append(
            Reading(
                f"harmonic_{harmonic.order}",
                channel,
                harmonic.ratio,
                "1",
                2 * harmonic.ratio_uncertainty,
                phase_rad=harmonic.phase_rad,
            )
        )
    if tone.mains is not None:
        out.add("mains_frequency", channel, tone.mains.frequency_hz, "Hz", tone.mains.u_frequency_hz)
        lines = zip(tone.mains.multiples.tolist(), tone.mains.rms, tone.mains.rms_uncertainty, strict=True)
        for multiple, rms, spread in lines:
            out.add(f"mains_{multiple}", channel, float(rms), unit, math.hypot(float(spread), float(rms) * u_rel))


def _add_motion(out: ResultBuilder, tone: ToneAnalysis, capture: Capture, channel: int) -> None:
    """What moves while the tone is measured; nothing where it holds still."""
    motion = tone.motion if frequency_moves(tone) else None
    if motion is not None:
        out.add("frequency_start", channel, motion.start_hz, "Hz", motion.u_hz)
        out.add("frequency_end", channel, motion.end_hz, "Hz", motion.u_hz)
        if motion.wobble:
            out.add("flutter", channel, motion.wobble, "1", motion.u_wobble)
            out.add("flutter_rate", channel, motion.wobble_hz, "Hz", motion.u_wobble_hz)
    if motion is not None or level_moves(tone):
        # the ends of a line through eight parts scatter twice as much as their mean does
        for name, level in zip(("level_start", "level_end"), tone.level_ends, strict=True):
            u_level = math.hypot(2 * tone.u_level, level * capture.u_level(channel))
            out.add(name, channel, level, capture.unit(channel), u_level)

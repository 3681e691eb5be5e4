"""One tone through a unit: level, distortion, noise, mains components.

Definitions (also in docs/readings.md): THD is the root-sum-square of harmonics 2 to 10 that lie in the band, over the
fundamental (IEEE 1241). THD+N is all that lies in the band but the fundamental and DC, over the fundamental, so that it is
never below THD; SINAD is its inverse. Noise is what remains in the band without harmonics 2 to 10. The band is a brick wall.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.harmonic_fit import HarmonicFit
from utter_calm.analysis.mains import Mains
from utter_calm.analysis.motion import Motion
from utter_calm.analysis.residual_noise import ResidualNoise
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum
from utter_calm.analysis.steadiness import FASTEST_HZ
from utter_calm.analysis.tone_fit import ToneFit, fit_tone

_WIDE_HZ, _NEAR_LINES = 3_000.0, 60


@dataclass(frozen=True, slots=True, eq=False)
class Harmonic:
    """One harmonic.

    Parameters
    ----------
    order
        2 for the second.
    ratio
        Its amplitude over the fundamental's.
    phase_rad
        In ``x = A1 sin(t) + sum Ak sin(k t + phase_k)``, within (-pi, pi].
    ratio_uncertainty
        Standard uncertainty from the noise about it (Rife and Boorstyn 1974).
    in_band
        Whether it lies in the measuring band.
    """

    order: int
    ratio: float
    phase_rad: float
    ratio_uncertainty: float
    in_band: bool


@dataclass(frozen=True, slots=True, eq=False)
class ToneAnalysis:
    """What one tone tells, in the unit of the record (r.m.s. where nothing else is said) and as plain ratios.

    Every ``u_`` field is the standard uncertainty that the record's own noise leaves. ``level_spread`` is how far parts of the
    record differ from each other, ``level_ends`` the level at its ends by the straight line through those parts, ``motion`` how the
    frequency moves, None where it holds still.
    """

    frequency_hz: float
    u_frequency_hz: float
    level: float
    u_level: float
    phase_rad: float
    dc: float
    u_dc: float
    thd: float | None
    u_thd: float
    thd_n: float
    u_thd_n: float
    noise: float
    u_noise: float
    peak: float
    harmonics: tuple[Harmonic, ...]
    mains: Mains | None
    band_hz: tuple[float, float]
    spectrum: LineSpectrum
    residual: ResidualNoise
    rest: FloatArray
    level_spread: float
    level_ends: tuple[float, float]
    motion: Motion | None

    @property
    def sinad(self) -> float:
        """Fundamental over everything else, as a ratio."""
        return 1 / self.thd_n if self.thd_n > 0 else np.inf


def analyze_tone(
    record: FloatArray, rate_hz: float, *, band_hz: tuple[float, float] = (20.0, 20_000.0), near_hz: float | None = None
) -> ToneAnalysis:
    """Measure one tone; parameters and errors as in :func:`fit_tone` and :func:`tone_in_band`."""
    return tone_in_band(fit_tone(record, rate_hz, near_hz=near_hz), band_hz)


def tone_in_band(tone: ToneFit, band_hz: tuple[float, float]) -> ToneAnalysis:
    """Give what a fitted tone tells in a brick-wall band (Hz); what reaches beyond half the rate is cut there."""
    fit, noise_lines, frequency = tone.fit, tone.residual.fine, tone.frequency_hz
    band = band_hz[0], min(band_hz[1], tone.rate_hz / 2)
    duration = tone.frames / tone.rate_hz

    amplitude = abs(fit.phasors[0])
    # variance of a fitted peak amplitude: 2 sigma^2 / n with sigma^2 = S fs / 2, that is S / T
    spread = np.array([_amplitude_spread(noise_lines, k * frequency, duration) for k in fit.orders])
    if tone.motion is not None:
        # what a motion leaves about a harmonic is lines, which a median passes over
        spread = np.maximum(spread, [_about(noise_lines, k * frequency, duration) for k in fit.orders])
    # of a line in its own place half moves an amplitude, the other half its phase
    orders = len(fit.orders)
    spread = np.hypot(spread * tone.beside.widened[:orders], tone.beside.hidden[:orders] / np.sqrt(2))
    harmonics = _harmonics(fit, frequency, band, spread)
    in_band = [h for h in harmonics if h.in_band]
    distortion = amplitude * float(np.sqrt(sum(h.ratio**2 for h in in_band)))

    freedom = tone.frames / max(1, tone.frames - fit.parameters)
    noise = float(np.sqrt(tone.residual.power(*band) * freedom))
    u_noise = noise * tone.residual.u_relative(*band)
    # what stands about a moving tone may be motion that was not followed, or noise
    excess = 0.0 if tone.motion is None else _excess(noise_lines, frequency, band)
    if noise > 0:
        u_noise = float(np.hypot(u_noise, excess / (2 * noise)))
    fundamental = amplitude / np.sqrt(2)
    rest = float(np.hypot(noise, distortion / np.sqrt(2)))
    u_distortion = _spread_of_root_sum(in_band) * fundamental
    u_rest = float(np.hypot(noise * u_noise, distortion / np.sqrt(2) * u_distortion)) / rest if rest else 0.0
    return ToneAnalysis(
        frequency_hz=frequency,
        u_frequency_hz=float(np.sqrt(3) / (np.pi * duration) * spread[0] / amplitude),
        level=fundamental,
        # a phase that is not followed costs half its mean square of the level
        u_level=float(np.hypot(spread[0] / np.sqrt(2), excess / (2 * fundamental))),
        phase_rad=float(np.angle(fit.phasors[0])),
        dc=fit.dc,
        u_dc=float(np.sqrt(noise_lines.local_density_squared(0.0) / (2 * duration))),
        thd=distortion / amplitude if in_band else None,
        u_thd=u_distortion / fundamental,
        thd_n=rest / fundamental,
        u_thd_n=u_rest / fundamental,
        noise=noise,
        u_noise=u_noise,
        peak=tone.peak,
        harmonics=harmonics,
        mains=tone.mains,
        band_hz=band,
        spectrum=tone.spectrum,
        residual=tone.residual,
        rest=fit.residual,
        level_spread=_level_spread(fit),
        level_ends=_level_ends(fit),
        motion=tone.motion,
    )


def _excess(noise: LineSpectrum, frequency_hz: float, band: tuple[float, float]) -> float:
    """Power about a tone, as far as a motion may reach, beyond that of the noise in a wide range about it."""
    low, high = max(band[0], frequency_hz - 2 * FASTEST_HZ), min(band[1], frequency_hz + 2 * FASTEST_HZ)
    if high <= low:
        return 0.0
    floor = noise.local_density_squared(frequency_hz, bins=round(_WIDE_HZ / noise.bin_hz))
    return max(0.0, noise.band_power(low, high) - floor * (high - low))


def _about(noise: LineSpectrum, frequency_hz: float, duration_s: float) -> float:
    """Amplitude spread by all of the power some lines about a frequency."""
    reach = _NEAR_LINES * noise.bin_hz
    return float(np.sqrt(noise.band_power(max(0.0, frequency_hz - reach), frequency_hz + reach) / (2 * reach * duration_s)))


def _amplitude_spread(noise: LineSpectrum, frequency_hz: float, duration_s: float) -> float:
    return float(np.sqrt(noise.local_density_squared(frequency_hz) / duration_s))


def _harmonics(fit: HarmonicFit, frequency: float, band: tuple[float, float], spread: FloatArray) -> tuple[Harmonic, ...]:
    first = fit.phasors[0]
    # Re[c e^(jwt)] = |c| sin(wt + arg c + pi/2): shift time so that the fundamental's sine starts at zero
    shift = np.angle(first) + np.pi / 2
    out = []
    for order, phasor, sigma in zip(fit.orders[1:].tolist(), fit.phasors[1:], spread[1:], strict=True):
        phase = np.angle(phasor) + np.pi / 2 - order * shift
        wrapped = float(np.pi - (np.pi - phase) % (2 * np.pi))
        inside = band[0] <= order * frequency <= band[1]
        out.append(Harmonic(order, float(abs(phasor / first)), wrapped, float(sigma / abs(first)), inside))
    return tuple(out)


def _spread_of_root_sum(harmonics: list[Harmonic]) -> float:
    """Standard uncertainty of the root-sum-square; near the noise the noise itself is the uncertainty."""
    if not harmonics:
        return 0.0
    total = np.sqrt(sum(h.ratio**2 for h in harmonics))
    weighted = np.sqrt(sum((h.ratio * h.ratio_uncertainty) ** 2 for h in harmonics))
    bias = sum(h.ratio_uncertainty**2 for h in harmonics)
    return float(np.hypot(weighted, bias) / total) if total else 0.0


def _level_spread(fit: HarmonicFit) -> float:
    """Largest relative deviation of the fundamental between parts of the record; 0 when it could not be parted."""
    if not len(fit.segment_phasors):
        return 0.0
    return float(np.ptp(np.abs(fit.segment_phasors)) / abs(fit.phasors[0]))


def _level_ends(fit: HarmonicFit) -> tuple[float, float]:
    """R.m.s. of the fundamental at the first and at the last sample, by the straight line through the parts of the record."""
    parts = np.abs(fit.segment_phasors if len(fit.segment_phasors) else fit.phasors[:1]) / np.sqrt(2)
    at = (np.arange(len(parts)) + 0.5) / len(parts)
    slope, start = np.polyfit(at, parts, 1) if len(parts) > 1 else (0.0, parts[0])
    return float(start), float(start + slope)

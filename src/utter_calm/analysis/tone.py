"""One tone through a unit: level, distortion, noise, mains components.

Definitions (also in docs/readings.md): THD is the root-sum-square of harmonics 2 to 10 that lie in the band, over the
fundamental (IEEE 1241). THD+N is all that lies in the band but the fundamental and DC, over the fundamental, so that it is
never below THD; SINAD is its inverse. Noise is what remains in the band without harmonics 2 to 10. The band is a brick wall.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.harmonic_fit import HarmonicFit, Unsettled, fit_harmonics, peak_frequency
from utter_calm.analysis.mains import Mains, find_mains
from utter_calm.analysis.motion import Motion
from utter_calm.analysis.moving_tone import follow
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum
from utter_calm.analysis.steadiness import Leaning, leaning
from utter_calm.errors import NoSignal

HIGHEST_ORDER = 10
_LOWEST_TONE_HZ = 2.0
_EXPLAINED = 0.7


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
    noise_spectrum: LineSpectrum
    rest: FloatArray
    level_spread: float
    level_ends: tuple[float, float]
    motion: Motion | None

    @property
    def sinad(self) -> float:
        """Fundamental over everything else, as a ratio."""
        return 1 / self.thd_n if self.thd_n > 0 else np.inf


@dataclass(frozen=True, slots=True, eq=False)
class ToneFit:
    """A tone fitted and taken out of its record: all that does not depend on the measuring band.

    Parameters
    ----------
    fit
        The joint fit of fundamental and harmonics.
    spectrum, noise_spectrum
        Of the record, and of what the fit leaves.
    mains
        The mains family in what is left.
    frames, rate_hz, peak
        Of the record.
    motion
        How the frequency moves; None where it holds still.
    """

    fit: HarmonicFit
    spectrum: LineSpectrum
    noise_spectrum: LineSpectrum
    mains: Mains | None
    frames: int
    rate_hz: float
    peak: float
    motion: Motion | None = None

    @property
    def frequency_hz(self) -> float:
        """Frequency of the fundamental."""
        return float(self.fit.omega * self.rate_hz / (2 * np.pi))


def analyze_tone(
    record: FloatArray, rate_hz: float, *, band_hz: tuple[float, float] = (20.0, 20_000.0), near_hz: float | None = None
) -> ToneAnalysis:
    """Measure one tone; parameters and errors as in :func:`fit_tone` and :func:`tone_in_band`."""
    return tone_in_band(fit_tone(record, rate_hz, near_hz=near_hz), band_hz)


def fit_tone(record: FloatArray, rate_hz: float, *, near_hz: float | None = None) -> ToneFit:
    """Fit a tone.

    Parameters
    ----------
    record
        (n,) samples in any unit, a tone from end to end, 1.5 periods or more; its frequency may move.
    rate_hz
        Sample rate.
    near_hz
        Where the tone is expected, within 3 %; None takes the strongest line.

    Raises
    ------
    NoSignal
        There is no tone, or the record is too short for it.
    """
    spectrum = line_spectrum(record, rate_hz)
    fit, motion = _fit(record, rate_hz, spectrum, near_hz)
    frequency = fit.omega * rate_hz / (2 * np.pi)
    noise_spectrum = line_spectrum(fit.residual, rate_hz)
    mains = find_mains(fit.residual, rate_hz, noise_spectrum, np.asarray(frequency * fit.orders, dtype=np.float64))
    return ToneFit(fit, spectrum, noise_spectrum, mains, len(record), rate_hz, float(np.max(np.abs(record))), motion)


def tone_in_band(tone: ToneFit, band_hz: tuple[float, float]) -> ToneAnalysis:
    """Give what a fitted tone tells in a brick-wall band (Hz); what reaches beyond half the rate is cut there."""
    fit, noise_spectrum, frequency = tone.fit, tone.noise_spectrum, tone.frequency_hz
    band = band_hz[0], min(band_hz[1], tone.rate_hz / 2)
    duration = tone.frames / tone.rate_hz

    amplitude = abs(fit.phasors[0])
    # variance of a fitted peak amplitude: 2 sigma^2 / n with sigma^2 = S fs / 2, that is S / T
    spread = np.array([_amplitude_spread(noise_spectrum, k * frequency, duration) for k in fit.orders])
    harmonics = _harmonics(fit, frequency, band, spread)
    in_band = [h for h in harmonics if h.in_band]
    distortion = amplitude * float(np.sqrt(sum(h.ratio**2 for h in in_band)))

    freedom = tone.frames / max(1, tone.frames - fit.parameters)
    noise = float(np.sqrt(noise_spectrum.band_power(*band) * freedom))
    u_noise = noise * noise_spectrum.u_noise(*band)
    fundamental = amplitude / np.sqrt(2)
    rest = float(np.hypot(noise, distortion / np.sqrt(2)))
    u_distortion = _spread_of_root_sum(in_band) * fundamental
    u_rest = float(np.hypot(noise * u_noise, distortion / np.sqrt(2) * u_distortion)) / rest if rest else 0.0
    return ToneAnalysis(
        frequency_hz=frequency,
        u_frequency_hz=float(np.sqrt(3) / (np.pi * duration) * spread[0] / amplitude),
        level=fundamental,
        u_level=float(spread[0] / np.sqrt(2)),
        phase_rad=float(np.angle(fit.phasors[0])),
        dc=fit.dc,
        u_dc=float(np.sqrt(noise_spectrum.local_density_squared(0.0) / (2 * duration))),
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
        noise_spectrum=noise_spectrum,
        rest=fit.residual,
        level_spread=_level_spread(fit),
        level_ends=_level_ends(fit),
        motion=tone.motion,
    )


def _fit(record: FloatArray, rate_hz: float, spectrum: LineSpectrum, near_hz: float | None) -> tuple[HarmonicFit, Motion | None]:
    low, high = (0.97 * near_hz, 1.03 * near_hz) if near_hz else (_LOWEST_TONE_HZ, rate_hz / 2)
    wide = 2 * spectrum.half_width_bins * spectrum.bin_hz
    try:
        start = peak_frequency(spectrum, low - wide if near_hz else low, high + wide if near_hz else high)
        return _steady_or_followed(record, 2 * np.pi * start / rate_hz, rate_hz)
    except ValueError as problem:
        where = f" near {near_hz:g} Hz" if near_hz else ""
        raise NoSignal(
            f"There is no tone{where} to measure: {problem}.", hint="Check the wiring and the level, or record longer."
        ) from problem


def _steady_or_followed(record: FloatArray, omega: float, rate_hz: float) -> tuple[HarmonicFit, Motion | None]:
    """Fit a steady tone; where that leaves a moving one behind, follow it."""
    fit = _steady(record, omega)
    if fit is None:
        return follow(record, omega, HIGHEST_ORDER, rate_hz)
    how = leaning(fit.residual, complex(fit.phasors[0]), fit.omega, rate_hz)
    if how is Leaning.STEADY:
        return fit, None
    try:
        followed, motion = follow(record, omega, HIGHEST_ORDER, rate_hz)
    except ValueError:
        return fit, None
    # another tone close by looks like a motion as well, but following it leaves as much as before
    if how is Leaning.MISSED and np.var(followed.residual) > _EXPLAINED * np.var(fit.residual):
        return fit, None
    return followed, motion


def _steady(record: FloatArray, omega: float) -> HarmonicFit | None:
    """Give the fit at one frequency; None where that does not settle, or nothing stands out of the noise."""
    try:
        fit = fit_harmonics(record, omega, HIGHEST_ORDER)
    except Unsettled:
        return None
    amplitude = abs(fit.phasors[0])
    return None if amplitude < 2 * np.std(fit.residual) / np.sqrt(len(record)) * 4 or not amplitude else fit


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

"""Noise: how much in a band, what the ear makes of it, how dense it is, and which tones stand in it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.idle_tones import IdleTone, find_idle_tones
from utter_calm.analysis.quasi_peak import QuasiPeakRecord, quasi_peak_record
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum
from utter_calm.analysis.weighting import a_weighting, c_weighting, itu_468_2k

_SEGMENTS = 24
_DENSITY_POINTS = 240


@dataclass(frozen=True, slots=True, eq=False)
class NoiseAnalysis:
    """What a quiet record holds, in the unit of the record.

    Parameters
    ----------
    broadband, a_weighted, c_weighted, quasi_peak, rms_468_2k
        R.m.s. in the band: plain; A- and C-weighted (IEC 61672-1); quasi-peak through ITU-R BS.468; r.m.s. through its variant
        with 0 dB at 2 kHz (AES17).
    density
        Mean density in the band with the tones taken out, unit per root hertz.
    u_relative, u_untoned, u_a_weighted, u_c_weighted, u_468, u_quasi_peak
        Relative standard uncertainties from the finite record: of ``broadband``; of ``density``; A- and C-weighted; through the 468
        weighting; of its quasi-peak, the detector's own among them.
    tones
        Tones that stand out, the strongest first.
    spectrum
        Lines of the whole record.
    density_hz, density_curve, u_density
        (m,) averaged density over frequency, tones in it, and its relative standard uncertainty.
    """

    broadband: float
    a_weighted: float
    c_weighted: float
    quasi_peak: float
    rms_468_2k: float
    density: float
    u_relative: float
    u_untoned: float
    u_a_weighted: float
    u_c_weighted: float
    u_468: float
    u_quasi_peak: float
    dc: float
    tones: tuple[IdleTone, ...]
    spectrum: LineSpectrum
    density_hz: FloatArray
    density_curve: FloatArray
    u_density: FloatArray
    band_hz: tuple[float, float]


@dataclass(frozen=True, slots=True, eq=False)
class QuietRecord:
    """A quiet record made ready: all that does not depend on the measuring band.

    Parameters
    ----------
    spectrum, bare
        Lines of the record, with its tones and without them.
    bare_a, bare_c, bare_468
        The latter through the A- and the C-weighting and through the 468 weighting with 0 dB at 2 kHz.
    density_hz, density_curve, u_density
        As in :class:`NoiseAnalysis`.
    quasi_peak
        What the detector will read.
    """

    spectrum: LineSpectrum
    bare: LineSpectrum
    bare_a: LineSpectrum
    bare_c: LineSpectrum
    bare_468: LineSpectrum
    tones: tuple[IdleTone, ...]
    density_hz: FloatArray
    density_curve: FloatArray
    u_density: FloatArray
    quasi_peak: QuasiPeakRecord
    dc: float
    rate_hz: float


def analyze_noise(record: FloatArray, rate_hz: float, *, band_hz: tuple[float, float] = (20.0, 20_000.0)) -> NoiseAnalysis:
    """Measure a quiet record (n,): everything in it counts but DC; the band is as in :func:`noise_in_band`."""
    return noise_in_band(quiet_record(record, rate_hz), band_hz)


def quiet_record(record: FloatArray, rate_hz: float) -> QuietRecord:
    """Transform a quiet record (n,) and find its tones."""
    spectrum = line_spectrum(record, rate_hz)
    averaged = averaged_spectrum(record, rate_hz)
    tones = find_idle_tones(spectrum, len(record) / rate_hz, averaged)
    bare = _without_tones(spectrum, tones)
    frequency, curve, spread = _curve(*averaged)
    return QuietRecord(
        spectrum=spectrum,
        bare=bare,
        bare_a=_through(bare, a_weighting),
        bare_c=_through(bare, c_weighting),
        bare_468=_through(bare, itu_468_2k),
        tones=tones,
        density_hz=frequency,
        density_curve=curve,
        u_density=spread,
        quasi_peak=quasi_peak_record(record, rate_hz),
        dc=float(np.mean(record)),
        rate_hz=rate_hz,
    )


def noise_in_band(quiet: QuietRecord, band_hz: tuple[float, float]) -> NoiseAnalysis:
    """Give what a quiet record tells in a brick-wall band (Hz); a tone that stands on its edge counts whole."""
    band = band_hz[0], min(band_hz[1], quiet.rate_hz / 2)
    spectrum, bare, tones = quiet.spectrum, quiet.bare, quiet.tones
    reach = spectrum.half_width_bins * spectrum.bin_hz
    edges = max(0.0, band[0] - reach), band[1] + reach
    inside = [t for t in tones if edges[0] <= t.frequency_hz <= edges[1]]
    broadband = math.sqrt(spectrum.band_power(*edges))
    width = edges[1] - edges[0] - (2 * spectrum.half_width_bins + 1) * spectrum.bin_hz * len(inside)
    a_weighted, u_a = _weighted(quiet.bare_a, bare, edges, inside, a_weighting)
    c_weighted, u_c = _weighted(quiet.bare_c, bare, edges, inside, c_weighting)
    rms_468_2k, u_468 = _weighted(quiet.bare_468, bare, edges, inside, itu_468_2k)
    return NoiseAnalysis(
        broadband=broadband,
        a_weighted=a_weighted,
        c_weighted=c_weighted,
        quasi_peak=quiet.quasi_peak.read(edges),
        rms_468_2k=rms_468_2k,
        density=math.sqrt(bare.band_power(*edges) / width) if width > 0 else 0.0,
        u_relative=_u_total(bare.band_power(*edges), bare.u_noise(*edges), inside, np.ones(len(inside))),
        u_untoned=bare.u_noise(*edges),
        u_a_weighted=u_a,
        u_c_weighted=u_c,
        u_468=u_468,
        u_quasi_peak=quiet.quasi_peak.u_relative(bare, edges),
        dc=quiet.dc,
        tones=tones,
        spectrum=spectrum,
        density_hz=quiet.density_hz,
        density_curve=quiet.density_curve,
        u_density=quiet.u_density,
        band_hz=band,
    )


def _weighted(
    weighted: LineSpectrum,
    bare: LineSpectrum,
    edges: tuple[float, float],
    inside: Sequence[IdleTone],
    weighting: Callable[[FloatArray], FloatArray],
) -> tuple[float, float]:
    """R.m.s. through a weighting and its relative standard uncertainty.

    Each tone counts by the weight at its own frequency, the rest (``bare``, and ``weighted``) line by line: the window smears a
    tone over some lines; where the weighting is steep, weighting those would pull the reading up.
    """
    weights = weighting(np.array([t.frequency_hz for t in inside])) if inside else np.empty(0)
    power = weighted.band_power(*edges)
    total = power + float(np.sum((weights * np.array([t.rms for t in inside])) ** 2))
    return math.sqrt(total), _u_total(power, bare.u_noise(*edges, weighting), inside, weights)


def _u_total(power: float, u_noise: float, inside: Sequence[IdleTone], weights: FloatArray) -> float:
    """Relative standard uncertainty of the root of a power of noise and those of weighted tones, each with its own."""
    rms, u_rms = (weights * np.array([getattr(t, name) for t in inside]) for name in ("rms", "u_rms"))
    total = power + float(np.sum(rms**2))
    return math.hypot(power * u_noise, float(np.linalg.norm(rms * u_rms))) / total if total > 0 else 0.0


def _through(spectrum: LineSpectrum, weighting: Callable[[FloatArray], FloatArray]) -> LineSpectrum:
    return replace(spectrum, line_rms=spectrum.line_rms * weighting(spectrum.frequency_hz))


def _without_tones(spectrum: LineSpectrum, tones: Sequence[IdleTone]) -> LineSpectrum:
    lines = spectrum.line_rms.copy()
    for tone in tones:
        middle = round(tone.frequency_hz / spectrum.bin_hz)
        lines[max(0, middle - spectrum.half_width_bins) : middle + spectrum.half_width_bins + 1] = 0.0
    return replace(spectrum, line_rms=lines)


def averaged_density(record: FloatArray, rate_hz: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Density over frequency.

    Half-overlapping segments are averaged as power (Welch 1967), then the lines within each step of a log grid as well.

    Returns
    -------
    tuple
        (m,) frequency in Hz, density in unit per root hertz, relative standard uncertainty of the density.
    """
    return _curve(*averaged_spectrum(record, rate_hz))


def averaged_spectrum(record: FloatArray, rate_hz: float) -> tuple[LineSpectrum, int]:
    """Lines whose power is the mean over half-overlapping segments of a record (n,), and how many there are of these."""
    size = max(256, 2 * len(record) // (_SEGMENTS + 1))
    starts = range(0, max(1, len(record) - size + 1), max(1, size // 2))
    spectra = [line_spectrum(record[s : s + size], rate_hz) for s in starts]
    power = np.mean([s.line_rms**2 for s in spectra], axis=0)
    return replace(spectra[0], line_rms=np.sqrt(power)), len(spectra)


def _curve(first: LineSpectrum, segments: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    power = first.density_squared
    frequency = first.frequency_hz
    low, high = first.half_width_bins, int(0.98 * len(frequency))
    grid = np.geomspace(frequency[low], frequency[high - 1], _DENSITY_POINTS)
    edges = np.unique(np.clip(np.searchsorted(frequency, grid), low, high - 1))
    counts = np.diff(np.append(edges, high))
    curve = np.add.reduceat(power[:high], edges) / counts
    middle = np.add.reduceat(frequency[:high], edges) / counts
    # overlapping segments under this window are as good as independent, and so is every line per noise bandwidth
    independent = segments * np.maximum(1.0, counts / first.noise_bandwidth_bins)
    return middle, np.sqrt(curve), 0.5 / np.sqrt(independent)


def dynamic_range(residual: float) -> float:
    """Dynamic range (AES17) as a ratio: a full-scale sine over the weighted residual of a tone at -60 dBFS, both in FS."""
    return 1 / residual if residual > 0 else math.inf

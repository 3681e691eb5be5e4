"""Many tones at once, and what lies between them: distortion and noise together, as music would meet it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.clock_skew import grid_base
from utter_calm.analysis.lines import LineFit, fit_lines
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum
from utter_calm.analysis.third_octaves import third_octaves
from utter_calm.analysis.transforms import rfft
from utter_calm.errors import NoSignal

_TONE_DEPTH_DB = 30.0
_MOST_TONES = 200


@dataclass(frozen=True, slots=True, eq=False)
class MultitoneAnalysis:
    """Tones and residual.

    Parameters
    ----------
    frequency_hz, rms, u_rms
        (k,) the tones, r.m.s. in the unit of the record, and its standard uncertainty from the noise beneath.
    total, u_total
        R.m.s. of all together, and its standard uncertainty from the noise beneath them.
    residual
        R.m.s. of all in the band that is no tone and not DC, over the r.m.s. of the tones.
    sfdr
        Strongest tone over the strongest single line of the rest, as a ratio (after IEEE 1241, with several tones).
    even, odd
        For tones on odd multiples of one base: the part of the residual on its even and on its odd multiples; else None.
    third_hz, third_residual
        (m,) centres of third-octave bands, and r.m.s. of the rest in each over the r.m.s. of the tones.
    clock_skew
        Relative deviation of the tones from where they were expected; None when that is not known.
    crest
        Highest sample of the record over its r.m.s.
    distortion, noise
        The residual on the grid of the tones, where their products fall, and off it, over the tones together; None where the
        record does not hold two periods of the grid, or the tones stand on none.
    spectrum, rest
        Lines of the record, and of what is left of it.
    """

    frequency_hz: FloatArray
    rms: FloatArray
    u_rms: FloatArray
    total: float
    u_total: float
    residual: float
    u_residual: float
    sfdr: float
    even: float | None
    odd: float | None
    third_hz: FloatArray
    third_residual: FloatArray
    clock_skew: float | None
    crest: float
    distortion: float | None
    noise: float | None
    spectrum: LineSpectrum
    rest: LineSpectrum
    band_hz: tuple[float, float]


def find_tones(record: FloatArray, rate_hz: float) -> FloatArray:
    """Find the frequencies in Hz of the lines within 30 dB of the strongest.

    Raises
    ------
    NoSignal
        There are none, or so many that this is no multitone.
    """
    spectrum = line_spectrum(record, rate_hz)
    lines = spectrum.line_rms
    limit = float(lines.max()) * 10 ** (-_TONE_DEPTH_DB / 20)
    reach = spectrum.half_width_bins
    inside = np.arange(reach + 2, len(lines) - reach - 2)
    candidates = inside[lines[inside] > limit]
    peaks = [k for k in candidates.tolist() if lines[k] == lines[k - reach : k + reach + 1].max()]
    if not peaks or len(peaks) > _MOST_TONES or not limit > 0:
        raise NoSignal("There are no tones that stand out.", hint="A multitone is a set of steady tones.")
    level = np.log(np.maximum(lines, 1e-300))
    out = []
    for k in peaks:
        bend = level[k - 1] - 2 * level[k] + level[k + 1]
        out.append((k + (0.5 * (level[k - 1] - level[k + 1]) / bend if bend < 0 else 0.0)) * spectrum.bin_hz)
    fit = fit_lines(record, 2 * np.pi * np.array(out) / rate_hz, refine=True)
    return np.asarray(fit.omega * rate_hz / (2 * np.pi))


@dataclass(frozen=True, slots=True, eq=False)
class TonesFit:
    """Tones fitted and taken out of their record: all that does not depend on the measuring band.

    Parameters
    ----------
    fit
        The joint fit of the tones.
    rms, u_rms, total, u_total
        (k,) r.m.s. of each, and of all together; their standard uncertainties from the noise beneath.
    plain, periods
        Power of what the fit leaves over whole periods of the tones' grid, line by line of the plain transform; how many periods.
    spectrum, rest
        Lines of the record, and of what the fit leaves.
    clock_skew, crest
        As in :class:`MultitoneAnalysis`.
    """

    fit: LineFit
    rms: FloatArray
    u_rms: FloatArray
    total: float
    u_total: float
    plain: FloatArray
    periods: int
    spectrum: LineSpectrum
    rest: LineSpectrum
    clock_skew: float | None
    rate_hz: float
    crest: float


def analyze_multitone(
    record: FloatArray,
    rate_hz: float,
    tones_hz: FloatArray,
    *,
    band_hz: tuple[float, float] = (20.0, 20_000.0),
    base_hz: float | None = None,
    own_clock: bool = False,
) -> MultitoneAnalysis:
    """Measure what lies between tones; parameters and errors as in :func:`fit_tones` and :func:`tones_in_band`."""
    return tones_in_band(fit_tones(record, rate_hz, tones_hz, own_clock=own_clock), band_hz, base_hz=base_hz)


def fit_tones(record: FloatArray, rate_hz: float, tones_hz: FloatArray, *, own_clock: bool = False) -> TonesFit:
    """Fit tones.

    Parameters
    ----------
    tones_hz
        (k,) where the tones are.
    own_clock
        Whether the recorder's clock may differ from the player's: then its skew is found and reported.

    Raises
    ------
    NoSignal
        The tones are not there.
    """
    try:
        fit = fit_lines(record, 2 * np.pi * np.asarray(tones_hz) / rate_hz, find_skew=own_clock)
    except ValueError as problem:
        raise NoSignal(f"The tones cannot be measured: {problem}.", hint="Record longer.") from problem
    rms = np.abs(fit.phasors) / math.sqrt(2)
    total = float(np.sqrt(np.sum(rms**2)))
    if not total > 2 * float(np.std(fit.residual)):
        raise NoSignal("The tones that were expected are not in the record.", hint="Is it the right recording, and loud enough?")
    spectrum, rest = line_spectrum(record, rate_hz), line_spectrum(fit.residual, rate_hz)
    crest = float(np.max(np.abs(record)) / np.sqrt(np.mean(record**2)))
    # of a fitted r.m.s. half the noise that falls together with the tone: S / 2T
    beneath = [rest.local_density_squared(f) / 2 * rate_hz / len(record) for f in (fit.omega * rate_hz / (2 * np.pi)).tolist()]
    u_total = math.sqrt(float(np.dot(rms**2, beneath))) / total
    plain, periods = _over_periods(fit, rate_hz)
    return TonesFit(
        fit, rms, np.sqrt(beneath), total, u_total, plain, periods, spectrum, rest, fit.skew if own_clock else None, rate_hz, crest
    )


def tones_in_band(tones: TonesFit, band_hz: tuple[float, float], *, base_hz: float | None = None) -> MultitoneAnalysis:
    """Give what fitted tones tell in a brick-wall band (Hz).

    ``base_hz`` is that of which the tones are odd multiples, to part even from odd products.
    """
    fit, rest, total, rate_hz = tones.fit, tones.rest, tones.total, tones.rate_hz
    band = band_hz[0], min(band_hz[1], rate_hz / 2)
    power = rest.band_power(*band)
    inside = slice(max(rest.half_width_bins, int(band[0] / rest.bin_hz)), int(band[1] / rest.bin_hz) + 1)
    even, odd = _by_parity(rest, fit, base_hz, rate_hz, band) if base_hz else (None, None)
    third, share = third_octaves(rest, band)
    on, off = _on_and_off(tones, band)
    return MultitoneAnalysis(
        frequency_hz=fit.omega * rate_hz / (2 * np.pi),
        rms=tones.rms,
        u_rms=tones.u_rms,
        total=total,
        u_total=tones.u_total,
        residual=math.sqrt(power) / total,
        u_residual=math.sqrt(power) / total * rest.u_noise(*band),
        sfdr=float(tones.rms.max() / max(float(rest.line_rms[inside].max(initial=0.0)), 1e-300)),
        even=None if even is None else even / total,
        odd=None if odd is None else odd / total,
        third_hz=third,
        third_residual=share / total,
        clock_skew=tones.clock_skew,
        crest=tones.crest,
        distortion=None if on is None else on / total,
        noise=None if off is None else off / total,
        spectrum=tones.spectrum,
        rest=rest,
        band_hz=band,
    )


def _over_periods(fit: LineFit, rate_hz: float) -> tuple[FloatArray, int]:
    """Power of a fit's rest over as many whole periods of the tones' grid as it holds; none where they stand on none."""
    base = grid_base(fit.omega * rate_hz / (2 * np.pi), rate_hz)
    periods = 0 if base is None else int(len(fit.residual) / rate_hz * base + 1e-6)
    if base is None or periods < 2:
        return np.empty(0), 0
    frames = round(periods / base * rate_hz)
    return np.asarray(np.abs(rfft(fit.residual[:frames])) ** 2 * 2 / frames**2), periods


def _on_and_off(tones: TonesFit, band: tuple[float, float]) -> tuple[float | None, float | None]:
    """R.m.s. of the rest on the tones' common grid, where products fall, and off it.

    Over whole periods of the grid a product lies on one line of the plain transform; the noise under it is told by the lines
    between.
    """
    periods, power = tones.periods, tones.plain
    if periods < 2:
        return None, None
    lines = np.arange(len(power))
    frequency = lines * (tones.rate_hz / 2 / (len(power) - 1))
    inside = (frequency >= band[0]) & (frequency <= band[1]) & (lines > 0)
    grid = lines % periods == 0
    # the noise on the grid is that of the lines beside it
    share = int(np.count_nonzero(inside & grid)) / max(1, int(np.count_nonzero(inside & ~grid)))
    beside = float(np.sum(power[inside & ~grid]))
    on = max(0.0, float(np.sum(power[inside & grid])) - share * beside)
    return math.sqrt(on), math.sqrt(beside * (1 + share))


def _by_parity(
    rest: LineSpectrum, fit: LineFit, base_hz: float, rate_hz: float, band: tuple[float, float]
) -> tuple[float | None, float | None]:
    """R.m.s. of the rest on even and on odd multiples of the base."""
    base = base_hz * (1 + fit.skew)
    reach = rest.half_width_bins * rest.bin_hz
    if base < 2.2 * reach:
        return None, None  # the record is too short to tell neighbouring multiples apart
    tones = np.sort(fit.omega * rate_hz / (2 * np.pi))
    multiple = np.arange(max(1, math.ceil(band[0] / base)), int(min(band[1], rate_hz / 2 - reach) / base) + 1)
    at = multiple * base
    right = np.clip(np.searchsorted(tones, at), 1, len(tones) - 1)
    multiple = multiple[np.minimum(np.abs(at - tones[right - 1]), np.abs(at - tones[right])) > reach]
    running = np.concatenate([[0.0], np.cumsum(rest.line_rms**2)]) / rest.noise_bandwidth_bins
    middle = np.rint(multiple * (base / rest.bin_hz)).astype(np.int64)
    power = running[middle + rest.half_width_bins + 1] - running[middle - rest.half_width_bins]
    even = multiple % 2 == 0
    return math.sqrt(float(power[even].sum())), math.sqrt(float(power[~even].sum()))

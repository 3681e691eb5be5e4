"""How far a recorder's clock is off the player's, told from tones: all of them stretched by one common factor."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.blocks import ComplexArray
from utter_calm.analysis.spectrum import FloatArray

MOST = 1e-3
"""Clocks are off by parts per million; beyond this it is another signal, not another clock."""
_FEWEST = 5
_OFF_GRID = 0.03
_AGREE = 2e-6
_LOWEST_HZ, _HIGHEST_HZ = 100.0, 20_000.0
_MOST_REST = 0.05
_MOST_DOUBT = 20e-6
_BEYOND, _LINES = 4.0, 1 << 17


def common_skew(measured_hz: FloatArray, expected_hz: FloatArray) -> float | None:
    """Give the relative deviation of tones from where they were played; None where they do not agree on one.

    Parameters
    ----------
    measured_hz, expected_hz
        (k,) each, in the same order.
    """
    if len(measured_hz) != len(expected_hz) or not len(expected_hz) or np.min(expected_hz) <= 0:
        return None
    each = np.asarray(measured_hz, dtype=np.float64) / expected_hz - 1
    weight = np.asarray(expected_hz, dtype=np.float64) ** 2  # of equally well known frequencies the high ones tell the most
    skew = float(np.sum(weight * each) / np.sum(weight))
    off = np.abs(each - skew) * expected_hz / np.max(expected_hz)
    if abs(skew) > MOST or float(off.max()) > max(_AGREE, 0.05 * abs(skew)):
        return None
    return skew


def grid_skew(tones_hz: FloatArray, rate_hz: float) -> float | None:
    """Give the skew of tones that were played on the bins of a usual grid, without knowing which; None where none fits.

    Usual are powers of two of samples at the rate of the record, and whole hertz: so multitones are made. The coarsest grid
    that holds every tone within three hundredths of its step counts; fewer than five tones could fit by chance.

    Parameters
    ----------
    tones_hz
        (k,) as measured.
    """
    found = _grid(tones_hz, rate_hz)
    return None if found is None else found[1]


def grid_base(tones_hz: FloatArray, rate_hz: float) -> float | None:
    """Give the step in Hz of the grid on which tones stand, as measured, skew and all; None where they stand on none."""
    found = _grid(tones_hz, rate_hz)
    return None if found is None else found[0] * (1 + found[1])


def on_grid(tones_hz: FloatArray, rate_hz: float) -> FloatArray:
    """Give tones as measured, moved to the grid on which they stand, skew and all; as they are where they stand on none.

    Each by itself is drawn aside by the products about it, all of them together are not.
    """
    base = grid_base(tones_hz, rate_hz)
    return tones_hz if base is None else np.asarray(np.rint(tones_hz / base) * base)


def _grid(tones_hz: FloatArray, rate_hz: float) -> tuple[float, float] | None:
    tones = np.sort(np.asarray(tones_hz, dtype=np.float64))
    if len(tones) < _FEWEST:
        return None
    bases = sorted([*(rate_hz / 2**m for m in range(9, 18)), 1.0, 2.0, 5.0, 10.0], reverse=True)
    for base in bases:
        skew = _skew_on(tones, base)
        if skew is not None:
            return base, skew
    return None


def _skew_on(tones: FloatArray, base: float) -> float | None:
    """Skew on one grid: low tones, which no skew carries to a neighbouring bin, come first."""
    skew = 0.0
    bins = np.empty(0)
    for count in range(1, len(tones) + 1):
        bins = np.append(bins, round(tones[count - 1] / (base * (1 + skew))))
        if bins[-1] < 1 or abs(tones[count - 1] - bins[-1] * base * (1 + skew)) > 0.1 * base:
            return None
        skew = float(np.sum(tones[:count] * bins) / (base * np.sum(bins**2))) - 1
    off = np.abs(tones - bins * base * (1 + skew))
    return skew if abs(skew) <= MOST and float(off.max()) <= _OFF_GRID * base else None


def sweep_skew(
    frequency_hz: FloatArray, gain: ComplexArray, growth_s: float, valid_hz: tuple[float, float]
) -> tuple[float, float] | None:
    """Give the skew between the clocks that played and recorded an exponential sweep; None where it cannot be told.

    The second value is how far it can be trusted (k = 2).

    A sweep's frequency rises by e in each ``growth_s``, so a skew s delays the frequency f by -s growth_s (ln f + const), which
    turns the phase by 2 pi s growth_s f ln f. An electronic device's phase belongs to its magnitude and is taken off; what its
    corners outside the band leave are odd powers of f, which are fitted along. It is told where these leave no more than a
    few hundredths of a radian; a crossover or a room leaves more.

    Parameters
    ----------
    frequency_hz, gain
        (n,) of the response, evenly spaced on a log axis, its bulk delay removed.
    growth_s, valid_hz
        Of the sweep, and where the response holds.
    """
    low, high = max(_LOWEST_HZ, 3 * valid_hz[0]), min(_HIGHEST_HZ, valid_hz[1] / 2)
    inside = (frequency_hz > low) & (frequency_hz < high)
    if high < 10 * low or np.count_nonzero(inside) < 50:
        return None
    f = frequency_hz[inside] / 1e3
    phase = np.unwrap(np.angle(gain[inside])) - _minimum_phase(frequency_hz, np.abs(gain), frequency_hz[inside])
    columns = [np.ones_like(f), f, f * np.log(f), 1 / f, f**3, f**-3]
    found = []
    for count in (5, 6):
        table = np.stack(columns[:count], axis=1)
        turns = np.linalg.lstsq(table, phase, rcond=None)[0]
        found.append(float(turns[2]) / (1e3 * 2 * np.pi * growth_s))
    rest = float(np.std(phase - table @ turns))
    # how far the model can be trusted: what one more corner changes, and what no corner explains
    doubt = 4 * abs(found[1] - found[0]) + rest / (1e3 * 2 * np.pi * growth_s)
    if rest > _MOST_REST or doubt > _MOST_DOUBT or abs(found[0]) > MOST:
        return None
    return found[0], doubt


def _minimum_phase(frequency_hz: FloatArray, magnitude: FloatArray, at_hz: FloatArray) -> FloatArray:
    """The phase that belongs to a magnitude, by its cepstrum (Oppenheim and Schafer); beyond its ends it is taken to go on level.

    What lies beyond the ends adds odd powers of the frequency and of its inverse.
    """
    top = _BEYOND * float(frequency_hz[-1])
    grid = np.linspace(0.0, top, _LINES // 2 + 1)
    level = np.interp(grid, frequency_hz, np.log(np.maximum(magnitude, 1e-12)))
    cepstrum = np.fft.irfft(level)
    cepstrum[1 : _LINES // 2] *= 2
    cepstrum[_LINES // 2 + 1 :] = 0
    return np.asarray(np.interp(at_hz, grid, np.fft.rfft(cepstrum).imag))

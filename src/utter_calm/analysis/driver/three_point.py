"""Where a driver resonates and how sharply, from three points of its magnitude: to begin a fit with, and to check one by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.running import running_median

FloatArray = npt.NDArray[np.float64]
_LEAST_PEAK = 0.02
_ABOVE_NOISE = 6.0
_USUAL_Q = 3.0
_MANY = 100


@dataclass(frozen=True, slots=True)
class ThreePoint:
    """What three points of the magnitude tell (Small 1972; Thiele 1971).

    Parameters
    ----------
    re, zmax
        Ohms: least resistance about the peak, and the peak.
    fs_hz
        Frequency of the peak.
    qms, qes
        Qualities from the frequencies at which the magnitude is ``Re sqrt(Zmax / Re)``; NaN where the curve does not hold them.
    sides_hz
        These two frequencies.
    """

    re: float
    zmax: float
    fs_hz: float
    qms: float
    qes: float
    sides_hz: tuple[float, float]

    @property
    def start(self) -> FloatArray:
        """(4,) logarithms of Re, Res, fs and Qms."""
        q = self.qms if np.isfinite(self.qms) else _USUAL_Q
        return np.log([self.re, max(self.zmax - self.re, 1e-3 * self.re), self.fs_hz, q])


class NoResonance(ValueError):
    """The magnitude has no peak that stands out; the text says what it is instead."""


def three_point(frequency_hz: FloatArray, magnitude: FloatArray) -> ThreePoint:
    """Find the peak of a magnitude (n,) in ohms and read it.

    Raises
    ------
    NoResonance
        There is none.
    """
    from scipy.signal import find_peaks  # noqa: PLC0415 - heavy: not before there is something to look at

    level = np.log(running_median(magnitude, 1) if len(magnitude) > 60 else magnitude)
    # of few points the peak itself is what they scatter by
    bend = np.abs(np.diff(np.log(magnitude), 2)) if len(magnitude) > _MANY else np.zeros(1)
    noise = float(np.median(bend)) / 0.6745 / np.sqrt(6)
    peaks, about = find_peaks(level, prominence=max(_LEAST_PEAK, _ABOVE_NOISE * noise))
    if not len(peaks):
        raise NoResonance(_instead(frequency_hz, magnitude))
    at = int(peaks[np.argmax(about["prominences"])])
    fs, zmax = _top(np.log(frequency_hz), magnitude, at)
    below, above = magnitude[: at + 1], magnitude[at:]
    re = 0.98 * float(min(np.min(below), np.min(above)))
    height = re * np.sqrt(zmax / re)
    left, right = _crossing(frequency_hz[: at + 1][::-1], below[::-1], height), _crossing(frequency_hz[at:], above, height)
    r0 = zmax / re
    qms = fs * np.sqrt(r0) / (right - left) if right > left else np.nan
    return ThreePoint(re, zmax, fs, float(qms), float(qms / (r0 - 1)), (left, right))


def _top(log_f: FloatArray, magnitude: FloatArray, at: int) -> tuple[float, float]:
    """Frequency and height of a peak by a parabola through three points."""
    if not 0 < at < len(log_f) - 1:
        return float(np.exp(log_f[at])), float(magnitude[at])
    x, y = log_f[at - 1 : at + 2] - log_f[at], magnitude[at - 1 : at + 2]
    bend, slope, top = np.polyfit(x, y, 2)
    if bend >= 0:
        return float(np.exp(log_f[at])), float(magnitude[at])
    place = float(np.clip(-slope / (2 * bend), x[0], x[2]))
    return float(np.exp(log_f[at] + place)), float(top + place * (slope + place * bend))


def _crossing(frequency_hz: FloatArray, magnitude: FloatArray, height: float) -> float:
    """First frequency, from the peak outwards, at which a magnitude has fallen to a height; NaN where it never does."""
    under = np.flatnonzero(magnitude < height)
    if not len(under) or under[0] == 0:
        return float("nan")
    b = int(under[0])
    share = (magnitude[b - 1] - height) / (magnitude[b - 1] - magnitude[b])
    return float(frequency_hz[b - 1] * (frequency_hz[b] / frequency_hz[b - 1]) ** share)


def _instead(frequency_hz: FloatArray, magnitude: FloatArray) -> str:
    low, high = float(magnitude.min()), float(magnitude.max())
    if high < 1.1 * low:
        return f"it is a resistance of {float(np.median(magnitude)):.4g} ohm"
    slope = float(np.polyfit(np.log(frequency_hz), np.log(magnitude), 1)[0])
    way = "rises" if slope > 0 else "falls"
    return (
        f"it {way} from {magnitude[0]:.4g} ohm at {frequency_hz[0]:.4g} Hz to {magnitude[-1]:.4g} ohm at {frequency_hz[-1]:.4g} Hz"
    )

"""A tone with its harmonics taken out of a record, whatever the tone does and whatever hums beside it.

One frequency is fitted; a tone that moves is followed. Lines of the mains that lie close to the tone or to one of its harmonics
lean on the fit, as it leans on them: both are fitted in turns until neither changes, which is their joint least-squares fit.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.harmonic_fit import HarmonicFit, Unsettled, fit_harmonics, peak_frequency
from utter_calm.analysis.hum_within import Beside, part_from_hum
from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.mains import Mains, find_mains
from utter_calm.analysis.motion import Motion
from utter_calm.analysis.moving_tone import follow
from utter_calm.analysis.record import what_is_there
from utter_calm.analysis.residual_noise import ResidualNoise, residual_noise
from utter_calm.analysis.silent_parts import missing_parts
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum
from utter_calm.analysis.steadiness import FASTEST_HZ, Leaning, leaning
from utter_calm.errors import NoSignal

HIGHEST_ORDER = 10
_LOWEST_TONE_HZ = 2.0
_EXPLAINED = 0.7
_LEANS = 0.2
_MOST_TURNS, _MOST_PARTINGS = 8, 3
_RESTS = 1e-5
_MOST_ORDERS = 250
_HEARD, _MATTERS = 1e3, 1e-5


@dataclass(frozen=True, slots=True, eq=False)
class ToneFit:
    """A tone fitted and taken out of its record: all that does not depend on the measuring band.

    Parameters
    ----------
    fit
        The joint fit of fundamental and harmonics.
    spectrum
        Of the record.
    residual
        The noise in what the fit leaves.
    mains
        The mains family in what is left.
    frames, rate_hz, peak
        Of the record.
    beside
        What lines of the mains leave in doubt of each order.
    motion
        How the frequency moves; None where it holds still.
    """

    fit: HarmonicFit
    spectrum: LineSpectrum
    residual: ResidualNoise
    mains: Mains | None
    frames: int
    rate_hz: float
    peak: float
    beside: Beside
    motion: Motion | None = None

    @property
    def frequency_hz(self) -> float:
        """Frequency of the fundamental."""
        return float(self.fit.omega * self.rate_hz / (2 * np.pi))


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
    start = _start(spectrum, rate_hz, near_hz)
    try:
        fit, motion = _steady_or_followed(record, start, spectrum, rate_hz)
    except ValueError as problem:
        raise _no_tone(problem, near_hz) from problem
    residual, mains = _remainder(fit, rate_hz)
    hum = _hum(fit.residual, omega := _beside(fit, mains, residual.fine, rate_hz))
    if hum is not None and omega is not None:
        fit, motion = _in_turns(record, fit, motion, hum, omega, spectrum, rate_hz)
        residual, mains = _remainder(fit, rate_hz)
    fit, residual, mains, beside = _parted(fit, residual, mains, rate_hz)
    if len(fit.orders) > HIGHEST_ORDER:
        fit = _lower(fit, record)
        residual = residual_noise(fit.residual, rate_hz)
    return ToneFit(fit, spectrum, residual, mains, len(record), rate_hz, float(max(record.max(), -record.min())), beside, motion)


def _remainder(fit: HarmonicFit, rate_hz: float) -> tuple[ResidualNoise, Mains | None]:
    residual = residual_noise(fit.residual, rate_hz)
    harmonics = fit.omega * rate_hz / (2 * np.pi) * fit.orders
    return residual, find_mains(fit.residual, rate_hz, residual.fine, np.asarray(harmonics, dtype=np.float64))


def _parted(
    fit: HarmonicFit, residual: ResidualNoise, mains: Mains | None, rate_hz: float
) -> tuple[HarmonicFit, ResidualNoise, Mains | None, Beside]:
    """Part harmonics and lines of the mains by their frequencies, of which those of the mains are seen better each time."""
    for _ in range(_MOST_PARTINGS):
        parted, beside = part_from_hum(fit, mains, rate_hz)
        if parted is fit or mains is None:
            break
        before, fit = mains.frequency_hz, parted
        residual, mains = _remainder(fit, rate_hz)
        if mains is None or abs(mains.frequency_hz - before) < mains.u_frequency_hz:
            break
    return fit, residual, mains, beside


def _in_turns(
    record: FloatArray,
    fit: HarmonicFit,
    motion: Motion | None,
    hum: FloatArray,
    omega: FloatArray,
    spectrum: LineSpectrum,
    rate_hz: float,
) -> tuple[HarmonicFit, Motion | None]:
    """Fit tone and hum in turns; what is left holds the hum, which is no part of the tone."""
    for _ in range(_MOST_TURNS):
        try:
            again, motion = _steady_or_followed(record - hum, fit.omega, spectrum, rate_hz)
        except ValueError:
            break
        fit = replace(again, residual=again.residual + hum)
        new = _hum(fit.residual, omega)
        if new is None:
            break
        change = float(np.max(np.abs(new - hum)))
        hum = new
        if change < _RESTS * float(np.max(np.abs(hum))):
            break
    return fit, motion


def _beside(fit: HarmonicFit, mains: Mains | None, noise: LineSpectrum, rate_hz: float) -> FloatArray | None:
    """Lines of the mains that lean on the tone or on a harmonic by more than noise does, in rad per sample; None: there are none.

    A line d cycles beside puts up to 1 / (pi d) of its amplitude on a fit of all samples alike.
    """
    if mains is None:
        return None
    lines = mains.frequency_hz * mains.multiples
    harmonics = np.asarray(fit.omega * fit.orders * rate_hz / (2 * np.pi))
    distance = np.abs(lines[:, None] - harmonics[None, :])
    duration = len(fit.residual) / rate_hz
    leans = np.sqrt(2) * mains.rms[:, None] / np.maximum(np.pi * distance * duration, 1.0)
    spread = np.sqrt([noise.local_density_squared(f) / duration for f in harmonics])
    # what looks like a wobble of the tone may be hum farther off
    near = np.any(leans > _LEANS * spread[None, :], axis=1) | (distance[:, 0] < 1.2 * FASTEST_HZ)
    return np.asarray(2 * np.pi / rate_hz * lines[near], dtype=np.float64) if np.any(near) else None


def _hum(residual: FloatArray, omega: FloatArray | None) -> FloatArray | None:
    if omega is None:
        return None
    try:
        return residual - fit_lines(residual, omega, find_skew=True).residual
    except ValueError:  # too close to each other in so short a record
        return None


def _start(spectrum: LineSpectrum, rate_hz: float, near_hz: float | None) -> float:
    low, high = (0.97 * near_hz, 1.03 * near_hz) if near_hz else (_LOWEST_TONE_HZ, rate_hz / 2)
    wide = 2 * spectrum.half_width_bins * spectrum.bin_hz if near_hz else 0.0
    try:
        return 2 * np.pi * peak_frequency(spectrum, low - wide, high + wide) / rate_hz
    except ValueError as problem:
        raise _no_tone(problem, near_hz) from problem


def _no_tone(problem: ValueError, near_hz: float | None) -> NoSignal:
    where = f" near {near_hz:g} Hz" if near_hz else ""
    return NoSignal(f"There is no tone{where} to measure: {problem}.", hint="Check the wiring and the level, or record longer.")


def _steady_or_followed(
    record: FloatArray, omega: float, spectrum: LineSpectrum, rate_hz: float
) -> tuple[HarmonicFit, Motion | None]:
    """Fit a steady tone; where that leaves a moving one behind, follow it.

    Harmonics above the tenth that stand out are fitted along, because they lean on the lower ones.
    """
    fit = _steady(record, omega)
    if fit is None:
        try:
            return follow(record, omega, HIGHEST_ORDER, rate_hz)
        except ValueError as problem:
            raise ValueError(f"the recording {what_is_there(record)}") from problem
    highest = _highest_heard(fit, spectrum, rate_hz)
    if highest > HIGHEST_ORDER:
        fit = fit_harmonics(record, fit.omega, highest)
    how = leaning(fit.residual, complex(fit.phasors[0]), fit.omega, rate_hz)
    # a tone that is missing for a while moves as little as one that is there
    if how is not Leaning.STEADY and not missing_parts(record, fit.residual, fit.omega, rate_hz):
        try:
            followed, motion = follow(record, omega, highest, rate_hz)
        except ValueError:
            return fit, None
        # another tone close by looks like a motion as well, but following it leaves as much as before
        if how is Leaning.MOVES or np.var(followed.residual) < _EXPLAINED * np.var(fit.residual):
            return followed, motion
    return fit, None


def _steady(record: FloatArray, omega: float) -> HarmonicFit | None:
    """Give the fit at one frequency; None where that does not settle, or nothing stands out of the noise."""
    try:
        fit = fit_harmonics(record, omega, HIGHEST_ORDER)
    except Unsettled:
        return None
    amplitude = abs(fit.phasors[0])
    left = float(np.linalg.norm(fit.residual))  # its mean is fitted as well
    return None if amplitude < 8 * left / len(record) or not amplitude else fit


def _highest_heard(fit: HarmonicFit, spectrum: LineSpectrum, rate_hz: float) -> int:
    """The highest order, from ten on, of which a line stands far out of what lies about it."""
    step = fit.omega * rate_hz / (2 * np.pi) / spectrum.bin_hz
    reach = spectrum.half_width_bins + 2
    most = min(_MOST_ORDERS, int((len(spectrum.line_rms) - 1 - 2 * reach) / step), len(fit.residual) // 8)
    orders = np.arange(HIGHEST_ORDER + 1, most + 1)
    if step < 2 * reach or not len(orders):
        return HIGHEST_ORDER
    at = np.round(orders * step).astype(np.int64)
    power, below, above = (spectrum.line_rms[lines] ** 2 for lines in (at, at - reach, at + reach))
    loud = (power > _HEARD * (below + above) / 2) & (power > (_MATTERS * abs(fit.phasors[0])) ** 2)
    return int(orders[loud][-1]) if np.any(loud) else HIGHEST_ORDER


def _lower(fit: HarmonicFit, record: FloatArray) -> HarmonicFit:
    lower = slice(0, HIGHEST_ORDER)
    rest = record - fit.dc - fit.first_orders(HIGHEST_ORDER)
    return replace(fit, orders=fit.orders[lower], phasors=fit.phasors[lower], residual=rest, parameters=2 * HIGHEST_ORDER + 2)

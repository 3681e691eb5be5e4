"""A driver in its box, from the impedance there: closed with one peak, vented with two and a dip between them (Small 1973)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.fit import Circuit, fit_circuit
from utter_calm.analysis.driver.observed import Observed, observed
from utter_calm.analysis.driver.parameters import Told, electrical
from utter_calm.analysis.driver.parasitic import find_parasites
from utter_calm.analysis.driver.three_point import NoResonance, three_point
from utter_calm.analysis.driver.vented import Peaks, Vented, fit_vented

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_PEAK, _RISES, _HIGH, _MOST_LEFT = 0.02, 0.1, 0.3, 0.1


@dataclass(frozen=True, slots=True, eq=False)
class Boxed:
    """What the impedance in a box tells: which box it is, the curve that fits, and its parameters."""

    vented: bool
    circuit: Circuit | Vented
    data: Observed
    told: Told


def analyse_boxed(frequency_hz: FloatArray, ohm: FloatArray, phase_rad: FloatArray | None, *, vented: bool | None = None) -> Boxed:
    """Fit the circuit of a closed or of a vented box, whichever explains the curve (n,) better where it is not said.

    Raises
    ------
    NoResonance
        There is no peak, or, for a vented box, no two.
    ValueError
        Nothing fits.
    """
    seen = three_point(frequency_hz, ohm)
    pair = _two_peaks(frequency_hz, ohm)
    if vented and pair is None:
        raise NoResonance("it has one peak, and a vented box has two")
    two, left = None, np.inf
    if pair is not None and vented is not False:
        data = observed(frequency_hz, ohm, phase_rad, about_hz=(pair.low, pair.dip, pair.high))
        fitted = fit_vented(data, pair)
        two = None if fitted is None else Boxed(True, *fitted)
        # two peaks as high as these stand on no closed box, which need not be tried then
        left = np.inf if two is None else _rest(two.data, two.circuit.impedance(two.data.s))
        if two is not None and left < (_MOST_LEFT if vented else _PEAK if pair.stand_out > _HIGH else 0.0):
            return two
    data = observed(frequency_hz, ohm, phase_rad, about_hz=(seen.fs_hz,))
    circuit, data = fit_circuit(data, seen.start)
    # a small second peak may be a panel's that rings beside a closed box's own
    clean = data
    if pair is None or pair.stand_out < _HIGH:
        circuit, clean, _ = find_parasites(data, circuit, None)
    if two is not None and left < min(_MOST_LEFT, _rest(clean, circuit.impedance(clean.s))):
        return two
    if vented:
        raise ValueError("no vented box fits")
    if _rest(clean, circuit.impedance(clean.s)) > _MOST_LEFT:
        raise ValueError("no box explains this curve: it is noisy, or something stands in series with the driver, or beside it")
    free = electrical(circuit)
    names = {"re": "re", "fs": "fc", "qms": "qmc", "qes": "qec", "qts": "qtc", "zmax": "zmax"}
    kept = [k for k, name in enumerate(free.names) if name in names]
    named = tuple(names[free.names[k]] for k in kept)
    return Boxed(False, circuit, clean, Told(named, free.values[kept], free.covariance[np.ix_(kept, kept)]))


def _rest(data: Observed, model: ComplexArray) -> float:
    """Relative r.m.s. of what a model leaves."""
    measured = data.impedance if data.phase_known else np.abs(data.impedance)
    return float(np.sqrt(np.mean(np.abs((model if data.phase_known else np.abs(model)) / measured - 1) ** 2)))


def _two_peaks(frequency_hz: FloatArray, ohm: FloatArray) -> Peaks | None:
    """The two peaks, or one and where the curve begins, if it falls from there; None where there is one only."""
    from scipy.signal import find_peaks  # noqa: PLC0415 - heavy: not before there is something to look at

    level = np.log(ohm)
    noise = float(np.median(np.abs(np.diff(level, 2)))) / 0.6745 / np.sqrt(6)
    peaks, about = find_peaks(level, prominence=max(_PEAK, 6 * noise))
    if len(peaks) == 1:  # towards low frequencies a closed box falls to its resistance: what rises has its other peak below
        high = int(peaks[0])
        dip = int(np.argmin(level[: high + 1]))
        rise = float(level[0] - level[dip])
        return Peaks(float(frequency_hz[0]), float(frequency_hz[dip]), float(frequency_hz[high]), rise) if rise > _RISES else None
    if not len(peaks):
        return None
    most = np.argsort(about["prominences"])[-2:]
    low, high = sorted(peaks[most].tolist())
    dip = low + int(np.argmin(ohm[low : high + 1]))
    lesser = float(about["prominences"][most[0]])
    return Peaks(float(frequency_hz[low]), float(frequency_hz[dip]), float(frequency_hz[high]), lesser)

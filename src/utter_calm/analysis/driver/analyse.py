"""From curves to parameters: free air, the ways to the compliance, what stands on the curve, what to doubt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.fit import Circuit, fit_circuit
from utter_calm.analysis.driver.joint import Fact, Joint, Way, fit_joint, fit_second
from utter_calm.analysis.driver.observed import Observed, observed
from utter_calm.analysis.driver.parameters import Told, electrical, mechanical
from utter_calm.analysis.driver.parasitic import Parasite, find_parasites
from utter_calm.analysis.driver.three_point import ThreePoint, three_point

FloatArray = npt.NDArray[np.float64]
FEWEST_POINTS = 20


@dataclass(frozen=True, slots=True, eq=False)
class Run:
    """One curve of a driver as it was measured: (n,) Hz rising, ohms, radians or None."""

    frequency_hz: FloatArray
    ohm: FloatArray
    phase_rad: FloatArray | None

    def observed(self, fs_hz: float) -> Observed:
        """Ready for a fit."""
        return observed(self.frequency_hz, self.ohm, self.phase_rad, about_hz=(fs_hz,))


@dataclass(frozen=True, slots=True, eq=False)
class FreeAir:
    """A driver in free air.

    Parameters
    ----------
    seen
        What three points tell: a check.
    circuit, data
        The fitted circuit, and the curve without what is not the driver's own.
    parasites
        Small resonances on it, the furthest from the smooth curve first.
    told
        Parameters.
    points_in_peak
        How many points lie where the peak is higher than its half power.
    """

    seen: ThreePoint
    circuit: Circuit
    data: Observed
    parasites: tuple[Parasite, ...]
    told: Told
    points_in_peak: int


def analyse_free_air(run: Run, pinned: tuple[float, float] | None = None) -> FreeAir:
    """Fit a driver in free air; ``pinned`` is a resistance by a meter, in ohms, and its relative standard uncertainty.

    Raises
    ------
    NoResonance
        It is none.
    ValueError
        Nothing fits.
    """
    seen = three_point(run.frequency_hz, run.ohm)
    circuit, data = fit_circuit(run.observed(seen.fs_hz), seen.start, pinned)
    circuit, data, parasites = find_parasites(data, circuit, pinned)
    told = electrical(circuit)
    fs, width = told.value("fs"), np.sqrt(told.value("zmax") / told.value("re")) / max(told.value("qms"), 0.1)
    inside = np.abs(run.frequency_hz / fs - 1) < width / 2
    return FreeAir(seen, circuit, data, parasites, told, int(np.count_nonzero(inside)))


@dataclass(frozen=True, slots=True, eq=False)
class Driver:
    """A driver whose compliance is known: from all ways together, and from each by itself (empty where there is one only)."""

    joint: Joint
    told: Told
    by_way: dict[str, Told]


def analyse_driver(
    free: FreeAir, ways: Sequence[tuple[str, Fact, Run | None]], area: Fact, pinned: tuple[float, float] | None = None
) -> Driver:
    """Fit free air together with one way to the compliance or several.

    Parameters
    ----------
    ways
        Kind, amount, and the second run where there is one; as in :class:`utter_calm.analysis.driver.joint.Way`.
    area
        Effective area of the cone in m2.

    Raises
    ------
    Opposite
        The resonance moved the wrong way.
    NoResonance, ValueError
        A second run has none, or does not fit.
    """
    ready = [Way(kind, fact) if run is None else _second(free, kind, fact, run) for kind, fact, run in ways]
    joint = fit_joint(free.circuit, free.data, ready, area, pinned)
    by_way = {}
    if len(ready) > 1:
        by_way = {w.kind: mechanical(fit_joint(free.circuit, free.data, [w], area, pinned)) for w in ready}
    return Driver(joint, mechanical(joint), by_way)


def _second(free: FreeAir, kind: str, fact: Fact, run: Run) -> Way:
    """A way by a second run, without the small resonances that stand on it."""
    seen = three_point(run.frequency_hz, run.ohm)
    found, data = fit_second(free.circuit, run.observed(seen.fs_hz))
    circuit, clean, _ = find_parasites(data, found, None)
    return Way(kind, fact, clean, circuit)

"""What was typed about a driver, held against its curve: size, nominal impedance, coils."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.driver.analyse import Run
from utter_calm.analysis.driver.coils import joined_otherwise
from utter_calm.analysis.driver.slips import LEAST_OF_NOMINAL, diameter_question, too_low
from utter_calm.analysis.running import running_median
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.quantities import si_text

_CONVERTED = ("re", "bl", "le_1k", "qes", "qms", "sensitivity_2v83")
_FROM_HZ = 20.0


def ask_diameter(out: ResultBuilder, diameter_m: float, nominal_m: float) -> None:
    """Ask back where the effective diameter does not go with the nominal size."""
    question = diameter_question(diameter_m, nominal_m)
    if question:
        across, size = (si_text(v, "m", digits=3) for v in (diameter_m, nominal_m))
        asked = f"{question[0].lower()}{question[1:]}"
        text = f"An effective diameter of {across} for a driver of {size}: {asked} 1 % in it is 4 % in Vas."
        out.trust.append(Trust("diameter_unlikely", text))


def add_nominal(out: ResultBuilder, run: Run, nominal_ohm: float) -> None:
    """Add the least impedance, and say where it is less than the nominal value allows."""
    inside = run.frequency_hz >= _FROM_HZ
    calm = running_median(run.ohm[inside], 2) if np.count_nonzero(inside) > 20 else run.ohm[inside]
    if not len(calm):
        return
    at = int(np.argmin(calm))
    least, where = float(calm[at]), float(run.frequency_hz[inside][at])
    out.add("minimum_impedance", 0, least, "ohm")
    out.add("minimum_impedance_frequency", 0, where, "Hz")
    if too_low(least, nominal_ohm):
        low, allowed, load = (si_text(v, "ohm", digits=3) for v in (least, LEAST_OF_NOMINAL * nominal_ohm, nominal_ohm))
        text = f"At {si_text(where, 'Hz', digits=3)} it has {low}: a load of {load} may not fall below {allowed} (IEC 60268-5)."
        out.trust.append(Trust("below_nominal", text))


def add_coils(out: ResultBuilder, measured: str) -> None:
    """Add what two equal coils have, joined another way than they were measured."""
    known = {r.name: r for r in out.readings if r.name in _CONVERTED}
    for how, values in joined_otherwise({n: r.value for n, r in known.items()}, measured).items():
        for name, value in values.items():
            source = known["qes" if name == "qts" else name]
            u = None if source.uncertainty is None else value * source.uncertainty / 2 / source.value
            out.add(f"{name}_{how}", 0, value, source.unit, u)

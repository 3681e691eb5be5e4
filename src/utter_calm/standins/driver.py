"""Loudspeaker drivers as electro-mechanical models behind the rig's sense resistor: what its two inputs hear.

The first column is the voltage across the driver, the second that across the sense resistor, both of the first output.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.standins.base import Bench, FloatArray, StandIn
from utter_calm.standins.linear import LinearCircuit
from utter_calm.standins.sensing import Sensing

FREE, WITH_MASS, IN_BOX = "free air", "with mass", "in the test box"
_RHO, _C = 1.2041, 343.2
_CREEP_TIMES = np.geomspace(2e-3, 2.0, 7)
"""Seconds: relaxation of the suspension over three decades."""


@dataclass(frozen=True, slots=True)
class DriverModel:
    """One driver, in SI units.

    Parameters
    ----------
    re, le, lossy
        DC resistance; inductance in series; pairs of inductance and the resistance across it, for the metal about the coil.
    bl, mms, cms, rms, sd
        Force factor, moving mass with its air in free air, compliance, mechanical losses, area.
    creep
        Part of the compliance that comes late, for each decade of time.
    mass_kg, box_m3
        What is added in the state “with mass”, and the volume of the test box.
    shelf
        Mass in kg, resonance in Hz and Q of what it stands on; None for a rigid floor.
    vent
        Resonance in Hz, Q and part of the cone's stiffness of the air behind a covered vent; None for an open one.
    leads_ohm
        Resistance of the leads.
    leak_q
        Leakage of the box that the vent is in, as its Q; None for a tight one.
    air
        Stiffness of the air in a closed box in N/m; 0 for free air.
    creep_hz
        Where the compliance is ``cms``; None for its own resonance.
    """

    re: float
    le: float
    lossy: tuple[tuple[float, float], ...]
    bl: float
    mms: float
    cms: float
    rms: float
    sd: float
    creep: float = 0.02
    mass_kg: float = 0.0
    box_m3: float = 0.01
    shelf: tuple[float, float, float] | None = None
    vent: tuple[float, float, float] | None = None
    leads_ohm: float = 0.0
    leak_q: float | None = None
    air: float = 0.0
    creep_hz: float | None = None

    def in_state(self, state: str) -> DriverModel:
        """The same with its mass or in its box: there more air moves along, and a little leaks.

        The suspension stays what it is: its compliance creeps on from what it has at the resonance in free air.
        """
        same = replace(self, creep_hz=_resonance(self))
        if state == WITH_MASS:
            return replace(same, mms=self.mms + self.mass_kg)
        if state == IN_BOX:
            moved = 0.25 * 8 / 3 * _RHO * (self.sd / math.pi) ** 1.5
            stiff = _RHO * _C**2 * self.sd**2 / self.box_m3
            return replace(same, mms=self.mms + moved, rms=1.05 * self.rms, air=stiff)
        return same


@dataclass(frozen=True, slots=True, eq=False)
class DriverCircuit:
    """The equations of a driver: states are coil current, currents of the lossy inductances, cone, creep, shelf and vent."""

    a: FloatArray
    b: FloatArray
    at: dict[str, int]

    def answer(self, state: str, rate_hz: float) -> LinearCircuit:
        """What runs them and gives one state: ``i`` the current, ``x`` the excursion."""
        row = np.zeros(len(self.b))
        row[self.at[state]] = 1.0
        return LinearCircuit(self.a, self.b, row, rate_hz)


def circuit_of(m: DriverModel, sense_ohm: float) -> DriverCircuit:
    """Write down the equations of a driver behind a resistor."""
    names = ["i", *(f"l{k}" for k in range(len(m.lossy))), "x", "u", *(f"e{k}" for k in range(len(_CREEP_TIMES)))]
    names += ["xs", "us"] if m.shelf else []
    names += ["xv", "uv"] if m.vent else []
    names += ["xl"] if m.vent and m.leak_q else []
    at = {name: k for k, name in enumerate(names)}
    n = len(names)
    a, b = np.zeros((n, n)), np.zeros(n)
    series = sense_ohm + m.leads_ohm + m.re + sum(r for _, r in m.lossy)
    a[at["i"], at["i"]] = -series / m.le
    a[at["i"], at["u"]] = -m.bl / m.le
    b[at["i"]] = 1 / m.le
    for k, (henry, ohm) in enumerate(m.lossy):
        a[at["i"], at[f"l{k}"]] = ohm / m.le
        a[at[f"l{k}"], at["i"]], a[at[f"l{k}"], at[f"l{k}"]] = ohm / henry, -ohm / henry
    _add_cone(m, a, at)
    return DriverCircuit(a, b, at)


def _add_cone(m: DriverModel, a: FloatArray, at: dict[str, int]) -> None:
    """Motion of the cone, of what its suspension remembers, and of what stands beside it."""
    step = math.log10(_CREEP_TIMES[1] / _CREEP_TIMES[0])
    late = m.creep * step * m.cms
    at_hz = m.creep_hz or _resonance(m)
    fast = m.cms - sum(late / (1 + (2 * math.pi * at_hz * t) ** 2) for t in _CREEP_TIMES)
    # force of the suspension: (x - sum e) / C; each e follows it late
    spring = np.zeros(len(at))
    spring[at["x"]] = 1 / fast
    for k in range(len(_CREEP_TIMES)):
        spring[at[f"e{k}"]] = -1 / fast
    a[at["x"], at["u"]] = 1.0
    force = -spring.copy()
    force[at["i"]] += m.bl
    force[at["u"]] -= m.rms
    force[at["x"]] -= m.air
    a[at["u"]] = force / m.mms
    for k, tau in enumerate(_CREEP_TIMES):
        a[at[f"e{k}"]] = late / tau * spring
        a[at[f"e{k}"], at[f"e{k}"]] -= 1 / tau
    if m.shelf is not None:
        mass, hertz, q = m.shelf
        w = 2 * math.pi * hertz
        # x and u are those of the cone against the frame: the frame's acceleration comes off
        shelf = -force / mass
        shelf[at["xs"]] -= w * w
        shelf[at["us"]] -= w / q
        a[at["xs"], at["us"]] = 1.0
        a[at["us"]] = shelf
        a[at["u"]] -= shelf
    if m.vent is not None:
        hertz, q, share = m.vent
        w, stiff = 2 * math.pi * hertz, share / m.cms
        # the air behind pulls on the cone through a mass of its own
        a[at["xv"], at["uv"]] = 1.0
        a[at["uv"], at["xv"]], a[at["uv"], at["uv"]], a[at["uv"], at["x"]] = -w * w, -w / q, w * w
        a[at["u"], at["x"]] -= stiff / m.mms
        a[at["u"], at["xv"]] += stiff / m.mms
        if m.leak_q is not None:
            # air that leaks follows the pressure, and takes it from cone and port
            a[at["xl"], at["x"]], a[at["xl"], at["xv"]], a[at["xl"], at["xl"]] = w / m.leak_q, -w / m.leak_q, -w / m.leak_q
            a[at["uv"], at["xl"]] = -w * w
            a[at["u"], at["xl"]] += stiff / m.mms


def _resonance(m: DriverModel) -> float:
    return 1 / (2 * math.pi * math.sqrt(m.mms * m.cms))


SURROUND = DriverModel(re=5.6, le=0.11e-3, lossy=((0.24e-3, 2.1), (0.5e-3, 14.0)), bl=6.35, mms=0.0142, cms=0.79e-3, rms=0.92,
                       sd=0.0133, mass_kg=0.0101, box_m3=0.009)  # fmt: skip
WOOFER = DriverModel(re=6.1, le=0.28e-3, lossy=((0.6e-3, 3.4), (1.2e-3, 30.0)), bl=8.9, mms=0.0265, cms=0.61e-3, rms=1.3,
                     sd=0.0219, creep=0.03, mass_kg=0.0203, box_m3=0.02)  # fmt: skip
TWEETER = DriverModel(re=3.3, le=0.02e-3, lossy=((0.02e-3, 0.9), (0.04e-3, 6.0)), bl=2.6, mms=0.31e-3, cms=0.11e-3, rms=0.42,
                      sd=7.1e-4, creep=0.005, mass_kg=0.25e-3, box_m3=2e-4)  # fmt: skip
SUBWOOFER = DriverModel(re=3.5, le=0.6e-3, lossy=((1.4e-3, 4.0), (3e-3, 45.0)), bl=9.6, mms=0.138, cms=0.19e-3, rms=4.6,
                        sd=0.0531, creep=0.05, mass_kg=0.12, box_m3=0.045)  # fmt: skip
"""One of its two coils; the other open."""

TIRED = replace(SURROUND, cms=1.31 * SURROUND.cms, rms=0.86 * SURROUND.rms)
ON_SHELF = replace(SURROUND, shelf=(1.1, 187.0, 14.0))
COVERED = replace(WOOFER, vent=(410.0, 7.0, 5.0))

_BOX_M3 = 0.032
_BOXED = _RHO * _C**2 * WOOFER.sd**2 / _BOX_M3 * WOOFER.cms
IN_VENTED_BOX = replace(WOOFER, mms=WOOFER.mms + 0.9e-3, vent=(36.0, 300.0, _BOXED), leak_q=9.0)
IN_LEAKY_BOX = replace(IN_VENTED_BOX, vent=(34.6, 300.0, _BOXED), leak_q=4.2)
"""A vented box is a second mass, of the air in its port, on the stiffness of the air between (Small 1973)."""

STATES = {"state": (FREE, WITH_MASS, IN_BOX)}
COILS = ("one coil", "in series", "in parallel", "in series, one reversed")


def of(model: DriverModel) -> Callable[[Bench], StandIn]:
    """Give what puts a driver on the bench, its knobs as they stand."""
    return lambda bench: on_bench(_coils(model, bench).in_state(bench.position("state", FREE)), bench)


def on_bench(model: DriverModel, bench: Bench) -> Sensing:
    """A running driver at the ends of the rig's leads."""
    leads = bench.leads
    longer = replace(model, leads_ohm=model.leads_ohm + leads.ohm, le=model.le + leads.henry)
    return Sensing(circuit_of(longer, bench.sense_ohm).answer("i", bench.rate_hz), bench)


def _coils(model: DriverModel, bench: Bench) -> DriverModel:
    """Two coils, of which the model has one: together they are wound about the same metal."""
    how = bench.position("coils", COILS[0])
    if how == COILS[1]:
        lossy = tuple((4 * henry, 4 * ohm) for henry, ohm in model.lossy)
        return replace(model, re=2 * model.re, le=4 * model.le, lossy=lossy, bl=2 * model.bl)
    if how == COILS[2]:
        return replace(model, re=model.re / 2)
    if how == COILS[3]:  # their forces and their fields cancel but for what they are not alike
        lossy = tuple((0.02 * henry, 0.02 * ohm) for henry, ohm in model.lossy)
        return replace(model, re=2 * model.re, le=0.05 * model.le, lossy=lossy, bl=0.03 * model.bl)
    return model

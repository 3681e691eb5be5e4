"""A driver's parameters as a result: readings, the curve with its fit, and what is to be doubted, in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from utter_calm.analysis.driver.advice import second_run
from utter_calm.analysis.driver.analyse import Driver, FreeAir, Run
from utter_calm.analysis.driver.boxed import Boxed
from utter_calm.analysis.driver.joint import BOX, MASS, SENSITIVITY
from utter_calm.analysis.driver.parameters import UNITS, Told, with_scale
from utter_calm.analysis.driver.parasitic import Parasite
from utter_calm.analysis.driver.sanity import implausible
from utter_calm.analysis.driver.suspects import BESIDE, CONE, SUPPORT, VENT, cause_of, find_jump, rough_about
from utter_calm.measure.driver_declared import READINGS
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text

_SMALL = {MASS: 0.15, BOX: 0.25}
_BETTER = {MASS: "Add more: about as much as the cone weighs.", BOX: "Take a smaller box."}
_MOVED, _SURE = 0.02, 3.0
_FEW_IN_PEAK, _ABOVE = 8, 4.0
_BY_WAY = ("mms", "cms", "rms", "bl", "vas", "eta0", "sensitivity_2v83")
_DC_APART = 0.02
_BOX_UNITS = {name: "Hz" if READINGS[name].quantity == "frequency" else "1" for name in
              ("qmc", "qec", "qtc", "fb", "f_low", "f_min", "f_high", "ql", "alpha", "fc")}  # fmt: skip


def add_free_air(
    out: ResultBuilder, free: FreeAir, run: Run, pinned: tuple[float, float] | None = None, u_scale: float = 0.0
) -> None:  # fmt: skip
    """Add what free air alone tells; ``u_scale`` is the relative standard uncertainty of all ohms together."""
    _add(out, with_scale(free.told, u_scale))
    _add_curves(out, run, free)
    fs = free.told.value("fs")
    rough = rough_about(free.data.frequency_hz, free.data.sigma / np.abs(free.data.impedance), fs)
    # beside a resonance that is rough every wave is one of that roughness
    _add_parasites(out, [p for p in free.parasites if rough is None or cause_of(p, fs) != BESIDE], fs)
    _add_suspects(out, free, run, rough)
    if run.phase_rad is None:
        out.trust.append(Trust("no_phase", "The curve has no phase: fitted by its magnitude alone.", grave=False))
    if free.points_in_peak < _FEW_IN_PEAK:
        text = f"Only {free.points_in_peak} points lie in the peak: fs and Q rest on these."
        out.trust.append(Trust("few_points", text))
    if pinned is not None and abs(free.told.value("re") / pinned[0] - 1) > _DC_APART + 2 * pinned[1]:
        text = f"The meter says {pinned[0]:.4g} Ω, the curve {free.told.value('re'):.4g} Ω: check leads and calibration."
        out.trust.append(Trust("dc_differs", text))


def add_driver(out: ResultBuilder, driver: Driver, u_scale: float = 0.0) -> None:
    """Add what the ways to the compliance tell, together and one by one; what free air tells comes from all runs too."""
    sound = all(way.kind == SENSITIVITY for way in driver.joint.ways)
    told = with_scale(driver.told, u_scale, by_sound=sound)
    out.readings[:] = [r for r in out.readings if r.name not in told.names]
    _add(out, told)
    for kind, alone in driver.by_way.items():
        own = with_scale(alone, u_scale, by_sound=kind == SENSITIVITY)
        for name in _BY_WAY:
            out.add(f"{name}_from_{kind}", 0, own.value(name), UNITS[name], own.u(name))
    for way in driver.joint.ways:
        if way.kind in _SMALL:
            _add_shift(out, told, way.kind)
        if way.kind == MASS:
            _add_moved(out, driver, way.kind)
    for name, question in implausible({n: told.value(n) for n in told.names}).items():
        shown = READINGS[name].shown(told.value(name), UNITS[name])
        out.trust.append(Trust(f"implausible_{name}", f"{READINGS[name].title} of {shown} is beyond what drivers have. {question}"))


def add_advice(out: ResultBuilder, free: FreeAir, area_m2: float) -> None:
    """Say what to do for the second run, with numbers that fit this driver."""
    advice = second_run(free.told, area_m2)
    least, most = (si_text(m, "kg", digits=2) for m in (advice.least_kg, advice.most_kg))
    text = (
        f"Free air is known. One more run gives Vas, Mms and Bl: fix {least} to {most} where dome and cone meet, or take a closed "
        f"box of at most {si_text(advice.box_m3, 'm3', digits=2)}, net of the driver."
    )
    out.trust.append(Trust("second_run", text, grave=False))


def _add_shift(out: ResultBuilder, told: Told, kind: str) -> None:
    """Say where the second run differs too little from the first."""
    several = f"shift_from_{kind}"
    shift = told.value(several if several in told.names else "shift")
    if abs(shift) < _SMALL[kind]:
        what = "mass" if kind == MASS else "box"
        text = f"The {what} moved the resonance by {100 * shift:+.1f} % only: what follows is uncertain. {_BETTER[kind]}"
        out.trust.append(Trust("shift_small", text))


def _add_moved(out: ResultBuilder, driver: Driver, kind: str) -> None:
    """Say where the compliance was another one in the run with the mass."""
    joint = driver.joint
    at = len(joint.circuit.values) + 2
    for way in joint.ways:
        if way.kind == kind:
            moved = float(joint.solution.values[at + 1])
            u = float(np.sqrt(joint.solution.covariance[at + 1, at + 1]))
            if abs(moved) > max(_MOVED, _SURE * u):
                other = "softer" if moved > 0 else "stiffer"
                text = f"With the mass the suspension was {100 * abs(moved):.1f} % {other}; that is allowed for."
                out.trust.append(Trust("compliance_moved", text, grave=False))
            return
        at += way.own


def add_boxed(out: ResultBuilder, boxed: Boxed, run: Run, u_scale: float = 0.0) -> None:
    """Add what the impedance in a box tells."""
    told = with_scale(boxed.told, u_scale)
    for name in told.names:
        if name in _BOX_UNITS or name in ("re", "zmax"):
            out.add(name, 0, told.value(name), _BOX_UNITS.get(name, "ohm"), told.u(name))
    f = run.frequency_hz
    out.traces.append(Trace("impedance", 1, f, "Hz", run.ohm, "ohm", run.phase_rad))
    z = boxed.circuit.impedance(np.asarray(2j * np.pi * f))
    out.traces.append(Trace("impedance_fit", 1, f, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z))))
    if run.phase_rad is None:
        out.trust.append(Trust("no_phase", "The curve has no phase: fitted by its magnitude alone.", grave=False))


def _add(out: ResultBuilder, told: Told) -> None:
    for name in told.names:
        unit = UNITS.get(name, UNITS["shift"] if name.startswith("shift") else "1")
        out.add(name, 0, told.value(name), unit, told.u(name))


def _add_curves(out: ResultBuilder, run: Run, free: FreeAir) -> None:
    f = run.frequency_hz
    out.traces.append(Trace("impedance", 1, f, "Hz", run.ohm, "ohm", run.phase_rad))
    z = free.circuit.impedance(np.asarray(2j * np.pi * f))
    out.traces.append(Trace("impedance_fit", 1, f, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z))))
    coil = free.circuit.lossless(np.asarray(2j * np.pi * f)) - free.told.value("re")
    out.traces.append(Trace("coil", 1, f, "Hz", np.abs(coil), "ohm", np.unwrap(np.angle(coil))))
    scatter = np.interp(np.log(f), np.log(free.data.frequency_hz), free.data.sigma / np.abs(free.data.impedance))
    out.traces.append(Trace("residual", 1, f, "Hz", run.ohm / np.abs(z) - 1, "1", uncertainty=2 * scatter))


_CAUSES = {
    SUPPORT: "does what holds the driver ring? Hang it freely or hold it to something heavy: the wave moves or goes.",
    VENT: "is its vent covered, or air caught behind it? Raise it, and leave vent and back free.",
    CONE: "a mode of the cone or its surround, most likely: it belongs to the driver, and shows in its response too.",
    BESIDE: "beside the resonance itself: a leak to what it stands on, or a cone that rocks? Turn it, and hang it freely.",
}


def _add_suspects(out: ResultBuilder, free: FreeAir, run: Run, rough: float | None) -> None:
    """Say what the curve shows of a loose clip and of a coil that rubs."""
    fs, q = free.told.value("fs"), free.told.value("qms")
    # a coil that rubs makes leaps about the resonance, a loose clip everywhere
    from_hz = 0.0 if rough is None else _ABOVE * fs
    jump = find_jump(run.frequency_hz, run.ohm, run.phase_rad, fs, q, free.parasites, above_hz=from_hz)
    if jump is not None:
        text = f"The curve leaps by {100 * jump.part:.2g} % at {jump.at_hz:.3g} Hz: is a clip loose? Clean and tighten it."
        out.trust.append(Trust("loose_contact", text))
    elif rough is not None:
        text = (
            f"The curve is rough about the resonance, by {100 * rough:.2g} %, and smooth above: does the coil rub? "
            "Turn the driver over and measure again; listen at a low frequency."
        )
        out.trust.append(Trust("rough_resonance", text))


def _add_parasites(out: ResultBuilder, found: Sequence[Parasite], fs: float) -> None:
    for number, one in enumerate(found, start=1):
        out.add(f"parasitic_frequency_{number}", 0, one.shows_hz, "Hz")
        out.add(f"parasitic_height_{number}", 0, one.ohm, "ohm")
    by_cause: dict[str, list[str]] = {}
    for one in found:
        by_cause.setdefault(cause_of(one, fs), []).append(f"{one.shows_hz:.4g} Hz ({one.ohm:.2g} Ω)")
    for cause, places in by_cause.items():
        at = " and ".join([", ".join(places[:-1]), places[-1]]) if len(places) > 1 else places[0]
        out.trust.append(Trust("parasitic_resonance", f"At {at}: {_CAUSES[cause]} Taken off.", grave=False))

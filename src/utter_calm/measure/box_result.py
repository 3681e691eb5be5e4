"""A box model as a result: its figures with what the driver's uncertainty makes of them, and its curves."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from utter_calm.analysis.box.figures import Figures, figures_of
from utter_calm.analysis.box.limits import Ratings, highest
from utter_calm.analysis.box.model import BoxDriver, Enclosure
from utter_calm.analysis.box.predict import Drive, Prediction, group_delay, predict
from utter_calm.measure.declare import Declared
from utter_calm.measure.driver_declared import BOXED
from utter_calm.measure.result import ResultBuilder, Trace

FROM_HZ, TO_HZ, PER_OCTAVE = 10.0, 2000.0, 96
READINGS = {
    "f3": Declared("corner, -3 dB", "frequency", "Highest place at the low end where the response rises through -3.01 dB re "
                   "ρ Bl Sd V / (2π r Re Mms)."),
    "peak": Declared("peak", "gain", "Largest response re ρ Bl Sd V / (2π r Re Mms); at least 1.", digits=3),
    "fc": Declared("resonance in the box, fc", "frequency", "fs √(1 + Vas / Vb)."),
    "qtc": BOXED["qtc"],
    "fb": Declared("tuning fb", "frequency", "Of box and port, as entered."),
    "port_length": Declared("length of a port", "length", "c² S / (4π² fb² Vb) less its end corrections (Levine and "
                            "Schwinger 1948; Norris and Sheng 1989).", digits=3),
    "port_pipe": Declared("port rings at", "frequency", "Where the port is half a wave long.", digits=3),
    "excursion_peak": Declared("largest excursion", "excursion", "Peak, one way, above 20 Hz and half the corner.", digits=3),
    "port_velocity_peak": Declared("fastest air in the port", "velocity", "Peak, above 20 Hz and half the corner.", digits=3),
    "highest_at_corner": Declared("loudest at the corner", "sound_pressure", "What excursion, port and power allow there."),
}  # fmt: skip
TRACES = {
    "response": Declared("response", "sound_pressure", "R.m.s. pressure in half space, without the phase of the way."),
    "excursion": Declared("excursion", "excursion", "R.m.s. excursion of the cone."),
    "port_velocity": Declared("velocity in the port", "velocity", "R.m.s. flow over area; of a passive radiator its cone's."),
    "impedance": Declared("impedance", "impedance", "At the terminals of the driver in the box."),
    "group_delay": Declared("group delay", "time", "Of the response."),
    "highest_level": Declared("highest level", "sound_pressure", "R.m.s. pressure that excursion, port and power allow."),
    "highest_volts": Declared("highest drive", "level", "R.m.s. volts that they allow."),
}  # fmt: skip
_SHIFT = ("fs", "qms", "qes", "re", "bl")


def add_prediction(
    out: ResultBuilder,
    driver: BoxDriver,
    box: Enclosure,
    drive: Drive,
    ratings: Ratings | None = None,
    *,
    per_octave: int = PER_OCTAVE,
) -> Prediction:
    """Add the curves of a box; with ratings also how loud it may be."""
    f = np.geomspace(FROM_HZ, TO_HZ, round(per_octave * math.log2(TO_HZ / FROM_HZ)) + 1)
    seen = predict(driver, box, f, drive)

    def add(name: str, z: np.ndarray, unit: str) -> None:
        phase = np.unwrap(np.angle(z)) if np.iscomplexobj(z) else None
        out.traces.append(Trace(name, 1, f, "Hz", np.abs(z) if phase is not None else z, unit, phase))

    add("response", seen.pressure_pa, "Pa")
    add("excursion", seen.excursion_m, "m")
    if seen.port_velocity_m_s is not None:
        add("port_velocity", seen.port_velocity_m_s, "m/s")
    add("impedance", seen.impedance_ohm, "ohm")
    add("group_delay", group_delay(driver, box, f, drive), "s")
    if ratings is not None and (ratings.excursion_m or ratings.power_w):
        most = highest(driver, seen, drive, ratings)
        add("highest_level", most.pressure_pa, "Pa")
        add("highest_volts", most.volts, "V")
    return seen


def add_figures(out: ResultBuilder, driver: BoxDriver, box: Enclosure, u: dict[str, float] | None = None) -> Figures:
    """Add resonance, Q, corner and peak; ``u`` holds relative standard uncertainties of fs, Qms, Qes, Re and Bl."""
    here = figures_of(driver, box)
    spread: dict[str, float] = {}
    for name in _SHIFT if u else ():
        moved = _values(figures_of(_moved(driver, name, 1 + (u or {}).get(name, 0.0)), box), box)
        for key, value in moved.items():
            spread[key] = math.hypot(spread.get(key, 0.0), value - _values(here, box).get(key, value))
    for key, value in _values(here, box).items():
        unit = "Hz" if key in ("fc", "fb", "f3") else "1"
        out.add(key, 0, value, unit, spread.get(key) if key != "fb" else None)
    return here


def _values(figures: Figures, box: Enclosure) -> dict[str, float]:
    out = {"fc" if box.tuned_hz is None else "fb": figures.resonance_hz, "peak": figures.peak}
    if figures.q is not None:
        out["qtc"] = figures.q
    if figures.corner_hz is not None:
        out["f3"] = figures.corner_hz
    return out


def _moved(driver: BoxDriver, name: str, factor: float) -> BoxDriver:
    """The driver with one of what is measured by itself changed, the rest as it was."""
    w = 2 * math.pi * driver.fs
    now = {"fs": driver.fs, "re": driver.re, "bl": driver.bl, "qms": w * driver.mms / driver.rms,
           "qes": w * driver.mms * driver.re / driver.bl**2}  # fmt: skip
    now[name] *= factor
    w = 2 * math.pi * now["fs"]
    mms = now["qes"] * now["bl"] ** 2 / (w * now["re"])
    return replace(driver, re=now["re"], bl=now["bl"], mms=mms, cms=1 / (w**2 * mms), rms=w * mms / now["qms"])

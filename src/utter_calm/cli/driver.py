"""``utter-calm driver`` and ``boxed``: parameters out of impedance curves as text."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.driver.analyse import FEWEST_POINTS, Run, analyse_driver, analyse_free_air
from utter_calm.analysis.driver.boxed import analyse_boxed
from utter_calm.analysis.driver.joint import BOX, MASS, MOVING_MASS, SENSITIVITY, Fact, Opposite
from utter_calm.analysis.driver.three_point import NoResonance
from utter_calm.cli.analyze_options import FILE, json_option, show
from utter_calm.errors import InputError
from utter_calm.formats.curve_text import read_curve
from utter_calm.measure.driver_result import add_advice, add_boxed, add_driver, add_free_air
from utter_calm.measure.result import ResultBuilder
from utter_calm.quantities.weighed import Weighed, understand_weighed

_AREA_HINT = "Give --diameter (from the middle of the surround to the middle, as in 130mm) or --area."
_WAY = {MASS: "the added mass", BOX: "the test box"}


@click.command()
@click.argument("free_air", type=FILE)
@click.option("--added-mass", type=(str, FILE), metavar="MASS FILE", help="What was added, as in 20g, and the curve with it.")
@click.option("--box", type=(str, FILE), metavar="VOLUME FILE", help="Net volume of a closed box, as in 20l, and the curve in it.")
@click.option("--moving-mass", metavar="MASS", help="Mms where it is known, air load included.")
@click.option("--sensitivity", metavar="LEVEL", help="At 2.83 V and 1 m in half space, as in 88dB.")
@click.option("--diameter", metavar="LENGTH", help="Effective diameter, from the middle of the surround to the middle.")
@click.option("--area", metavar="AREA", help="Effective area instead, as in 133cm2.")
@click.option("--dc-resistance", metavar="OHM", help="By a meter: one more observation.")
@json_option
def driver(
    free_air: Path, added_mass: tuple[str, Path] | None, box: tuple[str, Path] | None, moving_mass: str | None,
    sensitivity: str | None, diameter: str | None, area: str | None, dc_resistance: str | None, *, as_json: bool,
) -> None:  # fmt: skip
    """Thiele and Small parameters from an impedance in free air and one way to the compliance, or several."""
    typed: list[tuple[str, Weighed, Path | None]] = []
    if added_mass is not None:
        typed.append((MASS, understand_weighed(added_mass[0], "kg", what="added mass"), added_mass[1]))
    if box is not None:
        typed.append((BOX, understand_weighed(box[0], "m3", what="volume of the box"), box[1]))
    if moving_mass is not None:
        typed.append((MOVING_MASS, understand_weighed(moving_mass, "kg", what="moving mass"), None))
    if sensitivity is not None:
        typed.append((SENSITIVITY, understand_weighed(sensitivity, "Pa", what="sensitivity"), None))
    sd = _area(diameter, area, needed=bool(typed))
    pinned = None
    if dc_resistance is not None:
        meter = understand_weighed(dc_resistance, "ohm", what="DC resistance")
        pinned = (meter.value, meter.u or meter.resolution)
    run = _curve(free_air)
    out = ResultBuilder()
    try:
        free = analyse_free_air(run, pinned)
    except NoResonance as problem:
        raise InputError(f"{free_air.name} has no resonance: {problem}.", hint="Give the impedance of a driver.") from problem
    except ValueError as problem:
        raise InputError(f"{free_air.name} is not the curve of a driver: {problem}.", hint="Look at the curve.") from problem
    add_free_air(out, free, run, pinned)
    if typed and sd is not None:
        # among several ways what was typed without an uncertainty counts as exactly as it was typed
        facts = [(kind, Fact(w.value, w.u or (w.resolution if len(typed) > 1 else 0.0)), file) for kind, w, file in typed]
        ways = [(kind, fact, None if file is None else _curve(file)) for kind, fact, file in facts]
        try:
            add_driver(out, analyse_driver(free, ways, Fact(sd.value, sd.u), pinned))
        except Opposite as problem:
            way = "raised" if problem.kind == MASS else "lowered"
            raise InputError(
                f"{_WAY[problem.kind].capitalize()} {way} the resonance by {100 * abs(problem.moved):.1f} %.",
                hint="Are the two files swapped?",
            ) from problem
        except ValueError as problem:
            second = next((file for _, _, file in typed if file is not None), free_air)
            raise InputError(f"{second.name} does not go with {free_air.name}: {problem}.", hint="Look at the curves.") from problem
    elif sd is not None:
        add_advice(out, free, sd.value)
    show(out.build(), free_air.name, as_json=as_json, kind="driver")


def _area(diameter: str | None, area: str | None, *, needed: bool) -> Weighed | None:
    if area is not None:
        return understand_weighed(area, "m2", what="effective area")
    if diameter is not None:
        across = understand_weighed(diameter, "m", what="effective diameter")
        return Weighed(np.pi / 4 * across.value**2, "m2", 2 * across.u, 2 * across.resolution, across.text)
    if needed:
        raise InputError("The mass and the compliance need the cone's size.", hint=_AREA_HINT)
    return None


def _curve(file: Path) -> Run:
    curve = read_curve(file, positive=True)
    if len(curve.frequency_hz) < FEWEST_POINTS:
        raise InputError(f"{file.name} has {len(curve.frequency_hz)} points; {FEWEST_POINTS} are needed.", hint="Measure finer.")
    return Run(curve.frequency_hz, curve.value, curve.phase_rad)


@click.command()
@click.argument("file", type=FILE)
@click.option("--free", type=FILE, metavar="FREE_AIR", help="Curve of the same driver in free air: tells leaks and the box's part.")
@click.option("--closed", "kind", flag_value="closed", help="It is a closed box.")
@click.option("--vented", "kind", flag_value="vented", help="It is a vented box.")
@json_option
def boxed(file: Path, free: Path | None, kind: str | None, *, as_json: bool) -> None:
    """What the impedance in a box tells: resonance and Q of a closed one, tuning and losses of a vented one."""
    run = _curve(file)
    out = ResultBuilder()
    try:
        found = analyse_boxed(run.frequency_hz, run.ohm, run.phase_rad, vented=None if kind is None else kind == "vented")
    except NoResonance as problem:
        raise InputError(f"{file.name} is not the curve of a driver in a box: {problem}.", hint="Give its impedance.") from problem
    except ValueError as problem:
        raise InputError(f"{file.name} cannot be read as a box: {problem}.", hint="Look at the curve.") from problem
    add_boxed(out, found, run)
    if free is not None:
        _add_free(out, found.vented, found.told.value("fc"), _curve(free), free)
    show(out.build(), file.name, as_json=as_json, kind="driver")


def _add_free(out: ResultBuilder, vented: bool, fc: float, run: Run, file: Path) -> None:
    """Hold the box against the driver in free air."""
    try:
        told = analyse_free_air(run).told
    except ValueError as problem:
        raise InputError(f"{file.name} is not the curve of a driver in free air: {problem}.", hint="Check the file.") from problem
    out.add("fs", 0, told.value("fs"), "Hz", told.u("fs"))
    if not vented:
        out.add("alpha", 0, (fc / told.value("fs")) ** 2 - 1, "1")

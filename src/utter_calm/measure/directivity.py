"""Averages over angles out of takes at each angle: a deduction (CTA-2034-A)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.acoustic.curves import magnitude_at
from utter_calm.analysis.acoustic.directivity import directivity
from utter_calm.analysis.acoustic.orbits import HORIZONTAL, VERTICAL, AngleGap, orbits_of
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.errors import MeasurementError
from utter_calm.measure.averages import READINGS, SURFACES, TRACES, add_directivity, add_narrowing
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import number_of, parse_list, si_text

ANGLE, ORBIT = "angle", "orbit"
RELATIVE, ABSOLUTE = "relative", "absolute"
_SAYS = ("how_it_narrows",)
_CONTOURS = (-3.0, -6.0, -12.0)
_SHORTER, _NAMED = 1.5, 4
_AVERAGES = ("on_axis", "listening_window", "early_reflections", "sound_power", "predicted_in_room")


@dataclass(frozen=True, slots=True)
class DirectivitySettings(StepSettings):
    """Settings of averages over angles."""

    one_side: str = setting("horizontal", "Where takes name no orbit, it is the", choices=((HORIZONTAL, HORIZONTAL), (VERTICAL,
                            VERTICAL)), analysis_only=True, rare=True)  # fmt: skip
    polar_at: str = setting("500 Hz, 1 kHz, 2 kHz, 4 kHz, 8 kHz", "Polar picture at", analysis_only=True)
    levels: str = setting(RELATIVE, "Maps show levels", choices=((RELATIVE, "relative to one angle"), (ABSOLUTE, "as they are")),
                          analysis_only=True)  # fmt: skip
    against_deg: float = setting(0.0, "That angle", "°", low=-180, high=180, analysis_only=True)

    def check(self) -> None:
        """Refuse frequencies that cannot be read as well."""
        StepSettings.check(self)
        parse_list(self.polar_at, "Hz", what="frequency")


class DirectivityAverages(Deduction[DirectivitySettings]):
    """Listening window, early reflections, sound power, predicted in-room response, beamwidths."""

    key = "directivity"
    title = "Angles"
    question = "What goes where: beamwidth, listening window, early reflections, sound power, response to expect in a room"
    settings_type = DirectivitySettings
    readings = with_roles(READINGS, "even_to", "narrowest_beamwidth", "narrowest_at", "crossover_to")
    traces = TRACES
    surfaces = SURFACES
    plots = (
        PlotSpec("map", "Level round it", ("level_horizontal",), y_title="angle", surface=True, span_db=30.0,
                 short="map", contours=_CONTOURS, says=_SAYS),
        PlotSpec("vertical", "Level above and below", ("level_vertical",), y_title="angle", surface=True, span_db=30.0,
                 short="vertical", contours=_CONTOURS),
        PlotSpec("polar", "Level round it, polar", ("level_horizontal",), polar=True, span_db=30.0, short="polar",
                 says=_SAYS),
        PlotSpec("averages", "Averages over angles", _AVERAGES, short="averages"),
        PlotSpec("indices", "Listening window over power and reflections", ("sound_power_index", "early_reflections_index"),
                 short="indices"),
        PlotSpec("beamwidth", "Beamwidth", ("beamwidth_horizontal", "beamwidth_vertical"), y="linear"),
    )  # fmt: skip

    def signal(self, settings: DirectivitySettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from takes at each angle"

    def needs(self, settings: DirectivitySettings) -> tuple[Need, ...]:  # noqa: ARG002
        """Every take that the angles make."""
        return (Need("angles", "takes at each angle", "loudspeaker", many=True),)

    def consumes(self, settings: DirectivitySettings) -> tuple[str, ...]:  # noqa: ARG002
        """It runs over angle and orbit."""
        return (ANGLE, ORBIT)

    def deduce(self, settings: DirectivitySettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Average over what there is."""
        curves: dict[str, dict[float, Trace]] = {HORIZONTAL: {}, VERTICAL: {}}
        for given in takes["angles"]:
            angle = number_of(given.value(ANGLE), "rad")
            trace = next((t for t in given.result.traces if t.name == "response"), None)
            if angle is None or trace is None:
                continue
            name = str(given.value(ORBIT) or settings.one_side)
            curves[name if name in curves else settings.one_side][round(float(np.degrees(angle)), 3)] = trace
        axis = curves[HORIZONTAL].get(0.0) or curves[VERTICAL].get(0.0)
        if axis is None:
            raise MeasurementError("There is no take on the axis.", hint="Give the condition “angle” the value 0 deg as well.")
        lowest = {(name, a): t.valid[0] if t.valid else t.x[0] for name, each in curves.items() for a, t in each.items()}
        low = max(lowest.values())
        grid = axis.x[axis.x >= low * 0.9999]
        sides = {name: {a: _on(grid, t) for a, t in each.items()} for name, each in curves.items()}
        present = [name for name in sides if any(0 < abs(a) < 180 for a in sides[name])]
        if not present:
            raise MeasurementError("There is nothing beside the axis.", hint="Give the condition “angle” more values.")
        orbits = orbits_of(sides, present)
        out = ResultBuilder()
        try:
            found = directivity(*orbits)
            one = len(present) == 1
            shown = (replace(orbits[0], name=present[0]), orbits[1]) if one else orbits
            against = settings.against_deg if settings.levels == RELATIVE else None
            add_directivity(out, grid, found, shown, one_orbit=one, unit=axis.y_unit, channel=axis.channel, against_deg=against)
        except AngleGap as problem:
            raise MeasurementError(
                f"Nothing was taken between {problem.low_deg:g}° and {problem.high_deg:g}° ({problem.orbit}).",
                hint="Take more angles: at most 30° are read between; of a symmetric loudspeaker one side is enough.",
            ) from problem
        add_narrowing(out, grid, found, axis.channel)
        out.trust += _cut_short(lowest)
        return out.build()


def _cut_short(lowest: Mapping[tuple[str, float], float]) -> list[Trust]:
    """Say which angles' windows end so early that they bound all the others: what is averaged is known where all are."""
    usual = float(np.median(list(lowest.values())))
    short = [(name, angle) for (name, angle), low in lowest.items() if low > _SHORTER * usual]
    if not short:
        return []
    where = ", ".join(f"{angle:g}° {name}" for name, angle in short[:_NAMED])
    more = f" and {len(short) - _NAMED} more" if len(short) > _NAMED else ""
    low, most = (str(si_text(f, "Hz", digits=3)) for f in (max(lowest.values()), usual))
    text = f"At {where}{more} the window ends early: nothing is told below {low}, where most angles go down to {most}."
    return [Trust("windows_differ", f"{text} Set the window of those takes as that of the others.")]


def _on(grid: FloatArray, trace: Trace) -> FloatArray:
    return magnitude_at(grid, trace.x, trace.magnitude)

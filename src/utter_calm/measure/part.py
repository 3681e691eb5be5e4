"""A part from its impedance: what it is, its value at a frequency, its losses, and how far it lies off its mark."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from utter_calm.analysis.part import CAPACITOR, INDUCTOR, RESISTOR, analyse_part
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.part_result import READINGS, add_part, hold_against, read_mark
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder
from utter_calm.quantities import Value, plain_text

AUTO, PART = "auto", "part"
KINDS = ((AUTO, "found by itself"), (RESISTOR, RESISTOR), (INDUCTOR, INDUCTOR), (CAPACITOR, CAPACITOR))


@dataclass(frozen=True, slots=True)
class PartSettings(StepSettings):
    """Settings of a part."""

    kind: str = setting(AUTO, "Kind of part", choices=KINDS, analysis_only=True)
    at_hz: float = setting(1000.0, "At", "Hz", low=1, high=180_000, analysis_only=True)
    marked: str = setting("", "Marked, as in 10uF 5%; empty takes the part's name", analysis_only=True)

    def check(self) -> None:
        """Refuse values outside their bounds and marks that cannot be read."""
        StepSettings.check(self)
        if self.marked.strip():
            read_mark(self.marked)


class PartValues(Deduction[PartSettings]):
    """A resistor, an inductor or a capacitor."""

    key = "part"
    title = "Part"
    question = "What a resistor, inductor or capacitor is, and how far off its mark"
    settings_type = PartSettings
    readings = with_roles(READINGS, "resistance", "inductance", "capacitance", "deviation", "dcr", "esr", "quality")
    traces = {
        "impedance": Declared("impedance", "impedance", "Of the part at its leads."),
        "impedance_fit": Declared("fitted impedance", "impedance", "Of the fitted part with its losses."),
        "inductance": Declared("series inductance", "inductance", "Im Z / ω, as measured."),
        "capacitance": Declared("series capacitance", "capacitance", "-1 / (ω Im Z), as measured."),
        "series_resistance": Declared("series resistance", "impedance", "Re Z, as measured."),
        "quality": Declared("quality", "ratio", "|Im Z| / Re Z, as measured."),
    }
    plots = (
        PlotSpec("impedance", "Impedance and its fit", ("impedance", "impedance_fit")),
        PlotSpec("phase", "Phase of the impedance", ("impedance", "impedance_fit"), y=PHASE, short="phase"),
        PlotSpec("value", "Value over frequency", ("inductance", "capacitance"), short="value"),
        PlotSpec("losses", "Series resistance over frequency", ("series_resistance",), short="losses"),
        PlotSpec("quality", "Quality over frequency", ("quality",), short="Q"),
    )

    def signal(self, settings: PartSettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from its impedance"

    def needs(self, settings: PartSettings) -> tuple[Need, ...]:  # noqa: ARG002
        """The impedance."""
        return (Need("impedance", "the impedance", "impedance_sweep"),)

    def consumes(self, settings: PartSettings) -> tuple[str, ...]:  # noqa: ARG002
        """Nothing: each part has a cell of its own."""
        return ()

    def deduce(self, settings: PartSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Fit the part."""
        trace = takes["impedance"][0].result.trace("impedance")
        if trace is None:
            raise MeasurementError("The take holds no impedance.", hint="Take it again.")
        kind = None if settings.kind == AUTO else settings.kind
        try:
            found = analyse_part(trace.x, trace.magnitude, trace.phase_rad, kind)
        except ValueError as problem:
            raise MeasurementError(f"This is not the impedance of a part: {problem}.", hint="Look at the curve.") from problem
        out = ResultBuilder()
        add_part(out, found, settings.at_hz)
        mark = mark_in(settings.marked, takes["impedance"][0].value(PART))
        if mark is not None:
            hold_against(out, found, mark)
        return out.build()


def mark_in(typed: str, name: Value | None) -> tuple[float, str, float | None] | None:
    """The mark that was typed, or the one in the name of the part that was on the leads; None where there is neither.

    Raises
    ------
    InputError
        What was typed cannot be read.
    """
    if typed.strip():
        return read_mark(typed)
    try:
        return None if name is None else read_mark(re.sub(r"^\s*[A-Za-z]+\d*\s*:?\s+(?=[\d.,])", "", plain_text(name)))
    except InputError:
        return None

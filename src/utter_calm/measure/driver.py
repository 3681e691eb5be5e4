"""Driver parameters: from the impedance in free air, and one way to the compliance. A deduction of those takes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.driver.advice import Advice, second_run
from utter_calm.analysis.driver.analyse import FEWEST_POINTS, Run, analyse_driver, analyse_free_air
from utter_calm.analysis.driver.coils import ONE, PARALLEL, SERIES
from utter_calm.analysis.driver.joint import BOX, MASS, MOVING_MASS, SENSITIVITY, Fact, Opposite
from utter_calm.errors import MeasurementError
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.driver_declared import READINGS, TRACES
from utter_calm.measure.driver_result import add_advice, add_driver, add_free_air
from utter_calm.measure.driver_typed import add_coils, add_nominal, ask_diameter
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.quantities import Value, si_text
from utter_calm.quantities.weighed import Weighed, understand_weighed

STATE = "state"
FREE, WITH_MASS, IN_BOX = "free air", "with mass", "in the test box"
NONE = "none"
WAYS = (
    (MASS, "an added mass"), (BOX, "a test box"), (MOVING_MASS, "a known moving mass"), (SENSITIVITY, "a known sensitivity"),
    (NONE, "nothing: free air alone"),
)  # fmt: skip
SINGLE = "single"
COILS = ((SINGLE, "one"), (ONE, "two, one of them measured"), (SERIES, "two in series"), (PARALLEL, "two in parallel"))
_SECOND = {MASS: WITH_MASS, BOX: IN_BOX}
_UNIT = {MASS: "kg", BOX: "m3", MOVING_MASS: "kg", SENSITIVITY: "Pa"}


@dataclass(frozen=True, slots=True)
class DriverSettings(StepSettings):
    """Settings of driver parameters."""

    way: str = setting(MASS, "The compliance from", choices=WAYS, analysis_only=True)
    amount: str = setting("", "How much (mass, net volume, sensitivity)", analysis_only=True)
    diameter: str = setting("", "Effective diameter, mid-surround", analysis_only=True)
    dc_resistance: str = setting("", "DC resistance by a meter, if known", analysis_only=True)
    nominal_size: str = setting("", "Nominal size, as in 6.5 in; checks the diameter", analysis_only=True, rare=True)
    nominal_load: str = setting("", "Nominal impedance, as in 8 ohm", analysis_only=True, rare=True)
    coils: str = setting(SINGLE, "Voice coils", choices=COILS, analysis_only=True, rare=True)

    def check(self) -> None:
        """Refuse amounts that cannot be read."""
        StepSettings.check(self)
        if self.way != NONE and self.amount.strip():
            self._amount()
        if self.diameter.strip():
            self.area()
        self.pinned()
        for text, unit, what in ((self.nominal_size, "m", "nominal size"), (self.nominal_load, "ohm", "nominal impedance")):
            if text.strip():
                understand_weighed(text, unit, what=what)

    @property
    def not_typed(self) -> str:
        """What the compliance rests on and nobody typed, in words; nothing where all is there."""
        if self.way == NONE:
            return ""
        asked = ((self.amount, dict(WAYS)[self.way].partition(" ")[2]), (self.diameter, "effective diameter"))
        return " and the ".join(what for text, what in asked if not text.strip())

    def known(self) -> tuple[Weighed, Weighed] | None:
        """Amount and area; None where free air stands alone, or where nobody typed them."""
        return None if self.way == NONE or self.not_typed else (self._amount(), self.area())

    def _amount(self) -> Weighed:
        return understand_weighed(self.amount, _UNIT[self.way], what=dict(WAYS)[self.way])

    def area(self) -> Weighed:
        """Effective area of the cone."""
        across = understand_weighed(self.diameter, "m", what="effective diameter")
        return Weighed(float(np.pi / 4 * across.value**2), "m2", 2 * across.u, 2 * across.resolution, across.text)

    def pinned(self) -> tuple[float, float] | None:
        """DC resistance and its relative standard uncertainty; None where it is not known."""
        if not self.dc_resistance.strip():
            return None
        meter = understand_weighed(self.dc_resistance, "ohm", what="DC resistance")
        return meter.value, meter.u or meter.resolution


class DriverParameters(Deduction[DriverSettings]):
    """Thiele and Small parameters."""

    key = "driver"
    title = "Driver parameters"
    question = "Resonance, Q, moving mass, compliance and force factor: from impedances in free air and with a mass or in a box"
    settings_type = DriverSettings
    readings = with_roles(READINGS, "fs", "qts", "qms", "qes", "re", "mms", "cms", "bl", "vas", "sensitivity_2v83")
    traces = TRACES
    groups = {
        "suspension": ("cms", "rms"), "motor": ("bl", "re"), "moving mass": ("mms",), "coil": ("le_1k", "le_10k"),
    }  # fmt: skip
    plots = (
        PlotSpec("impedance", "Impedance and its fit", ("impedance", "impedance_fit")),
        PlotSpec("phase", "Phase of the impedance", ("impedance", "impedance_fit"), y=PHASE, short="phase"),
        PlotSpec("coil", "Coil at rest, beyond Re", ("coil",), short="coil"),
        PlotSpec("residual", "What the fit leaves", ("residual",), y_title="off the fit", short="residual"),
    )

    def signal(self, settings: DriverSettings) -> str:
        """Say what it is deduced from."""
        second = _SECOND.get(settings.way)
        return "from the impedance in free air" + (f" and {second}" if second else "")

    def needs(self, settings: DriverSettings) -> tuple[Need, ...]:
        """Free air, and the second run where the way has one."""
        free = Need("free", "the impedance in free air", "impedance_sweep", ((STATE, FREE),))
        second = _SECOND.get(settings.way)
        return (
            (free,) if second is None else (free, Need("second", f"the impedance {second}", "impedance_sweep", ((STATE, second),)))
        )

    def consumes(self, settings: DriverSettings) -> tuple[str, ...]:  # noqa: ARG002
        """Give the state, which is changed between the runs."""
        return (STATE,)

    def advice(self, settings: DriverSettings, factor: str, value: Value, takes: Mapping[str, Given]) -> str:
        """Say which mass, or how small a box, moves the resonance clearly."""
        if factor != STATE or value not in (WITH_MASS, IN_BOX) or "free" not in takes:
            return ""
        wanted = usual_for(settings, takes["free"])
        return "" if wanted is None else advice_words(wanted, str(value))

    def deduce(self, settings: DriverSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Fit both runs together."""
        out, known, pinned = ResultBuilder(), settings.known(), settings.pinned()
        run = run_of(takes["free"][0])
        try:
            free = analyse_free_air(run, pinned)
            scale = u_scale(takes["free"][0])
            add_free_air(out, free, run, pinned, scale)
            if settings.not_typed:
                text = f"Nobody typed the {settings.not_typed}: Mms, Cms, Bl and Vas are not known without. Type it (E)."
                out.trust.append(Trust("not_typed", text, grave=False))
            elif known is None and settings.diameter.strip():
                add_advice(out, free, settings.area().value)
            elif known is not None:
                amount, area = known
                second = run_of(takes["second"][0]) if "second" in takes else None
                ways = [(settings.way, Fact(amount.value, amount.u), second)]
                add_driver(out, analyse_driver(free, ways, Fact(area.value, area.u), pinned), scale)
        except Opposite as problem:
            way = "The mass raised" if problem.kind == MASS else "The box lowered"
            raise MeasurementError(
                f"{way} the resonance by {100 * abs(problem.moved):.1f} %.", hint="Were the two runs swapped?"
            ) from problem
        except ValueError as problem:
            raise MeasurementError(f"This is not the impedance of a driver: {problem}.", hint="Look at the curve.") from problem
        self._ask_back(out, settings, run)
        return out.build()

    def _ask_back(self, out: ResultBuilder, settings: DriverSettings, run: Run) -> None:
        """Hold what was typed against what is usual, and the curve against its nominal value; convert between ways of coils."""
        if settings.nominal_size.strip() and settings.diameter.strip():
            across = understand_weighed(settings.diameter, "m", what="effective diameter").value
            ask_diameter(out, across, understand_weighed(settings.nominal_size, "m", what="nominal size").value)
        if settings.nominal_load.strip():
            add_nominal(out, run, understand_weighed(settings.nominal_load, "ohm", what="nominal impedance").value)
        if settings.coils != SINGLE:
            add_coils(out, settings.coils)


def usual_for(settings: DriverSettings, free: Given) -> Advice | None:
    """Which mass and which box would move the resonance of a driver in free air clearly; None where that cannot be told."""
    if not settings.diameter.strip():
        return None
    try:
        return second_run(analyse_free_air(run_of(free)).told, settings.area().value)
    except ValueError:
        return None


def advice_words(wanted: Advice, state: str) -> str:
    """What a hand should know that brings the driver to a state for its second run."""
    if state == IN_BOX:
        return f"A closed box of at most {si_text(wanted.box_m3, 'm3', digits=2)}, net of the driver, moves the resonance clearly."
    light, heavy = (si_text(m, "kg", digits=2) for m in (wanted.least_kg, wanted.most_kg))
    return f"{light} to {heavy} move the resonance clearly: fix them where dome and cone meet, and weigh them with their putty."


def u_scale(given: Given) -> float:
    """Relative standard uncertainty of all ohms of a take together, from its rig's calibration."""
    return given.rig.u_impedance(int(given.settings.get("rate_hz", 0)))


def run_of(given: Given) -> Run:
    """Give the impedance that a take holds."""
    trace = given.result.trace("impedance")
    if trace is None or len(trace.x) < FEWEST_POINTS:
        raise MeasurementError(f"Take {given.take} holds no impedance.", hint="Take it again.")
    return Run(trace.x, trace.magnitude, trace.phase_rad)

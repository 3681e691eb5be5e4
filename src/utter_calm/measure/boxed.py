"""A driver in its box, from the impedance there: which box it is, its tuning or resonance, its losses. A deduction of that take."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from utter_calm.analysis.driver.boxed import analyse_boxed
from utter_calm.errors import MeasurementError
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.driver import run_of, u_scale
from utter_calm.measure.driver_declared import BOXED, ELECTRICAL, MECHANICAL, TRACES
from utter_calm.measure.driver_result import add_boxed
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder

FOUND, CLOSED, VENTED = "found", "closed", "vented"


@dataclass(frozen=True, slots=True)
class BoxedSettings(StepSettings):
    """Settings of a box."""

    box: str = setting(FOUND, "The box is", choices=((FOUND, "found by itself"), (CLOSED, CLOSED), (VENTED, VENTED)),
                       analysis_only=True)  # fmt: skip


class Box(Deduction[BoxedSettings]):
    """Tuning and losses of a box."""

    key = "boxed"
    title = "Box"
    question = "Tuning of a vented box, resonance and Q of a closed one, leaks and losses: from the impedance in the box"
    settings_type = BoxedSettings
    readings = with_roles(
        {"fc": MECHANICAL["fc"], **BOXED, "re": ELECTRICAL["re"], "zmax": ELECTRICAL["zmax"]},
        "fb", "fc", "qtc", "ql", "f_low", "f_min", "f_high",
    )  # fmt: skip
    traces = TRACES
    groups = {"tuning": ("fb", "fc"), "losses": ("ql", "qmc"), "driver": ("re", "qec"), "volume": ("alpha",)}
    plots = (
        PlotSpec("impedance", "Impedance and its fit", ("impedance", "impedance_fit")),
        PlotSpec("phase", "Phase of the impedance", ("impedance", "impedance_fit"), y=PHASE, short="phase"),
    )

    def signal(self, settings: BoxedSettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from the impedance in the box"

    def needs(self, settings: BoxedSettings) -> tuple[Need, ...]:  # noqa: ARG002
        """The impedance."""
        return (Need("impedance", "the impedance in the box", "impedance_sweep"),)

    def consumes(self, settings: BoxedSettings) -> tuple[str, ...]:  # noqa: ARG002
        """Nothing: each state of a box has a cell of its own."""
        return ()

    def deduce(self, settings: BoxedSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Fit the circuit of a box."""
        run, out = run_of(takes["impedance"][0]), ResultBuilder()
        vented = None if settings.box == FOUND else settings.box == VENTED
        try:
            add_boxed(
                out, analyse_boxed(run.frequency_hz, run.ohm, run.phase_rad, vented=vented), run, u_scale(takes["impedance"][0])
            )
        except ValueError as problem:
            raise MeasurementError(f"This is not the impedance of a box: {problem}.", hint="Look at the curve.") from problem
        return out.build()

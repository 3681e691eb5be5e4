"""What a driver still needs, in one sentence with numbers that fit it, and what takes it."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.analysis.driver.advice import Advice
from utter_calm.analysis.driver.slips import displaced_m3
from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, Setup, Step
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.measure.driver import FREE, IN_BOX, NONE, STATE, WITH_MASS, DriverSettings, advice_words, usual_for
from utter_calm.quantities import Value

FREE_AIR, SECOND, COMPUTE, DONE = "free air", "second run", "compute", "done"


@dataclass(frozen=True, slots=True)
class NextRun:
    """What comes next.

    Parameters
    ----------
    stage
        One of the stages above.
    text
        What a hand does, in a sentence.
    cells
        What is then taken.
    state
        State of the driver that this wants; empty for none.
    usual
        Least and most of what is then weighed or measured, in its SI unit, where free air tells it.
    displaced_m3
        What the driver takes of a box.
    """

    stage: str
    text: str
    cells: tuple[Cell, ...]
    state: str = ""
    usual: tuple[float, float] | None = None
    displaced_m3: float = 0.0


def driver_step(job: Job, unit: str) -> tuple[Step, tuple[Setup, ...]] | None:
    """The step that finds a unit's parameters, and the setups under which it is planned; None where the plan has none."""
    plan = job.document.plan(job.document.unit(unit).plan)
    step = next((s for s in plan.steps if s.kind == "driver"), None)
    return None if step is None else (step, plan.setups_of(step))


def next_run(job: Job, cell: Cell) -> NextRun:
    """Find what the parameters of a cell still lack."""
    document = job.document
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    settings = plan.settings_of(step, cell.setup)
    assert isinstance(settings, DriverSettings)
    takes = _there(job, cell)
    if FREE not in takes:
        return NextRun(FREE_AIR, "Let the driver stand free, its vent open and nothing near the cone: then take its impedance.",
                       (*_cells(job, cell, FREE), *((cell,) if settings.way == NONE else ())), FREE)  # fmt: skip
    second = {"mass": WITH_MASS, "box": IN_BOX}.get(settings.way, "")
    if second and second not in takes:
        wanted = _wanted(job, cell, settings)
        how = {WITH_MASS: "Fix a known mass on the cone.", IN_BOX: "Set the driver on the closed test box, its rim sealed."}[second]
        if not settings.diameter.strip():
            how += " Type the effective diameter: then it is told how much moves the resonance clearly."
        cells = (*_cells(job, cell, second), cell)
        if wanted is None:
            return NextRun(SECOND, how, cells, second)
        usual = (wanted.least_kg, wanted.most_kg) if second == WITH_MASS else (wanted.box_m3 / 4, wanted.box_m3)
        return NextRun(SECOND, advice_words(wanted, second), cells, second, usual, displaced_m3(settings.area().value))
    if settings.not_typed:
        return NextRun(DONE, f"Type the {settings.not_typed} in the step's settings (E): nothing is guessed.", (cell,))
    current = job.current(cell)
    if current is None or job.stale(current):
        return NextRun(COMPUTE, "All runs are there: the parameters are a matter of a second.", (cell,))
    text = (
        ""
        if settings.way != NONE
        else "Free air alone was wanted: choose a way to the compliance in the step's settings for the rest."
    )
    return NextRun(DONE, text, (cell,))


def _wanted(job: Job, cell: Cell, settings: DriverSettings) -> Advice | None:
    """What free air says about the second run; None where nobody can tell."""
    free = free_air_take(job, cell)
    try:
        return None if free is None else usual_for(settings, job.given(free))
    except UtterCalmError:
        return None


def _there(job: Job, cell: Cell) -> frozenset[str]:
    """States of which there is an impedance."""
    states = (FREE, WITH_MASS, IN_BOX)
    return frozenset(s for s in states if any(job.current(one) is not None for one in _cells(job, cell, s)))


def _cells(job: Job, cell: Cell, state: Value) -> tuple[Cell, ...]:
    """Cells of the impedance in a state."""
    plan = job.document.plan_of(cell.step)
    return tuple(
        Cell(cell.unit, s.id, setup) for s in plan.steps if s.kind == "impedance_sweep" for setup in plan.setups_of(s)
        if setup.fits(cell.setup.conditions) and setup.value(STATE) == state
    )[:1]  # fmt: skip


def free_air_take(job: Job, cell: Cell) -> TakeSummary | None:
    """The newest free-air impedance that the parameters of a cell would use."""
    return next((job.current(c) for c in _cells(job, cell, FREE)), None)

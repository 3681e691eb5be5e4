"""The coverage: steps down, setups across; what is measured, what is missing, what failed."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.cell import Cell
from utter_calm.job.job import NO_SETUP, Job
from utter_calm.job.model import Plan, Setup, Step
from utter_calm.job.take import FLOOR, UNIT, TakeSummary
from utter_calm.job.verdict import Outcome
from utter_calm.measure.kinds import definition, kind_of
from utter_calm.measure.result import Reading
from utter_calm.present.values import condition_text, reading_text
from utter_calm.quantities.text import fixed


@dataclass(frozen=True, slots=True)
class CellView:
    """One cell: what it is, its verdict, and its headline value; both empty where nothing was measured."""

    cell: Cell
    outcome: Outcome | None
    headline: str
    take_id: int | None
    grave: bool
    tip: str
    planned: bool = True


@dataclass(frozen=True, slots=True)
class CoverageView:
    """The whole table; the rig alone is its first column."""

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    cells: tuple[tuple[CellView, ...], ...]

    @property
    def taken(self) -> int:
        """Number of cells with a take, the rig alone left out."""
        return sum(cell.take_id is not None and cell.planned for row in self.cells for cell in row[1:])

    @property
    def total(self) -> int:
        """Number of cells, the rig alone left out."""
        return sum(cell.planned for row in self.cells for cell in row[1:])

    def missing(self) -> list[Cell]:
        """Cells without a take, the rig alone among them."""
        return [cell.cell for row in self.cells for cell in row if cell.take_id is None and cell.planned]


def missing_cells(job: Job) -> list[Cell]:
    """Give what is still to be measured of every unit, in the order of their plans."""
    cells = []
    for plan in job.document.plans:
        for step in plan.steps:
            if job.floor(step.id) is None:
                cells.append(Cell(step.id, NO_SETUP, FLOOR))
            cells += [Cell(step.id, s) for s in plan.setups_of(step) if job.current(step.id, s) is None]
    return cells


def setup_title(plan: Plan, setup: Setup) -> str:
    """Name a setup by its varied factors only."""
    varied = [f.name for f in plan.varied_factors()] or [f.name for f in plan.factors]
    return ", ".join(condition_text(v) for f, v in setup.conditions if f in varied) or "as it is"


def coverage_view(job: Job, plan: Plan) -> CoverageView:
    """Look at a plan of a job and its takes."""
    setups = plan.setups()
    rows = []
    for step in plan.steps:
        cells = [_floor_cell(job, step.id)]
        cells += [_unit_cell(job, step, setup) for setup in setups]
        rows.append(tuple(cells))
    return CoverageView(
        rows=tuple(step.title for step in plan.steps),
        columns=("rig alone", *(setup_title(plan, s) for s in setups)),
        cells=tuple(rows),
    )


def _headline(take: TakeSummary) -> str:
    kind = kind_of(take.kind)
    for name in (kind.headline, *kind.main_readings):
        readings = [r for r in take.readings if r.name == name]
        if readings:
            # several channels, one cell: the worse of them
            pick = min if definition(name).better == "high" else max
            return _short_text(pick(readings, key=lambda r: r.value))
    return "taken"


def _short_text(reading: Reading) -> str:
    """Three digits, or a tenth of a decibel: a cell is for a glance."""
    shown = reading_text(reading)
    try:
        if "dB" in shown.unit:
            return f"{fixed(float(shown.number.replace('−', '-')), 1)} {shown.unit}"
        digits = 2 if shown.unit == "%" else 3
        number = f"{float(shown.number.replace('−', '-')):.{digits}g}".replace("-", "−")
    except ValueError:  # such as “below 1”
        return str(shown)
    return f"{number} {shown.unit}"


def _floor_cell(job: Job, step: str) -> CellView:
    take = job.floor(step)
    cell = Cell(step, NO_SETUP, FLOOR)
    if take is None:
        return CellView(cell, None, "", None, grave=False, tip="The rig alone was not measured for this step.")
    floored = definition(kind_of(take.kind).headline).floored
    headline = _headline(take) if floored else "kept"
    return CellView(cell, None, headline, take.id, grave=False, tip="What the rig gives with the unit left out.")


def _unit_cell(job: Job, plan_step: Step, setup: Setup) -> CellView:
    step = plan_step.id
    take = job.current(step, setup)
    cell = Cell(step, setup, UNIT)
    if take is None and not setup.fits(plan_step.where):
        where = ", ".join(f"{f} {condition_text(v)}" for f, v in plan_step.where)
        tip = f"Planned for {where} only; it can be taken here all the same."
        return CellView(cell, None, "", None, grave=False, tip=tip, planned=False)
    if take is None:
        return CellView(cell, None, "", None, grave=False, tip="Not measured yet: press Space to take it.")
    verdicts = [v for v in job.verdicts(step, setup) if v.outcome is not Outcome.OPEN]
    worst = max((v.outcome for v in verdicts), key=lambda o: o.severity, default=None)
    grave = any(t.grave for t in take.trust)
    tip = "\n".join([f"{v.outcome.value}: {v.claim.text}" for v in verdicts] + [t.text for t in take.trust if t.grave])
    planned = setup.fits(plan_step.where)
    return CellView(cell, worst, _headline(take), take.id, grave, tip or "Measured; no claim is tied to it.", planned)

"""The coverage: steps down, setups across; what is measured, what is missing, what failed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

from utter_calm.job.document import Cell, Plan, Setup, Step, Unit
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import Outcome
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import conditions_text, value_text


@dataclass(frozen=True, slots=True)
class CellView:
    """One cell: what it is, its verdict, and its headline value; both empty where nothing was measured.

    ``span`` is over how many columns it reaches: what runs over the loads stands once, under all of them.
    """

    cell: Cell
    outcome: Outcome | None
    headline: str
    take_id: int | None
    grave: bool
    tip: str
    planned: bool = True
    stale: bool = False
    span: int = 1


@dataclass(frozen=True, slots=True)
class CoverageView:
    """The whole table; the rig alone is its first column. ``setups`` are the varied factors and their values of each column."""

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    cells: tuple[tuple[CellView, ...], ...]
    setups: tuple[tuple[tuple[str, str], ...], ...] = ()

    def heading(self, column: int) -> tuple[tuple[str, str], ...]:
        """Give (factor, value) over a column in words, the one that changes least often first."""
        return self.setups[column] if column < len(self.setups) else ((self.columns[column], ""),)

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


def setup_title(plan: Plan, setup: Setup) -> str:
    """Name a setup by its varied factors only."""
    varied = [f.name for f in plan.varied_factors()] or [f.name for f in plan.factors]
    return ", ".join(value_text(v) for f, v in setup.conditions if f in varied) or "as it is"


def coverage_view(job: Job, unit: Unit) -> CoverageView:
    """Look at a unit of a job, its plan and its takes; setups that no step is planned for have no column."""
    plan = job.document.plan(unit.plan)
    planned = {step.id: plan.setups_of(step) for step in plan.steps}
    columns = [setup for setup in plan.setups() if any(_belongs(plan, step, setup, planned[step.id]) for step in plan.steps)]
    columns = columns or list(plan.setups())
    rows = []
    for step in plan.steps:
        first = _floor_cell(job, step.id) if plan.has_floor(step) else _no_floor(step)
        consumed = step.consumed  # asked once: its settings are read for it
        cells = [_unit_cell(job, unit, plan, step, consumed, setup, planned[step.id], columns) for setup in columns]
        rows.append((first, *(replace(cell, span=_reach(consumed, columns, k)) for k, cell in enumerate(cells))))
    return CoverageView(
        rows=tuple(step.title for step in plan.steps),
        columns=("rig alone", *(setup_title(plan, s) for s in columns)),
        cells=tuple(rows),
        setups=((("", "rig alone"),), *(_setup_words(plan, s) for s in columns)),
    )


def _setup_words(plan: Plan, setup: Setup) -> tuple[tuple[str, str], ...]:
    varied = [f.name for f in plan.varied_factors()] or [f.name for f in plan.factors]
    return tuple((f, value_text(v)) for f, v in setup.conditions if f in varied) or (("", "as it is"),)


def _reach(consumed: tuple[str, ...], columns: list[Setup], first: int) -> int:
    """How many neighbouring columns are one to a step that runs over the factors that set them apart."""
    if not consumed or (first and columns[first - 1].without(consumed) == columns[first].without(consumed)):
        return 1
    own = columns[first].without(consumed)
    return sum(1 for _ in itertools.takewhile(lambda setup: setup.without(consumed) == own, columns[first:]))


def _belongs(plan: Plan, step: Step, setup: Setup, planned: tuple[Setup, ...]) -> bool:  # noqa: ARG001
    return setup in planned and step.deduction is None


def _headline(take: TakeSummary) -> str:
    kind = kind_of(take.kind)
    for name in kind.main_readings:
        readings = [r for r in take.readings if r.name == name]
        if readings:
            # several channels, one cell: the worse of them
            known = kind.declared(name)
            pick = min if known.better == "high" else max
            worst = pick(readings, key=lambda r: r.value)
            return known.glance(worst.value, worst.unit)
    return "taken"


def _floor_cell(job: Job, step: str) -> CellView:
    take = job.floor(step)
    cell = Cell.floor(step)
    if take is None:
        return CellView(cell, None, "", None, grave=False, tip="The rig alone was not measured for this step.")
    kind = kind_of(take.kind)
    headline = _headline(take) if kind.declared(kind.headline).floored else "taken"
    return CellView(cell, None, headline, take.id, grave=False, tip="What the rig gives with the unit left out.")


def _no_floor(step: Step) -> CellView:
    tip = f"“{step.title}” is deduced from takes: the rig alone has none."
    if step.deduction is None:
        tip = f"The rig alone tells nothing of “{step.title}”."
    return CellView(Cell.floor(step.id), None, "", None, grave=False, tip=tip, planned=False)


def _unit_cell(
    job: Job, unit: Unit, plan: Plan, step: Step, consumed: tuple[str, ...], setup: Setup, planned: tuple[Setup, ...],
    columns: list[Setup],
) -> CellView:  # fmt: skip
    own = setup.without(consumed) if consumed else setup
    cell = Cell(unit.id, step.id, own)
    if consumed and columns.index(setup) != next(k for k, u in enumerate(columns) if u.without(consumed) == own):
        tip = f"“{step.title}” runs over {', '.join(f for f in consumed if plan.factor(f))}: it stands once."
        return CellView(cell, None, "", None, grave=False, tip=tip, planned=False)
    take = job.current(cell)
    is_planned = own in planned
    if take is None and not is_planned:
        tip = f"Planned for {conditions_text(step.where)} only; it can be taken here all the same."
        return CellView(cell, None, "", None, grave=False, tip=tip, planned=False)
    if take is None:
        tip = "Not deduced yet: press Space." if step.deduction is not None else "Not measured yet: press Space to take it."
        return CellView(cell, None, "", None, grave=False, tip=tip)
    verdicts = [v for v in job.verdicts(cell) if v.outcome is not Outcome.OPEN]
    worst = max((v.outcome for v in verdicts), key=lambda o: o.severity, default=None)
    grave, stale, replanned = any(t.grave for t in take.trust), job.stale(take), job.replanned(take)
    words = [f"{stale} Ctrl+U renews it."] if stale else []
    words += [f"{replanned} Take it again."] if replanned else []
    words += [f"{v.outcome.value}: {v.claim.text}" for v in verdicts] + [t.text for t in take.trust if t.grave]
    tip = "\n".join(words) or "Measured; no claim is tied to it."
    return CellView(cell, worst, _headline(take), take.id, grave, tip, is_planned, bool(stale or replanned))

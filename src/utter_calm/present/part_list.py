"""Parts as a list that is read from a step away: what each is, its value, how far off its mark."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.analysis.part import CAPACITOR, INDUCTOR, RESISTOR
from utter_calm.errors import InputError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import Outcome
from utter_calm.measure.part import PART, mark_in
from utter_calm.measure.part_result import ARTICLE
from utter_calm.present.values import reading_text
from utter_calm.quantities import value_text
from utter_calm.quantities.text import fixed

_VALUE = {"capacitance": CAPACITOR, "inductance": INDUCTOR, "resistance": RESISTOR}
_VERDICT = {Outcome.MET: "within", Outcome.MISSED: "outside", Outcome.UNDECIDED: "undecided"}
_BESIDE = ("dcr", "esr", "quality", "self_resonance")


@dataclass(frozen=True, slots=True)
class PartRow:
    """One part: its label, what it is, its value, what else is told, how far off its mark, and whether that is within it."""

    label: str
    kind: str
    value: str
    beside: str
    off: str
    outcome: Outcome
    take: TakeSummary

    @property
    def texts(self) -> tuple[str, ...]:
        """As a row of a table."""
        return self.label, self.kind, self.value, self.off, _VERDICT.get(self.outcome, ""), self.beside


HEADINGS = ("part", "is", "value", "off its mark", "verdict", "and")


def part_rows(job: Job, unit: str) -> list[PartRow]:
    """All parts of a unit that were measured, the newest first."""
    plan = job.document.plan(job.document.unit(unit).plan)
    takes = [job.current(Cell(unit, s.id, setup)) for s in plan.steps if s.kind == "part" for setup in plan.setups_of(s)]
    return [_row(t) for t in sorted((t for t in takes if t is not None), key=lambda t: -t.id)]


def _row(take: TakeSummary) -> PartRow:
    found = {r.name: r for r in take.readings}
    name = next((n for n in _VALUE if n in found), "")
    label = take.setup.value(PART)
    beside = [f"{short} {reading_text(found[n], 'part')}" for n, short in zip(_BESIDE, ("DC", "ESR", "Q", "rings at"), strict=True)
              if n in found]  # fmt: skip
    off, outcome = "", Outcome.OPEN
    deviation = found.get("deviation")
    if deviation is not None:
        off = f"{'+' if deviation.value > 0 else ''}{fixed(100 * deviation.value, 1)} %"
        tolerance = _tolerance(take)
        if tolerance is not None:
            off += f" (± {100 * tolerance:g} %)"
            far, u = abs(deviation.value), deviation.uncertainty or 0.0
            outcome = Outcome.MET if far <= tolerance else Outcome.MISSED
            if abs(far - tolerance) < u:
                outcome = Outcome.UNDECIDED
    kind = _VALUE.get(name, "")
    value = str(reading_text(found[name], "part")) if name else ""
    what = ARTICLE.get(kind, kind).partition(" ")[2]
    return PartRow("" if label is None else value_text(label), what, value, ", ".join(beside), off, outcome, take)


def _tolerance(take: TakeSummary) -> float | None:
    try:
        mark = mark_in(str(take.settings.get("marked", "")), take.setup.value(PART))
    except InputError:
        return None
    return None if mark is None else mark[2]


def next_label(job: Job, unit: str, mark: str) -> str:
    """What the next part is called: its number, and the mark that the handful has."""
    plan = job.document.plan(job.document.unit(unit).plan)
    factor = plan.factor(PART)
    taken = {value_text(v).partition(" ")[0] for v in (factor.values if factor is not None else ())}
    number = next(n for n in range(1, 100_000) if f"P{n}" not in taken)
    return f"P{number} {mark.strip()}".strip()


def table_text(rows: list[PartRow]) -> str:
    """The list as a table for elsewhere, oldest first."""
    return "\n".join("\t".join(line) for line in (HEADINGS, *(row.texts for row in reversed(rows))))

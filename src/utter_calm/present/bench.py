"""What stands at the bench, held against the take on the plot and against the plan: rows of words."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.bench import PICKUP_FACTOR, BenchState, relevant
from utter_calm.quantities import Conditions, Value, number_of, value_text

NOT_KNOWN, NO_MATTER, _DIRECT = "not known", "–", "direct"


@dataclass(frozen=True, slots=True)
class BenchRow:
    """One factor: how it stands now, how it stood for the take on the plot, and what the plan says for the chosen cell.

    ``unlike_take`` and ``unlike_plan`` mark what stands otherwise now.
    """

    factor: str
    now: str
    take: str
    plan: str
    unlike_take: bool
    unlike_plan: bool


def bench_rows(now: BenchState, take: BenchState | None, planned: Conditions) -> tuple[BenchRow, ...]:
    """Put a bench beside that of a take (None: nobody knows, or there is none) and what is wanted of it."""
    wanted, stood = dict(relevant(planned)), dict(take.factors if take is not None else ())
    standing = dict(now.factors)
    rows = []
    for factor in dict.fromkeys((*wanted, *standing, *stood)):
        here, there, should = standing.get(factor), stood.get(factor), wanted.get(factor)
        rows.append(
            BenchRow(
                factor,
                NOT_KNOWN if here is None else _words(factor, here),
                NO_MATTER if take is None or there is None else _words(factor, there),
                NO_MATTER if should is None else _words(factor, should),
                _unlike(here, there),
                should is not None and here != should,
            )
        )
    return tuple(rows)


def _words(factor: str, value: Value) -> str:
    return _DIRECT if factor == PICKUP_FACTOR and number_of(value, "1") == 1 else value_text(value)


def _unlike(here: Value | None, there: Value | None) -> bool:
    return here is not None and there is not None and here != there

"""How the bench stands on which the chosen cells are measured."""

from __future__ import annotations

from PySide6.QtCore import QObject

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import LOAD, NOT_SET, Cell, Setup
from utter_calm.job.job import Job
from utter_calm.job.run.bench import PICKUP_FACTOR, UNIT_FACTOR, Bench, bench_for, bench_name, refuse_impossible, wanted
from utter_calm.job.take import FLOOR
from utter_calm.quantities import Conditions, Measured, Value, value_text
from utter_calm.ui.state.chosen import Chosen


class Benched(Chosen):
    """The open job, what of it is chosen, and the bench of its rig."""

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(job, parent)
        self.bench: Bench = bench_for(self.document, self.unit.id)

    def set_bench(self, factor: str, value: Value) -> None:
        """Switch something on the bench, by the program where that is possible."""
        if self.bench.control is not None and self.bench.control.can_set(factor):
            self.bench.control.set(factor, value)
        self.bench.note(factor, value)
        self.bench_changed.emit()

    def ready_bench(self) -> bool:
        """Have on the bench what the chosen cell says before a sound is made outside of a run: unit, pickup, every condition.

        What the rig cannot switch itself is asked for in words; False then.
        """
        self.bench.have(self.plan.rig)
        cell = next((c for c in self.selected if c.role != FLOOR and any(s.id == c.step for s in self.plan.steps)), None)
        try:
            if cell is None:
                needs: Conditions = ((UNIT_FACTOR, bench_name(self.document, self.unit.id)),
                                     (PICKUP_FACTOR, Measured(self.plan.rig.pickup_ratio, "1")))  # fmt: skip
            else:
                refuse_impossible(self.document, cell, self.bench)
                needs = wanted(self.document, cell, self.bench.standing)
            for factor, value in needs:
                if self.bench.value(factor) == value:
                    continue
                if not self.bench.can_set(factor):
                    stands = value_text(self.bench.value(factor) or "not set")
                    self.cautioned.emit(
                        f"On the bench the {factor} is {stands}; this needs {value_text(value)}. Change it, say so, go on."
                    )
                    return False
                self.set_bench(factor, value)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return False
        return True

    def stands_ready(self, cell: Cell) -> bool:
        """Have on the bench what a cell wants, because whoever works there says that it is so."""
        try:
            refuse_impossible(self.document, cell, self.bench)
            for factor, value in wanted(self.document, cell, self.bench.standing):
                self.set_bench(factor, value)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return False
        return True

    def standing_setup(self) -> Setup:
        """The conditions as they stand on the bench; what nobody knows is “not set”, never guessed."""
        known: list[tuple[str, Value]] = []
        for factor in self.plan.factors:
            value = None if factor.by_program else self.bench.value(factor.name)
            known.append((factor.name, NOT_SET if value is None else value))
        return Setup(tuple(known))

    @property
    def standing_load(self) -> Value | None:
        """The load that is switched on."""
        return self.bench.value(LOAD)

    @property
    def next_load(self) -> Value | None:
        """The load under which the chosen cell would be taken: its own, or the one that is switched on."""
        own = [c.setup.value(LOAD) for c in self.selected if c.role != FLOOR]
        return own[0] if own and own[0] is not None else self.standing_load

"""How the bench stands on which the chosen cells are measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject

from utter_calm.errors import UtterCalmError
from utter_calm.job.bench import PICKUP_FACTOR, PLACE, UNIT_FACTOR, bench_name, place_words, wanted
from utter_calm.job.document import LOAD, NO_SETUP, NOT_SET, Cell, Setup
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench, bench_for, refuse_impossible
from utter_calm.job.run.hands import instruction
from utter_calm.job.run.prompt import STANDING, Prompt
from utter_calm.job.take import FLOOR
from utter_calm.quantities import Conditions, Measured, Value
from utter_calm.ui.state.chosen import Chosen


@dataclass(frozen=True, slots=True)
class Waiting:
    """What goes on when somebody says that the bench stands so."""

    by_hand: Conditions
    then: Callable[[], None]


class Benched(Chosen):
    """The open job, what of it is chosen, and the bench of its rig."""

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(job, parent)
        self.bench: Bench = bench_for(self.document, self.unit.id)
        self._waiting: Waiting | None = None

    def set_bench(self, factor: str, value: Value) -> None:
        """Switch something on the bench, by the program where that is possible."""
        if self.bench.control is not None and self.bench.control.can_set(factor):
            self.bench.control.set(factor, value)
        self.bench.note(factor, value)
        self.bench_changed.emit()

    def when_ready(self, then: Callable[[], None]) -> None:
        """Have on the bench what the chosen cell says before a sound is made outside of a run, and go on: unit, pickup, conditions.

        What the rig cannot switch itself is asked for first, all in one; whoever says that it stands so has it noted.
        """
        self.let_wait()
        self.bench.have(self.plan.rig)
        try:
            lacking = tuple((f, v) for f, v in self._needs() if self.bench.value(f) != v)
            for factor, value in lacking:
                if self.bench.can_set(factor):
                    self.set_bench(factor, value)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return
        by_hand = tuple((f, v) for f, v in lacking if not self.bench.can_set(f))
        if not by_hand:
            then()
            return
        self._waiting = Waiting(by_hand, then)
        place = tuple((f, v) for f, v in by_hand if f in PLACE)
        single = by_hand if len(place) < 2 else tuple((f, v) for f, v in by_hand if f not in PLACE)
        words = [instruction(self.document, self.plan, self.unit.id, f, v) for f, v in single]
        words += [f"Set up {place_words(tuple((f, v) for f, v in self._needs() if f in PLACE))}."] if len(place) > 1 else []
        self.asked.emit(Prompt(f"Before it sounds: {' '.join(words)}", STANDING, "", rig_can=False))

    def put_right(self) -> None:
        """Have on the bench what the chosen cell wants."""
        self.when_ready(lambda: self.told.emit("The bench stands as the plan says."))

    def wanted_next(self) -> Conditions:
        """What the chosen cell wants of the bench; empty where that cannot be."""
        try:
            return self._needs()
        except UtterCalmError:
            return ()

    def let_wait(self) -> bool:
        """Ask no longer how the bench stands; whether that was asked."""
        waited, self._waiting = self._waiting is not None, None
        if waited:
            self.answered.emit()
        return waited

    def stands_so(self) -> None:
        """What was asked for stands on the bench: note it and go on."""
        waiting = self._waiting
        if waiting is not None:
            self.let_wait()
            for factor, value in waiting.by_hand:
                self.set_bench(factor, value)
            self.when_ready(waiting.then)  # something else may be chosen meanwhile

    def needed(self, factor: str) -> Value | None:
        """What the chosen cell wants of a factor; None where it wants nothing."""
        return dict(self._needs()).get(factor)

    def _needs(self) -> Conditions:
        cell = next((c for c in self.selected if c.role != FLOOR and any(s.id == c.step for s in self.plan.steps)), None)
        if cell is None:
            pickup = Measured(self.plan.rig.pickup_ratio, "1")
            return ((UNIT_FACTOR, bench_name(self.document, self.unit.id)), (PICKUP_FACTOR, pickup))
        refuse_impossible(self.document, cell, self.bench)
        return wanted(self.document, cell, self.bench.standing)

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
    def next_setup(self) -> Setup:
        """The conditions under which the chosen cell would be taken."""
        return next((c.setup for c in self.selected if c.role != FLOOR), NO_SETUP)

    @property
    def next_load(self) -> Value | None:
        """The load under which the chosen cell would be taken: its own, or the one that is switched on."""
        own = [c.setup.value(LOAD) for c in self.selected if c.role != FLOOR]
        return own[0] if own and own[0] is not None else self.standing_load

"""Bringing the bench to what a cell wants: by itself where it can, else by whoever is asked."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from utter_calm.errors import Cancelled
from utter_calm.job.bench import LEFT_OUT, PICKUP_FACTOR, PLACE, UNIT_FACTOR, named_by, place_words, wanted
from utter_calm.job.document import UNIT, Cell, JobDocument, Plan
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.measure.fetched import RECORDER, STARTED
from utter_calm.quantities import Conditions, Value, value_text


@dataclass(frozen=True, slots=True)
class Hands:
    """What moves for one cell; ``ask`` asks whoever is there."""

    document: JobDocument
    cell: Cell
    bench: Bench
    ask: Callable[[Prompt], Answer]
    cancel: threading.Event | None

    def prepare(self) -> tuple[str, ...] | None:
        """Bring the bench to the cell's setup; give the factors that were changed by hand, or None to skip the cell.

        Raises
        ------
        Cancelled
            Stopped, at a prompt or otherwise.
        """
        by_hand: list[str] = []
        asked = wanted(self.document, self.cell, self.bench.standing)
        # where everything stands is one thing to do for a hand; what a turntable turns is no part of that
        place = tuple((f, v) for f, v in asked if f in PLACE and not self.bench.can_set(f))
        for factor, value in asked:
            whole = place if (factor, value) in place else ((factor, value),)
            answer = self._bring(factor, value, whole)
            if answer is Answer.SKIP:
                return None
            if answer is Answer.DONE:
                by_hand += [f for f, _ in whole]
        return tuple(dict.fromkeys(by_hand))

    def switch(self, conditions: Conditions) -> None:
        """Bring the bench to what the step itself varies; as :meth:`prepare`, but that skipping stops."""
        for factor, value in conditions if self.cell.role == UNIT else ():
            if self._bring(factor, value) is Answer.SKIP:
                raise Cancelled

    def _bring(self, factor: str, value: Value, whole: Conditions = ()) -> Answer | None:
        """Bring one factor to a value, and with it all that a hand does in one go; None where it stands there already.

        What is only to go back to its normal position the rig does without asking, where it can.
        """
        if self.cancel is not None and self.cancel.is_set():
            raise Cancelled
        bench, whole = self.bench, whole or ((factor, value),)
        if bench.value(factor) == value and factor != RECORDER:  # a take that was given up leaves nobody knows what running
            return None
        can = bench.can_set(factor)
        if can and bench.control is not None and not named_by(self.cell, factor):
            bench.control.set(factor, value)
            bench.note(factor, value)
            return None
        plan = self.document.plan_of(self.cell.step)
        moved = tuple((f, v) for f, v in whole if bench.value(f) != v)
        if len(moved) > 1:
            text = f"Set up {place_words(whole)}."
        else:
            text = instruction(self.document, plan, self.cell.unit, factor, value)
        answer = self.ask(Prompt(text, factor, value, can))
        if answer is Answer.STOP:
            raise Cancelled
        if answer is Answer.SKIP:
            return answer
        if answer is Answer.LET_RIG and bench.control is not None:
            bench.control.set(factor, value)
        for one, stands in moved or whole:
            bench.note(one, stands)
        return answer


def instruction(document: JobDocument, plan: Plan, unit_id: str, factor: str, value: Value) -> str:
    """What a hand is to do for a factor of a plan, as a sentence."""
    if factor == UNIT_FACTOR:
        if value == LEFT_OUT:
            return "Leave the unit out: connect the output straight to the input."
        return f"Put the unit between output and pickup: {document.unit(unit_id).title}."
    if factor == PICKUP_FACTOR:
        text = value_text(value)
        return "Connect the pickup directly." if text == "1" else f"Set the pickup's divider to {text}."
    if factor == RECORDER:
        unit = document.unit(unit_id)
        if (factor, value) in STARTED:
            return f"Start recording with {unit.title}."
        return f"Stop the recording of {unit.title}, and put its file into {unit.recordings}."
    known = plan.factor(factor)
    return known.instruction(value) if known is not None else f"Set the {factor} to {value_text(value)}."

"""Edits of the document that can be taken back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtGui import QUndoCommand, QUndoStack

from utter_calm.job.document import JobDocument, Plan, Step, Unit
from utter_calm.measure.kind import StepSettings
from utter_calm.measure.kinds import kind_of

Store = Callable[[JobDocument], bool]
"""Writes a document; False where that failed, which was told."""


class _Edit(QUndoCommand):
    """An edit of the document: both versions, so that it can be taken back."""

    def __init__(self, store: Store, text: str, before: JobDocument, after: JobDocument) -> None:
        super().__init__(text)
        self._store, self._before, self._after = store, before, after

    def redo(self) -> None:
        """Make the edit; one that fails is no edit, and leaves the stack."""
        if not self._store(self._after):
            self.setObsolete(True)

    def undo(self) -> None:
        """Take it back."""
        if not self._store(self._before):
            self.setObsolete(True)


def push_edit(stack: QUndoStack, store: Store, text: str, before: JobDocument, after: JobDocument) -> None:
    """Make an edit that can be taken back; a document that says the same is no edit."""
    if after != before:
        stack.push(_Edit(store, text, before, after))


def with_new_step(document: JobDocument, plan: Plan, kind_key: str, label: str = "") -> tuple[Step, Plan]:
    """Give a step of a kind with its default settings, and the plan that has it."""
    kind = kind_of(kind_key)
    ident = document.free_step_id(kind.key.replace("_", "-"))
    step = Step(ident, kind.key, label=label).with_settings(kind.settings_type())
    return step, replace(plan, steps=(*plan.steps, step))


def with_settings(plan: Plan, step: Step, settings: StepSettings) -> Plan:
    """Give the plan with other settings of a step.

    Raises
    ------
    InputError
        A value is out of bounds.
    """
    settings.check()
    return with_step(plan, step.with_settings(settings))


def with_step(plan: Plan, step: Step) -> Plan:
    """Give the plan with a step in the place of the one that has its id."""
    return replace(plan, steps=tuple(step if s.id == step.id else s for s in plan.steps))


def with_like(document: JobDocument, unit: Unit) -> tuple[Unit, JobDocument]:
    """Give another unit of the same kind, measured by the same plan, and the document that has it."""
    made = replace(unit, id=document.free_unit_id(), sample="", notes="")
    return made, replace(document, units=(*document.units, made))

"""What follows when settings of a step were changed: what is deduced is so anew, what was measured is left alone."""

from __future__ import annotations

from utter_calm.job.document import Cell, Step
from utter_calm.measure.kind import StepSettings, setting_changes
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import Computation


def apply_settings(session: JobSession, step: Step, settings: StepSettings) -> None:
    """Change a step's settings, and deduce its takes anew where it is a deduction: nothing need be played for that.

    Raises
    ------
    InputError
        A value is out of bounds; nothing changes.
    """
    session.edit_step(step, settings)
    follow_settings(session, step, session.plan.step(step.id))


def follow_settings(session: JobSession, before: Step, step: Step) -> None:
    """Deduce the takes of a step anew with the settings that it has now; of a step that plays, say what they are good for.

    Where settings and level are what they were before, nothing follows.
    """
    same = not setting_changes(type(step.typed_settings()), before.settings, step.typed_settings())
    if same and step.relative == before.relative:
        return
    takes = [take for cell in _cells(session, step) if (take := session.job.current(cell)) is not None]
    if not takes:
        return
    if step.deduction is None:
        session.told.emit("Good for takes from now on; what was measured keeps its settings. Ctrl+R computes it with others.")
        return

    def work() -> int:
        for take in takes:
            session.job.deduce(take.cell)
        return len(takes)

    def done(count: int) -> None:
        session.told.emit(f"{step.title} was deduced anew" + (f", {count} times." if count > 1 else "."))
        session.takes_changed.emit()

    computation = Computation(work, session)
    computation.done.connect(done)
    session.start(computation)


def _cells(session: JobSession, step: Step) -> list[Cell]:
    """Those of every unit of the plan."""
    document = session.document
    units = [unit for unit in document.units if unit.plan == session.plan.id]
    return [cell for unit in units for cell in document.cells(unit) if cell.step == step.id]

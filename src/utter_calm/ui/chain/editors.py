"""Which editor opens under which link of the chain."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from utter_calm.ui.chain.rig_editors import input_editor, output_editor, pickup_editor
from utter_calm.ui.chain.step_editor import step_editor
from utter_calm.ui.chain.unit_editors import load_editor, unit_editor
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.state.session import JobSession

Maker = Callable[[JobSession, QWidget], PopupForm | None]
EDITORS: dict[str, Maker] = {
    "signal": step_editor, "output": output_editor, "unit": unit_editor, "load": load_editor, "pickup": pickup_editor,
    "input": input_editor,
}  # fmt: skip


def open_editor(session: JobSession, key: str, under: QWidget) -> PopupForm | None:
    """Open the editor of a link; None where there is nothing to edit."""
    form = EDITORS[key](session, under)
    if form is not None:
        form.open_under(under)
    return form

"""Asks how a soak goes: how often, how long, what is watched, and when it is an alarm."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.run.soak import Soak, part_of_change
from utter_calm.measure.kinds import declared
from utter_calm.ui.look.fields import FormLine, PopupForm, QuantityEdit, text_line
from utter_calm.ui.state.soaking import Soaking

_EVERY_S, _FOR_S = 300.0, 3600.0


def soak_form(session: Soaking, parent: QWidget) -> PopupForm:
    """Make the form for the chosen cell; errors where none is chosen."""
    cell = session.chosen_cell()
    kind = session.document.step(cell.step).measure
    watched = QComboBox()
    watched.setAccessibleName("What is watched")
    for name in dict.fromkeys((kind.headline, *kind.main_readings)):
        watched.addItem(declared(name).text, name)
    alarm = text_line("", "Alarm")
    alarm.setPlaceholderText("as in 5 % or 0.5 dB; empty for none")

    def apply(form: PopupForm) -> None:
        channel = form.text("channel") or "1"
        if not channel.isdigit():
            raise InputError(f"“{channel}” is no channel.", hint="As in 1; 0 for what belongs to all.")
        watching, most = str(watched.currentData()), part_of_change(form.text("alarm"))
        session.soak(Soak(form.quantity("every"), form.quantity("for"), watching, int(channel), most))

    lines = [
        FormLine("every", "One take every", QuantityEdit("Every", "s", _EVERY_S)),
        FormLine("for", "For", QuantityEdit("For", "s", _FOR_S)),
        FormLine("watched", "Watched", watched),
        FormLine("alarm", "Alarm when it moves by more than", alarm),
        FormLine("channel", "Channel", text_line("1", "Channel"), rare=True),
    ]
    form = PopupForm(parent, "Soak: the chosen step again and again. What was ended goes on where it stood.", lines, apply)
    form.ok.setText("Begin  ⏎")
    return form

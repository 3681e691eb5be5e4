"""Asks how a soak goes: how often, how long, what is watched, and when it is an alarm."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.run.soak import Soak, part_of_change
from utter_calm.measure.kinds import declared
from utter_calm.quantities import parse_quantity
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.soaking import Soaking


def soak_form(session: Soaking, parent: QWidget) -> PopupForm:
    """Make the form for the chosen cell; errors where none is chosen."""
    cell = session.chosen_cell()
    kind = session.document.step(cell.step).measure
    watched = QComboBox()
    watched.setAccessibleName("What is watched")
    for name in dict.fromkeys((kind.headline, *kind.main_readings)):
        watched.addItem(declared(name).title, name)
    alarm = text_line("", "Alarm")
    alarm.setPlaceholderText("as in 5 % or 0.5 dB")

    def apply(form: PopupForm) -> None:
        channel = form.text("channel") or "1"
        if not channel.isdigit():
            raise InputError(f"“{channel}” is no channel.", hint="As in 1; 0 for what belongs to all.")
        watching, most = str(watched.currentData()), part_of_change(form.text("alarm"))
        every_s, for_s = (parse_quantity(form.text(key), "s", what=key) for key in ("every", "for"))
        session.soak(Soak(every_s, for_s, watching, int(channel), most))

    lines = [
        FormLine("every", "One take every", text_line("5 min", "Every")),
        FormLine("for", "For", text_line("1 h", "For")),
        FormLine("watched", "Watched", watched),
        FormLine("alarm", "Alarm when it moves by more than", alarm),
        FormLine("channel", "Channel", text_line("1", "Channel"), rare=True),
    ]
    form = PopupForm(parent, "Soak: the chosen step again and again. What was ended goes on where it stood.", lines, apply)
    form.ok.setText("Begin  ⏎")
    return form

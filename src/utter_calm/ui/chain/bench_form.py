"""What stands at the bench: now, for the take on the plot, by the plan; put right by one key, and its normal positions stated."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from utter_calm.errors import InputError
from utter_calm.job.bench import PLACE, normal_positions
from utter_calm.present.bench import BenchRow, bench_rows
from utter_calm.quantities import Conditions, Value, plain_text, read_value, value_text
from utter_calm.rig import knobs_of, lacks, normal_of
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession

_HEADS = ("", "now", "on the plot", "wanted next")


def bench_form(session: JobSession, parent: QWidget) -> PopupForm:
    """Look at the bench; state where what a setup does not name stands normally; put right what stands otherwise."""
    plan, unit = session.plan, session.unit
    simulated = plan.rig.sound is None
    normal = normal_positions(session.document, unit)
    fields = {factor: _field(unit.stand_in if simulated else "", factor, value) for factor, value in normal}
    more = text_line("", "Another one")
    more.setPlaceholderText("as in volume: half")

    def apply(form: PopupForm) -> None:
        stated = [(factor, _value_of(field, factor)) for factor, field in fields.items()]
        name, colon, typed = form.text("more").partition(":") if "more" in form.fields else ("", "", "")
        if name and not (colon and typed.strip()):
            raise InputError(f"“{name}” has no position.", hint="Type both, as in volume: half.")
        if name:
            stated.append((name.strip().lower(), read_value(typed.strip())))
        for factor, value in stated:
            why = lacks(unit.stand_in, factor, value) if simulated and unit.stand_in else ""
            if why:
                raise InputError(f"That cannot be: {why}.", hint="Choose one of its positions.")
        made = dict(normal_of(unit.stand_in)) if simulated else {}
        own = tuple((f, v) for f, v in stated if made.get(f) != v)
        others = tuple((f, v) for f, v in plan.normal if f not in fields and f not in dict(stated))
        if (*others, *own) != plan.normal:
            session.edit_plan("state normal positions", replace(plan, normal=(*others, *own)))

    lines = [FormLine(f"normal {factor}", f"{factor}, normally", field, rare=factor in PLACE) for factor, field in fields.items()]
    if not simulated:
        lines.append(FormLine("more", "Another knob, normally", more))
    form = PopupForm(parent, "What stands at the bench", lines, apply)
    form.add_above(_table(rows_of(session)))
    form.add_button("Put right", session.put_right)
    return form


def rows_of(session: JobSession) -> tuple[BenchRow, ...]:
    """The rows for what is chosen and shown."""
    shown = session.shown_takes()
    take = shown[-1].bench if shown else None
    return bench_rows(session.bench.state(), take, session.wanted_next())


def _table(rows: tuple[BenchRow, ...]) -> QWidget:
    """A factor in each row; what stands otherwise is strong."""
    table = QWidget()
    grid = QGridLayout(table)
    grid.setContentsMargins(0, 6, 0, 6)
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(3)
    for column, text in enumerate(_HEADS):
        head = plain_label(text)
        head.setProperty("role", "soft")
        grid.addWidget(head, 0, column)
    for number, row in enumerate(rows, start=1):
        texts = (row.factor, row.now, row.take, row.plan)
        strong = (False, row.unlike_plan or row.unlike_take, row.unlike_take, row.unlike_plan)
        for column, (text, bold) in enumerate(zip(texts, strong, strict=True)):
            label = plain_label(f"{text}  ≠" if bold and column == 1 else text)
            if bold:
                label.setProperty("role", "strong")
            grid.addWidget(label, number, column)
    return table


def _field(stand_in: str, factor: str, value: Value) -> QWidget:
    """A choice of a knob's positions, or a line for what takes any value."""
    listed: Conditions = tuple((factor, position) for position in knobs_of(stand_in).get(factor, ()))
    if not listed:
        return text_line(plain_text(value), f"{factor}, normally")
    box = QComboBox()
    box.setAccessibleName(f"{factor}, normally")
    for position in dict.fromkeys((value, *(p for _, p in listed))):
        box.addItem(value_text(position), position)
    return box


def _value_of(field: QWidget, factor: str) -> Value:
    if isinstance(field, QComboBox):
        return str(field.currentData())
    text = field.text().strip() if isinstance(field, QLineEdit) else ""
    if not text:
        raise InputError(f"The {factor} has no normal position.", hint="Type one.")
    return read_value(text)

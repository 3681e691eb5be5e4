"""What adds a condition, changes one, moves it or lets it go."""

from __future__ import annotations

import functools
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.document import LOAD, Factor
from utter_calm.measure.acoustic_settings import ON_BENCH
from utter_calm.measure.kind import setting_fields
from utter_calm.quantities import Value, names_same, plain_text, read_value
from utter_calm.ui.chain.unit_editors import parse_loads
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession


def add_condition_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Vary something else than the load: by hand, or a setting of the steps, which the program sets itself."""
    form = _condition_form(session, parent, None)
    for factor in session.plan.factors:
        if factor.name != LOAD:
            form.add_button(f"“{factor.name}”…", functools.partial(open_condition, session, parent, factor.name))
    return form


def edit_condition_editor(session: JobSession, parent: QWidget, factor: Factor) -> PopupForm:
    """Change a condition's values and words, move it forward, or let it go."""
    form = _condition_form(session, parent, factor)
    form.add_button("Remove", functools.partial(_remove_factor, session, factor))
    if session.plan.factors and session.plan.factors[0].name != factor.name:
        form.add_button("Move forward", functools.partial(_move_forward, session, factor))
    return form


def open_condition(session: JobSession, parent: QWidget, name: str) -> None:
    """Change what is varied under a name."""
    factor = session.plan.factor(name)
    if factor is not None:
        edit_condition_editor(session, parent, factor).open_under(parent)


def _settable(session: JobSession) -> dict[str, str]:
    fields = (f for s in session.plan.steps for f in setting_fields(s.measure.settings_type))
    return {f.name: f.label for f in fields if f.choices or not f.is_text}


def read_values(text: str) -> tuple[Value, ...]:
    """Read values with commas or semicolons between them; with semicolons a comma is a decimal one."""
    parts = text.split(";") if ";" in text else text.split(",")
    return tuple(dict.fromkeys(read_value(v) for v in parts if v.strip()))


def _condition_form(session: JobSession, parent: QWidget, old: Factor | None) -> PopupForm:
    settable = _settable(session)
    chooser = QComboBox()
    chooser.setAccessibleName("Who sets it")
    chooser.addItem("a hand, or the bench", "")
    for name, label in settable.items():
        chooser.addItem(f"the program: {label.lower()}", name)
    if old is not None:
        chooser.setCurrentIndex(max(0, chooser.findData(old.sets)))

    def apply(form: PopupForm) -> None:
        sets = str(chooser.currentData())
        name = form.text("name").lower()
        if sets:  # its own name, where it had it before
            name = old.name if old is not None and sets == old.sets else settable[sets].lower()
        values = parse_loads(form.text("values")) if name == LOAD else read_values(form.text("values"))
        others = [f for f in session.plan.factors if old is None or f.name != old.name]
        if not name or not values:
            raise InputError("A condition needs a name and at least one value.", hint="As in: volume; half, full.")
        if name in {f.name for f in others} or name in ("unit", "pickup"):
            raise InputError(f"There is a condition “{name}” already.", hint="Choose another name, or edit that one.")
        before = old.before if old is not None else None
        if "before" in form.fields and form.text("before") and not sets:
            before = _one_of(form.text("before"), values)
        factor = Factor(
            name,
            values,
            form.text("prompt") or "Set {name} to {value}.",
            cost=form.quantity("cost"),
            sets=sets,
            before=before,
            on_bench=sets in ON_BENCH,
        )
        same = session.plan.factors
        factors = (*same, factor) if old is None else tuple(factor if f.name == old.name else f for f in same)
        plan = replace(session.plan, factors=factors)
        for step in plan.steps:
            for setup in plan.setups_of(step) if sets else ():
                # a value that a step cannot take is refused here, not when it is measured
                highest = step.measure.highest_level(plan.settings_of(step, setup))
                if highest is not None:
                    plan.rig.check_level(highest)
        session.edit_plan(f"vary {name}" if old is None else f"change {name}", plan)

    known = "; ".join(plain_text(v) for v in old.values) if old else ""
    lines = [
        FormLine("sets", "Set by", chooser),
        FormLine("name", "What is varied", text_line(old.name if old else "", "What is varied")),
        FormLine("values", "Its values, with commas or semicolons", text_line(known, "Values")),
        FormLine("prompt", "What a hand has to do", text_line(old.prompt if old else "Set {name} to {value}.", "Prompt")),
        FormLine("cost", "A change is as much work as (others: 1)", QuantityEdit("Cost", "1", old.cost if old else 1.0)),
    ]
    made = [t for t in session.job.takes if t.cell.unit in {u.id for u in session.document.units_of(session.plan)}]
    if made and (old is None or not old.sets):
        known_before = text_line(plain_text(old.before) if old is not None and old.before is not None else "", "Value before")
        known_before.setPlaceholderText("one of the values; empty where nobody knows")
        lines.insert(3, FormLine("before", f"The {len(made)} takes made so far had", known_before))
    return PopupForm(parent, "Vary a condition" if old is None else f"Change “{old.name}”", lines, apply)


def _one_of(text: str, values: tuple[Value, ...]) -> Value:
    """Find the value that takes had which were made before it was varied."""
    found = next((v for v in values if names_same(text, v)), None)
    if found is None:
        raise InputError(
            f"The takes made so far cannot have had “{text}”: it is not among the values.",
            hint="Add it to the values, or leave the field empty where nobody knows.",
        )
    return found


def _move_forward(session: JobSession, factor: Factor) -> None:
    """Have a condition one place earlier: what stands first parts the columns the most coarsely."""
    factors = list(session.plan.factors)
    at = next(k for k, f in enumerate(factors) if f.name == factor.name)
    factors[at - 1], factors[at] = factors[at], factors[at - 1]
    session.edit_plan(f"move {factor.name}", replace(session.plan, factors=tuple(factors)))


def _remove_factor(session: JobSession, factor: Factor) -> None:
    """Vary something no longer; takes under its conditions stay in the file, and undo brings it back."""
    factors = tuple(f for f in session.plan.factors if f.name != factor.name)
    session.edit_plan(f"no longer vary {factor.name}", replace(session.plan, factors=factors))

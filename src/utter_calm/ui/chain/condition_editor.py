"""What adds a condition, or lets one go."""

from __future__ import annotations

import functools
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.document import LOAD, Factor
from utter_calm.measure.kind import setting_fields
from utter_calm.quantities import Value, read_value
from utter_calm.ui.chain.unit_editors import parse_loads
from utter_calm.ui.look.fields import FormLine, PopupForm, QuantityEdit, text_line
from utter_calm.ui.state.session import JobSession


def add_condition_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Vary something else than the load: by hand, or a setting of the steps, which the program sets itself."""
    settable = {f.name: f.label for s in session.plan.steps for f in setting_fields(s.measure.settings_type) if not f.is_text}
    chooser = QComboBox()
    chooser.setAccessibleName("Who sets it")
    chooser.addItem("a hand, or the bench", "")
    for name, label in settable.items():
        chooser.addItem(f"the program: {label.lower()}", name)

    def apply(form: PopupForm) -> None:
        sets = str(chooser.currentData())
        name = settable[sets].lower() if sets else form.text("name").lower()
        values: tuple[Value, ...] = tuple(dict.fromkeys(read_value(v) for v in form.text("values").split(",") if v.strip()))
        known = {f.name for f in session.plan.factors}
        if not name or not values:
            raise InputError("A condition needs a name and at least one value.", hint="As in: volume; half, full.")
        if name in known or name in ("unit", "pickup"):
            raise InputError(f"There is a condition “{name}” already.", hint="Choose another name, or edit that one.")
        if name == LOAD:
            values = parse_loads(form.text("values"))
        prompt = form.text("prompt") or "Set {name} to {value}."
        factor = Factor(name, values, prompt, cost=form.quantity("cost"), sets=sets)
        plan = replace(session.plan, factors=(*session.plan.factors, factor))
        for step in plan.steps:
            for setup in plan.setups_of(step) if sets else ():
                # a value that a step cannot take is refused here, not when it is measured
                highest = step.measure.highest_level(plan.settings_of(step, setup))
                if highest is not None:
                    plan.rig.check_level(highest)
        session.edit_plan(f"vary {name}", plan)

    lines = [
        FormLine("sets", "Set by", chooser),
        FormLine("name", "What is varied", text_line("", "What is varied")),
        FormLine("values", "Its values, with commas", text_line("", "Values")),
        FormLine("prompt", "What a hand has to do", text_line("Set {name} to {value}.", "Prompt")),
        FormLine("cost", "A change is as much work as (others: 1)", QuantityEdit("Cost", "1", 1.0)),
    ]
    form = PopupForm(parent, "Vary a condition", lines, apply)
    for factor in session.plan.factors:
        if factor.name != LOAD:
            form.add_button(f"Remove “{factor.name}”", functools.partial(_remove_factor, session, factor))
    return form


def _remove_factor(session: JobSession, factor: Factor) -> None:
    """Vary something no longer; takes under its conditions stay in the file, and undo brings it back."""
    factors = tuple(f for f in session.plan.factors if f.name != factor.name)
    session.edit_plan(f"no longer vary {factor.name}", replace(session.plan, factors=factors))

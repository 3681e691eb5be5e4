"""The editors that open under the links of the chain, and under “+ step” and “+ condition”."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from utter_calm.errors import InputError
from utter_calm.job.model import LOAD, Factor, Plan, Step
from utter_calm.measure.kind import SettingField, SettingValues, StepSettings, setting_fields
from utter_calm.measure.kinds import KINDS
from utter_calm.present.values import condition_text
from utter_calm.quantities import amplitude_to_db, db_to_amplitude, parse_quantity
from utter_calm.quantities.text import fixed
from utter_calm.ui.fields import FormLine, PopupForm, QuantityEdit
from utter_calm.ui.session import JobSession


def open_editor(session: JobSession, key: str, under: QWidget) -> PopupForm | None:
    """Open the editor of a link; None where there is nothing to edit."""
    makers = {"signal": step_editor, "output": _output_editor, "unit": _unit_editor, "load": load_editor,
              "pickup": _pickup_editor, "input": _input_editor}  # fmt: skip
    form = makers[key](session, under)
    if form is not None:
        form.open_under(under)
    return form


def text_line(text: str, label: str) -> QLineEdit:
    """Make a field for free text."""
    field = QLineEdit(text)
    field.setAccessibleName(label)
    field.setMinimumWidth(240)
    return field


def settings_lines(
    settings_type: type[StepSettings], values: SettingValues, *, analysis_only: bool = False
) -> list[FormLine]:
    """Make a form's lines from the declaration of a kind's settings."""
    return [
        FormLine(f.name, f.label, _setting_field(f, values.get(f.name, "" if f.is_text else 0.0)))
        for f in setting_fields(settings_type)
        if f.analysis_only or not analysis_only
    ]


def _setting_field(declared: SettingField, value: float | str) -> QWidget:
    if declared.choices:
        chooser = QComboBox()
        chooser.setAccessibleName(declared.label)
        chooser.addItems(declared.choices)
        chooser.setCurrentText(str(value))
        return chooser
    if declared.is_text:
        return text_line(str(value), declared.label)
    return QuantityEdit(declared.label, declared.unit, float(value))


def settings_from(form: PopupForm, settings_type: type[StepSettings], values: SettingValues) -> StepSettings:
    """Read the settings back from a form; fields that are not in it keep their values."""
    merged = dict(values)
    for declared in setting_fields(settings_type):
        field = form.fields.get(declared.name)
        if isinstance(field, QComboBox):
            merged[declared.name] = field.currentText()
        elif isinstance(field, QuantityEdit):
            value = field.value()
            merged[declared.name] = round(value) if declared.whole else value
        elif field is not None:
            merged[declared.name] = form.text(declared.name)
    return settings_type(**merged)


def step_editor(session: JobSession, parent: QWidget) -> PopupForm | None:
    """Edit the chosen step's settings; fields follow from its kind."""
    step = session.step
    if step is None:
        return None
    kind = step.measure

    def apply(form: PopupForm) -> None:
        settings = settings_from(form, kind.settings_type, step.settings)
        relative = _relative(form)
        where = _where(session.plan, form.text("where"))
        if (relative, where) != (step.relative, step.where):
            changed = replace(step.with_settings(settings), relative=relative, where=where)
            settings.check()
            for setup in session.plan.setups_of(changed):
                changed.under(session.plan, setup)
            steps = tuple(changed if s.id == step.id else s for s in session.plan.steps)
            session.edit_plan(f"change {step.title}", replace(session.plan, steps=steps))
            return
        highest = kind.highest_level(settings)
        if highest is not None:
            session.plan.rig.check_level(highest)
        session.edit_step(step, settings)

    lines = settings_lines(kind.settings_type, step.settings)
    if "level_v" in step.settings and session.plan.reference is not None:
        text = "" if step.relative is None else f"{fixed(amplitude_to_db(step.relative), 2)} dB"
        words = f"Level re {session.plan.reference.text} (empty: its own)"
        lines.append(FormLine("relative", words, text_line(text, "Level relative to the reference")))
    where = ", ".join(f"{f}: {v}" for f, v in step.where)
    lines.append(FormLine("where", "Planned only for (empty: all)", text_line(where, "Planned only for")))
    form = PopupForm(parent, f"{step.title}: {kind.question}", lines, apply)
    form.add_button("Remove step", lambda: _remove_step(session, step))
    return form


def _relative(form: PopupForm) -> float | None:
    """Level as a ratio to the reference; None where the field is empty or there is none."""
    text = form.text("relative") if "relative" in form.fields else ""
    return db_to_amplitude(_decibels(text)) if text else None


def _where(plan: Plan, text: str) -> tuple[tuple[str, str], ...]:
    """Read conditions such as ``load: 8 ohm, volume: full``.

    Raises
    ------
    InputError
        There is no such factor or value in the plan.
    """
    out = []
    for part in (p.strip() for p in text.split(",") if p.strip()):
        name, _, value = (w.strip() for w in part.partition(":"))
        factor = plan.factor(name)
        if factor is None or value not in factor.values:
            known = "; ".join(f"{f.name}: {', '.join(f.values)}" for f in plan.factors) or "none"
            raise InputError(f"“{part}” is no condition of this plan.", hint=f"It has {known}.")
        out.append((name, value))
    return tuple(out)


def _remove_step(session: JobSession, step: Step) -> None:
    """Take a step out of the plan; its takes stay in the file, and undo brings it back."""
    steps = tuple(s for s in session.plan.steps if s.id != step.id)
    session.edit_plan(f"remove {step.title}", replace(session.plan, steps=steps))


def _output_editor(session: JobSession, parent: QWidget) -> PopupForm:
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = replace(rig, ceiling_v=form.quantity("ceiling"), output_full_scale_v=form.quantity("full_scale"))
        session.edit_plan("change the output", replace(session.plan, rig=changed))

    lines = [
        FormLine("ceiling", "Never more than", QuantityEdit("Ceiling", "V", rig.ceiling_v)),
        FormLine("full_scale", "Sine at full scale", QuantityEdit("Output full scale", "V", rig.output_full_scale_v)),
    ]
    return PopupForm(parent, "Output (r.m.s. volts at the connector)", lines, apply)


def _input_editor(session: JobSession, parent: QWidget) -> PopupForm:
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = replace(rig, input_full_scale_v=form.quantity("full_scale"), calibrated=form.text("calibrated"))
        session.edit_plan("change the input", replace(session.plan, rig=changed))

    lines = [
        FormLine("full_scale", "Sine at full scale", QuantityEdit("Input full scale", "V", rig.input_full_scale_v)),
        FormLine("calibrated", "Calibrated on", text_line(rig.calibrated, "Calibrated on")),
    ]
    return PopupForm(parent, "Input (r.m.s. volts at the connector)", lines, apply)


def _pickup_editor(session: JobSession, parent: QWidget) -> PopupForm:
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = replace(rig, pickup_ratio=form.quantity("ratio"), u_level=form.quantity("u_level") / 2)
        session.edit_plan("change the pickup", replace(session.plan, rig=changed))

    lines = [
        FormLine("ratio", "Divides by", QuantityEdit("Pickup ratio", "1", rig.pickup_ratio)),
        FormLine("u_level", "Uncertainty of levels (k = 2)", _Percent(2 * rig.u_level)),
    ]
    return PopupForm(parent, "Pickup between the unit and the input", lines, apply)


class _Percent(QuantityEdit):
    """A ratio that is shown and typed in per cent."""

    def __init__(self, value: float) -> None:
        super().__init__("Uncertainty", "1", value)
        self._shown = f"{100 * value:g} %"
        self.setText(self._shown)


def _unit_editor(session: JobSession, parent: QWidget) -> PopupForm:
    unit = session.plan.unit

    def apply(form: PopupForm) -> None:
        gain = db_to_amplitude(_decibels(form.text("gain")))
        changed = replace(
            unit, name=form.text("name") or "Unit", sample=form.text("sample"), settings=form.text("settings"),
            nominal_gain=gain, notes=form.text("notes"),
        )  # fmt: skip
        session.edit_plan("change the unit", replace(session.plan, unit=changed))

    lines = [
        FormLine("name", "What it is", text_line(unit.name, "What it is")),
        FormLine("sample", "Which one", text_line(unit.sample, "Which one")),
        FormLine("settings", "Switches and knobs", text_line(unit.settings, "Switches and knobs")),
        FormLine(
            "gain", "Gain by its data sheet", text_line(f"{fixed(amplitude_to_db(unit.nominal_gain), 2)} dB", "Gain")
        ),
        FormLine("notes", "Notes", text_line(unit.notes, "Notes")),
    ]
    return PopupForm(parent, "Unit under test", lines, apply)


def _decibels(text: str) -> float:
    """Read a gain in dB, with or without the unit."""
    bare = text.lower().removesuffix("db").strip().replace("−", "-").replace(",", ".")
    try:
        return float(bare)
    except ValueError:
        raise InputError(f"The gain “{text}” is not a number of dB.", hint="Type it as in 29.6 dB.") from None


def load_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Choose the load that is switched on, and which loads the plan varies."""
    document = session.plan
    factor = next((f for f in document.factors if f.name == LOAD), Factor(LOAD, ()))
    chooser = QComboBox()
    chooser.setAccessibleName("Load that is switched on")
    values = list(factor.values) or ["none"]
    standing = session.standing_load
    if standing and standing not in values:
        values.append(standing)
    for value in values:
        chooser.addItem(condition_text(value), value)
    chooser.setCurrentIndex(max(0, chooser.findData(standing)))

    def apply(form: PopupForm) -> None:
        wanted = parse_loads(form.text("values"))
        limit = form.quantity("power")
        changed = replace(factor, values=wanted)
        factors = tuple(changed if f.name == LOAD else f for f in document.factors)
        if factor not in document.factors:
            factors = (*factors, changed)
        rig = replace(document.rig, load_power_w=limit)
        session.edit_plan("change the loads", replace(document, factors=factors, rig=rig))
        if chooser.currentData() != session.standing_load:
            session.set_bench(LOAD, str(chooser.currentData()))

    lines = [
        FormLine("standing", "Switched on now", chooser),
        FormLine("values", "Loads in the plan", text_line(", ".join(factor.values), "Loads in the plan")),
        FormLine("power", "It can take", QuantityEdit("Power of the load", "W", document.rig.load_power_w)),
    ]
    return PopupForm(parent, "Load on the unit's output", lines, apply)


def parse_loads(text: str) -> tuple[str, ...]:
    """Read a list of loads such as ``8 ohm, 4 ohm``.

    Raises
    ------
    InputError
        One of them is not a resistance, or there is none.
    """
    out = []
    for part in (p.strip() for p in text.replace(";", ",").split(",")):
        if not part:
            continue
        if part.lower() in ("none", "open", "no load"):
            out.append("none")
            continue
        ohm = parse_quantity(part, "ohm", what="load")
        if not ohm > 0:
            raise InputError(f"A load of {part} is a short circuit.", hint="Type a resistance above 0 Ω.")
        out.append(f"{ohm:g} ohm")
    if not out:
        raise InputError("There is no load in the list.", hint="Type at least one, such as 8 ohm; or none.")
    return tuple(dict.fromkeys(out))


def add_step_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Add a step of any kind."""
    chooser = QComboBox()
    chooser.setAccessibleName("Kind of step")
    for kind in KINDS.values():
        chooser.addItem(f"{kind.title}: {kind.question}", kind.key)

    def apply(form: PopupForm) -> None:
        session.add_step(str(chooser.currentData()), form.text("label"))

    lines = [
        FormLine("kind", "Measure", chooser),
        FormLine("label", "Called (may be empty)", text_line("", "Name of the step")),
    ]
    return PopupForm(parent, "Add a step", lines, apply)


def add_condition_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Vary something else than the load: by hand, or a setting of the steps, which the program sets itself."""
    settable = {
        f.name: f.label for s in session.plan.steps for f in setting_fields(s.measure.settings_type) if not f.is_text
    }
    chooser = QComboBox()
    chooser.setAccessibleName("Who sets it")
    chooser.addItem("a hand, or the bench", "")
    for name, label in settable.items():
        chooser.addItem(f"the program: {label.lower()}", name)

    def apply(form: PopupForm) -> None:
        sets = str(chooser.currentData())
        name = settable[sets].lower() if sets else form.text("name").lower()
        values = tuple(dict.fromkeys(v.strip() for v in form.text("values").split(",") if v.strip()))
        known = {f.name for f in session.plan.factors}
        if not name or not values:
            raise InputError("A condition needs a name and at least one value.", hint="As in: volume; half, full.")
        if name in known or name in ("unit", "pickup"):
            raise InputError(f"There is a condition “{name}” already.", hint="Choose another name, or edit that one.")
        if name == LOAD:
            values = parse_loads(", ".join(values))
        prompt = form.text("prompt") or "Set {name} to {value}."
        factor = Factor(name, values, prompt, cost=form.quantity("cost"), sets=sets)
        plan = replace(session.plan, factors=(*session.plan.factors, factor))
        for step in plan.steps:
            for setup in plan.setups_of(step) if sets else ():
                # a value that a step cannot take is refused here, not when it is measured
                highest = step.measure.highest_level(step.under(plan, setup))
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
            form.add_button(f"Remove “{factor.name}”", lambda factor=factor: _remove_factor(session, factor))
    return form


def _remove_factor(session: JobSession, factor: Factor) -> None:
    """Vary something no longer; takes under its conditions stay in the file, and undo brings it back."""
    factors = tuple(f for f in session.plan.factors if f.name != factor.name)
    session.edit_plan(f"no longer vary {factor.name}", replace(session.plan, factors=factors))

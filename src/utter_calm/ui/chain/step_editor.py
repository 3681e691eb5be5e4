"""The editor of a step: its fields follow from its kind; and what adds one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Step
from utter_calm.measure.kind import SettingField, SettingValues, SingleStimulus, StepSettings, setting_fields
from utter_calm.measure.kinds import KINDS
from utter_calm.present.picture.sketch import sketch_of
from utter_calm.quantities import amplitude_to_db, db_to_amplitude, parse_decibels
from utter_calm.quantities.text import fixed
from utter_calm.ui.chain.signal_sketch import SignalSketch
from utter_calm.ui.chain.where_ticks import WhereTicks
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.after_edit import apply_settings, follow_settings
from utter_calm.ui.state.session import JobSession


def settings_lines(settings_type: type[StepSettings], values: SettingValues, *, analysis_only: bool = False) -> list[FormLine]:
    """Make a form's lines from the declaration of a kind's settings."""
    return [
        FormLine(f.name, f.label, _setting_field(f, values.get(f.name, "" if f.is_text else 0.0)), f.rare and not analysis_only)
        for f in setting_fields(settings_type)
        if f.analysis_only or not analysis_only
    ]


def _setting_field(declared: SettingField, value: float | str) -> QWidget:
    if declared.choices:
        chooser = QComboBox()
        chooser.setAccessibleName(declared.label)
        for key, words in declared.choices:
            chooser.addItem(words, key)
        chooser.setCurrentIndex(max(0, chooser.findData(value)))
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
            merged[declared.name] = str(field.currentData())
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
        where = ticks.where() if ticks is not None else step.where
        if (relative, where) != (step.relative, step.where):
            changed = replace(step.with_settings(settings), relative=relative, where=where)
            settings.check()
            for setup in session.plan.setups_of(changed):
                highest = kind.highest_level(session.plan.settings_of(changed, setup))
                if highest is not None:
                    session.plan.rig.check_level(highest)
            steps = tuple(changed if s.id == step.id else s for s in session.plan.steps)
            session.edit_plan(f"change {step.title}", replace(session.plan, steps=steps))
            follow_settings(session, step, changed)
            return
        highest = kind.highest_level(settings)
        if highest is not None:
            session.plan.rig.check_level(highest)
        apply_settings(session, step, settings)

    lines = settings_lines(kind.settings_type, step.settings)
    if "level_v" in step.settings and session.plan.reference is not None:
        text = "" if step.relative is None else f"{fixed(amplitude_to_db(step.relative), 2)} dB"
        words = f"Level re {session.plan.reference.text} (empty: its own)"
        lines.append(FormLine("relative", words, text_line(text, "Level relative to the reference")))
    ticks = WhereTicks(session.plan, step.where) if session.plan.varied_factors() else None
    if ticks is not None:
        lines.append(FormLine("where", "Planned for", ticks, rare=not step.where))
    form = PopupForm(parent, f"{step.title}: {kind.question}", lines, apply)
    form.add_button("Remove step", lambda: _remove_step(session, step))
    if isinstance(kind, SingleStimulus):
        _add_sketch(form, kind, step)
    return form


def _add_sketch(form: PopupForm, kind: SingleStimulus[Any], step: Step) -> None:
    """Show under the settings what they will play."""
    sketch = SignalSketch()
    form.add_beneath(sketch)

    def renew() -> None:
        try:
            settings = settings_from(form, kind.settings_type, step.settings)
            settings.check()
        except (UtterCalmError, TypeError, ValueError):
            return  # half typed: what can be used will come
        sketch.ask(lambda: sketch_of(kind, settings))

    for field in form.fields.values():
        if isinstance(field, QLineEdit):
            field.editingFinished.connect(renew)
        elif isinstance(field, QComboBox):
            field.activated.connect(lambda _index: renew())
    renew()


def _relative(form: PopupForm) -> float | None:
    """Level as a ratio to the reference; None where the field is empty or there is none."""
    text = form.text("relative") if "relative" in form.fields else ""
    return db_to_amplitude(parse_decibels(text)) if text else None


def _remove_step(session: JobSession, step: Step) -> None:
    """Take a step out of the plan; its takes stay in the file, and undo brings it back."""
    steps = tuple(s for s in session.plan.steps if s.id != step.id)
    session.edit_plan(f"remove {step.title}", replace(session.plan, steps=steps))


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

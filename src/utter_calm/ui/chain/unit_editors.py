"""The editors of the unit under test and of its load."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.document import LOAD, Factor
from utter_calm.job.document.fresh import as_reached
from utter_calm.job.document.scores import parse_scores, scores_text
from utter_calm.quantities import (
    NONE,
    Measured,
    Value,
    amplitude_to_db,
    db_to_amplitude,
    parse_decibels,
    parse_quantity,
    value_text,
)
from utter_calm.quantities.text import fixed, typed_text
from utter_calm.rig import UNITS
from utter_calm.ui.chain.bench_form import bench_form
from utter_calm.ui.chain.limits_editor import limits_editor
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession


def unit_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Name what is under test."""
    unit = session.unit

    def apply(form: PopupForm) -> None:
        typed = form.text("gain")
        gain = db_to_amplitude(parse_decibels(typed)) if typed else None
        changed = replace(
            unit, name=form.text("name") or "Unit", sample=form.text("sample"), settings=form.text("settings"),
            nominal_gain=gain, notes=form.text("notes"), stand_in=str(behind.currentData()),
            scores=parse_scores(form.text("scores")),
            answers_late=late.currentData() == "yes", command=form.text("command"), recordings=form.text("recordings"),
            full_scale_v=parse_quantity(form.text("full_scale"), "V", what="full scale") if form.text("full_scale") else None,
        )  # fmt: skip
        if changed.stand_in != unit.stand_in:
            changed = as_reached(changed)
        session.edit_unit("change the unit", changed)

    known = "" if unit.nominal_gain is None else f"{fixed(amplitude_to_db(unit.nominal_gain), 2)} dB"
    gain_line = text_line(known, "Gain")
    gain_line.setPlaceholderText("as in 29.6 dB; empty where it is not known")
    behind = QComboBox()
    behind.setAccessibleName("Behind it")
    for name in UNITS:
        behind.addItem(f"stand-in: {name}", name)
    behind.addItem("a real unit at the rig's own channels", "")
    behind.setCurrentIndex(max(0, behind.findData(unit.stand_in)))
    scores = text_line(scores_text(unit.scores), "Scores of listening")
    scores.setPlaceholderText("as in bass 7/10; voices 8/10 a little thin")
    late = QComboBox()
    late.setAccessibleName("Answers")
    late.addItem("at once, by a wire", "no")
    late.addItem("late, by a clock of its own (wireless, network)", "yes")
    late.setCurrentIndex(int(unit.answers_late))
    command = text_line(unit.command, "Spoken to first")
    command.setPlaceholderText("a command's sound file, or ready-made")
    recordings = text_line(unit.recordings, "Records by itself into")
    recordings.setPlaceholderText("folder where its recordings turn up, beside the job or anywhere")
    full_scale = text_line("" if unit.full_scale_v is None else typed_text(unit.full_scale_v, "V"), "Sine at its full scale")
    full_scale.setPlaceholderText("of a converter, as in 2 V; empty where it has none")
    lines = [
        FormLine("name", "What it is", text_line(unit.name, "What it is")),
        FormLine("sample", "Which one", text_line(unit.sample, "Which one")),
        FormLine("settings", "Switches and knobs", text_line(unit.settings, "Switches and knobs")),
        FormLine("gain", "Gain by its data sheet", gain_line),
        FormLine("notes", "Notes", text_line(unit.notes, "Notes")),
        FormLine("scores", "Scores", scores),
        FormLine("behind", "Behind it", behind),
        FormLine("full_scale", "Sine at its full scale", full_scale, rare=True),
        FormLine("late", "Answers", late, rare=True),
        FormLine("command", "Spoken to first", command, rare=True),
        FormLine("recordings", "Records by itself into", recordings, rare=True),
    ]
    form = PopupForm(parent, "Unit under test", lines, apply)
    form.add_button("Remove", session.remove_unit)
    form.add_button("Copy with its plan", session.copy_unit)
    form.add_next("At the bench…", lambda: bench_form(session, parent).open_under(parent))
    form.add_next("What it can take…", lambda: limits_editor(session, parent).open_under(parent))
    form.add_button("Another one of this kind", session.add_unit_like)
    return form


def load_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Choose the load that is switched on, and which loads the plan varies."""
    document = session.plan
    factor = next((f for f in document.factors if f.name == LOAD), Factor(LOAD, ()))
    chooser = QComboBox()
    chooser.setAccessibleName("Load that is switched on")
    values = list(factor.values) or [NONE]
    standing = session.standing_load
    if standing and standing not in values:
        values.append(standing)
    for value in values:
        chooser.addItem(value_text(value), value)
    chooser.setCurrentIndex(max(0, values.index(standing) if standing in values else 0))

    def apply(form: PopupForm) -> None:
        wanted = parse_loads(form.text("values"))
        limit = form.quantity("power")
        changed = replace(factor, values=wanted)
        factors = tuple(changed if f.name == LOAD else f for f in document.factors)
        if factor not in document.factors:
            factors = (*factors, changed)
        rig = replace(document.rig, load_power_w=limit)
        session.edit_plan("change the loads", replace(document, factors=factors, rig=rig))
        chosen = values[chooser.currentIndex()]
        if chosen != session.standing_load:
            session.set_bench(LOAD, chosen)

    lines = [
        FormLine("standing", "Switched on now", chooser),
        FormLine(
            "values",
            "Loads in the plan",
            text_line(", ".join(value_text(v) for v in factor.values), "Loads in the plan"),
        ),
        FormLine("power", "It can take", QuantityEdit("Power of the load", "W", document.rig.load_power_w)),
    ]
    return PopupForm(parent, "Load on the unit's output", lines, apply)


def parse_loads(text: str) -> tuple[Value, ...]:
    """Read a list of loads such as ``8 ohm, 4 ohm``.

    Raises
    ------
    InputError
        One of them is not a resistance, or there is none.
    """
    out: list[Value] = []
    for part in (p.strip() for p in text.replace(";", ",").split(",")):
        if not part:
            continue
        if part.lower() in ("none", "open", "no load"):
            out.append(NONE)
            continue
        ohm = parse_quantity(part, "ohm", what="load")
        if not ohm > 0:
            raise InputError(f"A load of {part} is a short circuit.", hint="Type a resistance above 0 Ω.")
        out.append(Measured(float(f"{ohm:.9g}"), "ohm"))
    if not out:
        raise InputError("There is no load in the list.", hint="Type at least one, such as 8 ohm; or none.")
    return tuple(dict.fromkeys(out))

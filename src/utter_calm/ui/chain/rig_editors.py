"""The short editors of the rig under its links: all outputs, all inputs, the pickup; the rest is in the place “rig”."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.job.run.calibration import CalibrationWanted
from utter_calm.quantities import si_text
from utter_calm.rig import SENSE, Part
from utter_calm.ui.chain.microphone_editor import microphone_editor
from utter_calm.ui.look.fields import PercentEdit, QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession

_MOST_DAYS = 3650


def output_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say how loud the outputs are, and how loud they may become."""
    rig = session.plan.rig
    full_scale = rig.outputs[0].full_scale if rig.outputs else 1.0

    def apply(form: PopupForm) -> None:
        changed = replace(
            rig.with_outputs(full_scale=form.quantity("full_scale")),
            ceiling_v=form.quantity("ceiling"),
            name=form.text("name") or rig.name,
        )
        session.edit_plan("change the output", replace(session.plan, rig=changed))

    lines = [
        FormLine("name", "Rig", text_line(rig.name, "Name of the rig")),
        FormLine("ceiling", "Never more than", QuantityEdit("Ceiling", "V", rig.ceiling_v)),
        FormLine(
            "full_scale",
            "Sine at full scale",
            QuantityEdit("Output full scale", "V", full_scale),
        ),
    ]
    return _all_channels(session, PopupForm(parent, "Output (r.m.s. volts at the connector)", lines, apply))


def input_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what full scale of the inputs is, and how well that is known."""
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = rig.with_inputs(full_scale=form.quantity("full_scale"), calibrated=form.text("calibrated"))
        session.edit_plan("change the input", replace(session.plan, rig=changed))

    lines = [
        FormLine("full_scale", "Sine at full scale", QuantityEdit("Input full scale", "V", rig.input_full_scale_v)),
        FormLine("calibrated", "Calibrated on", text_line(rig.calibrated, "Calibrated on")),
    ]
    return _all_channels(session, PopupForm(parent, "Input (r.m.s. volts at the connector)", lines, apply))


def sense_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what the current flows through, and calibrate."""
    rig = session.plan.rig
    part = next((p for p in rig.parts if p.kind == SENSE), Part(SENSE, rig.sense_ohm))

    def apply(form: PopupForm) -> None:
        value = form.quantity("ohm")
        made = replace(part, value=value, u_value=form.quantity("u") / 2)
        changed = replace(rig, parts=tuple(made if p is part else p for p in rig.parts))
        session.edit_plan("change the sense resistor", replace(session.plan, rig=changed))

    lines = [
        FormLine("ohm", "Sense resistor", QuantityEdit("Sense resistor", "ohm", rig.sense_ohm)),
        FormLine("u", "Its uncertainty (k = 2)", PercentEdit("Uncertainty of the resistor", 2 * part.u_value)),
    ]
    form = PopupForm(parent, "What tells the current", lines, apply)
    form.add_button("Calibrate…", lambda: calibration_form(session, parent).open_under(parent))
    return _all_channels(session, form)


def calibration_form(session: JobSession, parent: QWidget) -> PopupForm:
    """Ask for the known resistor, and begin; what is clipped where is asked for one by one."""
    last = session.plan.rig.impedance
    wanted = CalibrationWanted()
    text = wanted.known if last is None else f"{si_text(last.known_ohm, 'ohm', digits=6)} ± {200 * last.u_known:.3g} %"

    def apply(form: PopupForm) -> None:
        days = form.text("days")
        if not days.isdigit() or not 0 < int(days) <= _MOST_DAYS:
            raise InputError("A calibration counts for some days.", hint="Type a whole number, as in 30.")
        session.calibrate(CalibrationWanted(form.text("known"), opened.currentData() == "yes", int(days)))

    opened = QComboBox()
    opened.setAccessibleName("Leads open too")
    for key, words in (("no", "no: short and resistor are enough for drivers"), ("yes", "yes: for high impedances")):
        opened.addItem(words, key)
    lines = [
        FormLine("known", "Known resistor", text_line(text, "Known resistor")),
        FormLine("open", "Leads open too", opened, rare=True),
        FormLine("days", "Counts for so many days", text_line(str(last.days if last else wanted.days), "Days"), rare=True),
    ]
    form = PopupForm(parent, "Calibrate: the leads shorted, then a known resistor, then the proof. Half a minute.", lines, apply)
    form.ok.setText("Begin  ⏎")
    return form


def pickup_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what stands between the unit and the inputs."""
    rig = session.plan.rig
    if rig.hears_sound:
        return microphone_editor(session, parent)
    if rig.senses_impedance:
        return sense_editor(session, parent)

    def apply(form: PopupForm) -> None:
        changed = rig.with_divider(form.quantity("ratio")).with_inputs(u_level=form.quantity("u_level") / 2)
        session.edit_plan("change the pickup", replace(session.plan, rig=changed))

    lines = [
        FormLine("ratio", "Divides by", QuantityEdit("Pickup ratio", "1", rig.pickup_ratio)),
        FormLine("u_level", "Uncertainty of levels (k = 2)", PercentEdit("Uncertainty of levels", 2 * rig.u_level)),
    ]
    return _all_channels(session, PopupForm(parent, "Pickup between the unit and the input", lines, apply))


def _all_channels(session: JobSession, form: PopupForm) -> PopupForm:
    """Offer the whole rig: every channel by itself, parts of the path, rigs that are kept."""
    form.add_button("Every channel…", lambda: session.place_wanted.emit("rig"))
    return form

"""The short editors of the rig under its links: all outputs, all inputs, the pickup; the rest is in the place “rig”."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QWidget

from utter_calm.ui.look.fields import FormLine, PercentEdit, PopupForm, QuantityEdit, text_line
from utter_calm.ui.state.session import JobSession


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


def pickup_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what stands between the unit and the inputs."""
    rig = session.plan.rig

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

"""The editors of the rig: output, input and pickup; rigs are kept by name outside the job."""

from __future__ import annotations

import functools
from dataclasses import replace

from PySide6.QtWidgets import QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.rig.library import keep_rig, known_rigs, load_rig
from utter_calm.ui.look.fields import FormLine, PopupForm, QuantityEdit, text_line
from utter_calm.ui.state.session import JobSession


def output_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say how loud the outputs are, and how loud they may become."""
    """Say how loud the outputs are, and how loud they may become."""
    rig = session.plan.rig

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
        FormLine("full_scale", "Sine at full scale", QuantityEdit("Output full scale", "V", rig.output_full_scale_v)),
    ]
    return _rig_buttons(session, PopupForm(parent, "Output (r.m.s. volts at the connector)", lines, apply))


def input_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what full scale of the inputs is, and how well that is known."""
    """Say what full scale of the inputs is, and how well that is known."""
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = rig.with_inputs(full_scale=form.quantity("full_scale"), calibrated=form.text("calibrated"))
        session.edit_plan("change the input", replace(session.plan, rig=changed))

    lines = [
        FormLine("full_scale", "Sine at full scale", QuantityEdit("Input full scale", "V", rig.input_full_scale_v)),
        FormLine("calibrated", "Calibrated on", text_line(rig.calibrated, "Calibrated on")),
    ]
    return _rig_buttons(session, PopupForm(parent, "Input (r.m.s. volts at the connector)", lines, apply))


def pickup_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what stands between the unit and the inputs."""
    """Say what stands between the unit and the inputs."""
    rig = session.plan.rig

    def apply(form: PopupForm) -> None:
        changed = rig.with_divider(form.quantity("ratio")).with_inputs(u_level=form.quantity("u_level") / 2)
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


def _rig_buttons(session: JobSession, form: PopupForm) -> PopupForm:
    """Offer to keep this rig by its name, and to take one that is kept."""

    def keep() -> None:
        try:
            path = keep_rig(session.plan.rig)
        except UtterCalmError as problem:
            session.told.emit(str(problem))
            return
        session.told.emit(f"The rig “{session.plan.rig.name}” is kept: {path}.")

    def take(name: str) -> None:
        try:
            session.edit_plan(f"use the rig {name}", replace(session.plan, rig=load_rig(name)))
        except UtterCalmError as problem:
            session.told.emit(str(problem))

    form.add_button("Keep this rig", keep)
    others = [name for name in known_rigs() if name != session.plan.rig.name]
    for name in others[:3]:
        form.add_button(f"Use “{name}”", functools.partial(take, name))
    return form

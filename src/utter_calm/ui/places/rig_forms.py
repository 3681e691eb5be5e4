"""Forms of the rig: one channel, one part of the path, and what must not be exceeded."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.rig import Part, Rig
from utter_calm.rig.change import OUTPUT, channels_of, connector_unit, new_channel, with_channel, with_part
from utter_calm.rig.channel import DRIVE, LOOPBACK, ROLES, UNIT_OF_ROLE
from utter_calm.rig.rig import CAPSULE, PARTS, SENSE
from utter_calm.ui.look.fields import PercentEdit, QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.places.protection_lines import protection_lines, protection_of

Apply = Callable[[str, Rig], None]
_VALUE_UNITS = {SENSE: "ohm", CAPSULE: "V/Pa"}


def channel_form(parent: QWidget, rig: Rig, side: str, index: int | None, apply: Apply) -> PopupForm:
    """Edit a channel of the rig, or a new one; ``apply`` gets a word for the undo list and the changed rig."""
    channel = new_channel(rig, side) if index is None else channels_of(rig, side)[index]
    roles = _chooser("Carries", (DRIVE, LOOPBACK) if side == OUTPUT else [r for r in ROLES if r != DRIVE], channel.role)
    full_scale = QuantityEdit("Sine at full scale", connector_unit(rig, channel), channel.full_scale)
    roles.currentTextChanged.connect(lambda role: full_scale.set_unit(connector_unit(rig, replace(channel, role=role))))

    def accept(form: PopupForm) -> None:
        role = roles.currentText()
        changed = replace(
            channel, number=_whole(form, "number"), name=form.text("name"), role=role, unit=UNIT_OF_ROLE[role],
            full_scale=full_scale.value(), u_level=form.quantity("level") / 2, u_flatness=form.quantity("flat") / 2,
            calibrated=form.text("calibrated"), how=form.text("how"),
        )  # fmt: skip
        apply(f"{'add' if index is None else 'change'} {side} {changed.number}", with_channel(rig, side, index, changed))

    lines = [
        FormLine("name", "Name", text_line(channel.name, "Name of the channel")),
        FormLine("number", "Number at the device", QuantityEdit("Number", "1", channel.number)),
        FormLine("role", "Carries", roles),
        FormLine("full_scale", "Sine at full scale (r.m.s.)", full_scale),
        FormLine("level", "Levels are known to ± (k = 2)", PercentEdit("Uncertainty of levels", 2 * channel.u_level)),
        FormLine("flat", "One frequency against another ± (k = 2)", PercentEdit("Flatness", 2 * channel.u_flatness)),
        FormLine("calibrated", "Calibrated on", text_line(channel.calibrated, "Day of the calibration, as in 2026-11-02")),
        FormLine("how", "by", text_line(channel.how, "By what it was calibrated")),
    ]
    return PopupForm(parent, f"{side.capitalize()} {channel.number}", lines, accept)


def part_form(parent: QWidget, rig: Rig, index: int | None, apply: Apply) -> PopupForm:
    """Edit a part of the path, or a new one."""
    part = Part(SENSE, 0.1) if index is None else rig.parts[index]
    kinds, sides = _chooser("What", PARTS, part.kind), _chooser("Where", ("input", "output"), part.side)
    value = QuantityEdit("Value", _VALUE_UNITS.get(part.kind, "1"), part.value)
    kinds.currentTextChanged.connect(lambda kind: value.set_unit(_VALUE_UNITS.get(kind, "1")))

    def accept(form: PopupForm) -> None:
        numbers = tuple(_channel_number(t) for t in form.text("channels").replace(",", " ").split())
        changed = replace(part, kind=kinds.currentText(), side=sides.currentText(), value=value.value(), channels=numbers,
                          u_value=form.quantity("u_value") / 2)  # fmt: skip
        apply(f"{'add' if index is None else 'change'} the {changed.kind}", with_part(rig, index, changed))

    lines = [
        FormLine("kind", "What", kinds),
        FormLine("value", "Divides by, gain, ohms or V/Pa", value),
        FormLine("side", "Before the inputs or after the outputs", sides),
        FormLine("channels", "Channels (none: all that it fits)", text_line(", ".join(map(str, part.channels)), "Its channels")),
        FormLine("u_value", "Known to ± (k = 2)", PercentEdit("Uncertainty", 2 * part.u_value)),
    ]
    return PopupForm(parent, "Part between a converter and the unit", lines, accept)


def limits_form(parent: QWidget, rig: Rig, apply: Apply) -> PopupForm:
    """Edit the rig's name, its ceiling, and what its loads can take."""

    def accept(form: PopupForm) -> None:
        if not form.text("name"):
            raise InputError("A rig needs a name.", hint="Type one, as in Workshop bench.")
        changed = replace(rig, name=form.text("name"), ceiling_v=form.quantity("ceiling"), load_power_w=form.quantity("power"),
                          u_load=form.quantity("u_load") / 2, protection=protection_of(form))  # fmt: skip
        apply("change the rig's limits", changed)

    lines = [
        FormLine("name", "Rig", text_line(rig.name, "Name of the rig")),
        FormLine("ceiling", "No output ever gives more than (r.m.s.)", QuantityEdit("Ceiling", "V", rig.ceiling_v)),
        FormLine("power", "Its loads can take", QuantityEdit("Load's rating", "W", rig.load_power_w)),
        FormLine("u_load", "Their resistance is known to ± (k = 2)", PercentEdit("Uncertainty of the loads", 2 * rig.u_load)),
        *protection_lines(rig.protection),
    ]
    return PopupForm(parent, "Name and limits of the rig", lines, accept)


def _chooser(label: str, choices: Iterable[str], chosen: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(label)
    box.addItems(list(choices))
    box.setCurrentText(chosen)
    return box


def _whole(form: PopupForm, key: str) -> int:
    value = form.quantity(key)
    if value != round(value):
        raise InputError(f"A channel has a whole number, not {value:g}.", hint="Channels are counted from 1.")
    return round(value)


def _channel_number(text: str) -> int:
    if not text.isdecimal():
        raise InputError(f"“{text}” is no channel.", hint="Write their numbers, as in 1, 2.")
    return int(text)

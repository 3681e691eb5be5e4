"""Forms of live and preparing work: a level by its effect, and what was just done."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.measure.level_effect import EFFECTS, PASCAL, UNITS, VOLTS, WATTS, Effect
from utter_calm.measure.level_noise import WEIGHTINGS
from utter_calm.quantities import NONE, parse_quantity
from utter_calm.ui.live.desk import LiveDesk
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession


def effect_form(session: JobSession, parent: QWidget) -> PopupForm:
    """Ask for what the level should do."""
    rig = session.plan.rig
    chooser = QComboBox()
    chooser.setAccessibleName("What the level should give")
    for key, words in EFFECTS:
        chooser.addItem(words, key)
    usual = PASCAL if rig.hears_sound else WATTS if session.standing_load not in (None, NONE) else VOLTS
    chooser.setCurrentIndex(chooser.findData(usual))

    side = QComboBox()
    side.setAccessibleName("Channel on which it is measured")
    side.addItems([f"channel {k + 1}" for k in range(len(rig.inputs))])

    weighting = QComboBox()
    weighting.setAccessibleName("Weighting of the noise")
    for key, words in WEIGHTINGS:
        weighting.addItem(words, key)

    def apply(form: PopupForm) -> None:
        what = str(chooser.currentData())
        target = parse_quantity(form.text("target"), UNITS[what], what="target")
        frequency, start, limit = (form.quantity(key) for key in ("frequency", "start", "limit"))
        band = form.quantity("low"), form.quantity("high")
        on, weighted = side.currentIndex() + 1, str(weighting.currentData())
        session.search_level(Effect(what, target, frequency, start, limit, channel=on, band_hz=band, weighting=weighted))

    def forget() -> None:
        session.edit_plan("forget the reference", replace(session.plan, reference=None))

    lines = [
        FormLine("what", "As much as gives", chooser),
        FormLine("target", "of", text_line("94 dB SPL" if rig.hears_sound else "1", "Target")),
        FormLine("channel", "on", side),
        FormLine("frequency", "with a tone of", QuantityEdit("Frequency", "Hz", 997.0)),
        FormLine("start", "beginning at", QuantityEdit("Begin at", "V", 0.001)),
        FormLine("limit", "never above", QuantityEdit("Limit", "V", rig.highest_v)),
        FormLine("low", "noise from", QuantityEdit("Noise from", "Hz", 20.0), rare=True),
        FormLine("high", "noise to", QuantityEdit("Noise to", "Hz", 20_000.0), rare=True),
        FormLine("weighting", "heard", weighting, rare=True),
    ]
    form = PopupForm(parent, "Level by its effect", lines, apply)
    if session.plan.reference is not None:
        form.add_button("Forget the reference", forget)
    return form


def event_form(desk: LiveDesk, parent: QWidget) -> PopupForm:
    """Ask what was just done."""

    def apply(form: PopupForm) -> None:
        desk.name_mark(form.text("text"))

    def keep() -> None:
        desk.name_mark(form.text("text"))
        desk.keep()

    line = text_line("", "Event")
    line.setPlaceholderText("lights off, other lead, battery …")
    form = PopupForm(parent, "The moment is marked. What do you do?", [FormLine("text", "Event", line)], apply)
    form.add_button("Keep as a take", keep)
    return form

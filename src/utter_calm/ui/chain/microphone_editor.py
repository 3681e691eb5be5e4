"""The microphone under its link: sensitivity as typed, its response from a file, and the calibrator."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError
from utter_calm.formats.curve_text import Curve, read_curve
from utter_calm.job.run.microphone import CalibratorWanted
from utter_calm.quantities import parse_quantity
from utter_calm.rig import CAPSULE, Correction, Part
from utter_calm.rig.microphone import capsule_of, microphone_of
from utter_calm.ui.chain.stored_sheet import StoredSheet
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession

_RESPONSE, _CORRECTION = "the microphone's response: it is taken off", "a correction: it is added"
_AT_HZ = 10_000.0
_DB = math.log(10) / 20


def correction_in(curve: Curve, *, is_response: bool) -> Correction:
    """What to divide out, from a file's columns of Hz, dB and degrees."""
    sign = 1.0 if is_response else -1.0
    phase = () if curve.phase_rad is None else tuple((sign * curve.phase_rad).tolist())
    return Correction(tuple(curve.frequency_hz.tolist()), tuple((10 ** (sign * curve.value / 20)).tolist()), phase)


def moved_words(correction: Correction) -> str:
    """What a response that is divided out does to levels, so that nobody need guess its sign."""
    import numpy as np

    db = -20 * math.log10(abs(complex(correction.at(np.array([_AT_HZ]))[0])))
    way = "rise" if db > 0 else "fall"
    return f"At 10 kHz levels {way} by {abs(db):.2f} dB."


def microphone_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Type what the microphone's data sheet says, read its response, or put the calibrator on."""
    rig = session.plan.rig
    found, part = microphone_of(rig), capsule_of(rig)
    number = 1 if found is None else found[1].number
    now = part or Part(CAPSULE, 12.5e-3, channels=(number,), u_value=0.03)
    holds = QComboBox()
    holds.setAccessibleName("What the file holds")
    holds.addItems([_RESPONSE, _CORRECTION])
    file = text_line("", "File with the microphone's response")
    file.setPlaceholderText("none" if now.correction is None else "as it is; “none” takes it away")

    value_edit = QuantityEdit("Sensitivity", "V/Pa", now.value)
    sheet = StoredSheet(session, value_edit)

    def apply(form: PopupForm) -> None:
        sheet.check()
        value = form.quantity("value")
        if not value > 0:
            raise InputError("A microphone's sensitivity is above zero.", hint="As in 12.5 mV/Pa, or -38 dB re 1 V/Pa.")
        within = parse_quantity(form.text("within"), "dB", what="uncertainty")
        typed, correction = form.text("file").strip(), now.correction
        if typed == "none":
            correction = None
        elif typed:
            correction = correction_in(read_curve(Path(typed).expanduser()), is_response=holds.currentIndex() == 0)
        changed = replace(now, value=value, u_value=10 ** (within / 20) / 2 - 0.5, correction=correction)
        others = tuple(p for p in rig.parts if p is not part)
        session.edit_plan("change the microphone", replace(session.plan, rig=replace(rig, parts=(changed, *others))))
        if typed and typed != "none" and correction is not None:
            session.told.emit(f"{Path(typed).name}: {moved_words(correction)} If that is the wrong way, choose the other meaning.")

    lines = [
        FormLine("value", "Sensitivity", value_edit),
        FormLine("within", "Known to ± (k = 2)", text_line(f"{20 * math.log10(1 + 2 * now.u_value):.2f} dB", "Uncertainty")),
        FormLine("file", "Its response, a file", file),
        FormLine("holds", "The file is", holds),
        FormLine("sheet", "Stored data sheet, a dump", sheet.line),
    ]
    form = PopupForm(parent, "Microphone", lines, apply)
    form.add_button("Calibrate…", lambda: calibrator_form(session, parent).open_under(parent))
    return form


def calibrator_form(session: JobSession, parent: QWidget) -> PopupForm:
    """Ask what the calibrator gives, and begin."""
    usual = CalibratorWanted()

    def apply(form: PopupForm) -> None:
        within = parse_quantity(form.text("within"), "dB", what="uncertainty")
        session.calibrate_microphone(CalibratorWanted(form.text("level"), within))

    lines = [
        FormLine("level", "The calibrator gives", text_line(usual.level, "Level of the calibrator")),
        FormLine("within", "known to ± (k = 2)", text_line(f"{usual.within_db:g} dB", "Uncertainty of the calibrator")),
    ]
    return PopupForm(parent, "Calibrate the microphone", lines, apply)

"""The editor of a claim: a bound on a reading, or a mask for a trace."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.mask import mask_from_trace, mask_text, parse_mask, read_mask
from utter_calm.job.model import Claim, MaskPoint
from utter_calm.measure.kinds import DEFINITIONS, definition
from utter_calm.present.values import condition_text
from utter_calm.quantities import amplitude_to_db, parse_quantity
from utter_calm.quantities.text import fixed
from utter_calm.ui.fields import FormLine, PopupForm, QuantityEdit
from utter_calm.ui.session import JobSession

_MASKS = {
    "relative": "response relative to 1 kHz (mask)",
    "response": "response in dB (mask)",
    "thd_n": "THD+N over frequency or level (mask)",
    "crosstalk": "crosstalk over frequency (mask)",
    "balance": "channel balance over frequency (mask)",
    "residual": "multitone residual in thirds (mask)",
    "output_impedance": "output impedance, dB re 1 Ω (mask)",
}
_UNITS = (
    (r"power_at.*|power|rated_power", "W"),
    (r".*frequency|.*corner|.*_hz|.*tone", "Hz"),
    (r".*_time.*|delay", "s"),
    (r".*impedance", "ohm"),
    (r"input_capacitance", "F"),
    (r"slew_rate", "V/s"),
    (r"noise_density", "V/√Hz"),
    (r"dc|step_height", "V"),
    (r"interchannel_phase", "°"),
)


def claim_unit(name: str) -> str:
    """SI unit in which a reading is bounded."""
    if definition(name).shown == "volts":
        return "V"
    if definition(name).shown != "si":
        return "1"
    return next((unit for pattern, unit in _UNITS if re.fullmatch(pattern, name)), "1")


def bound_text(name: str, value: float | None) -> str:
    """Show a bound as it is typed."""
    if value is None:
        return ""
    unit = claim_unit(name)
    if unit != "1":
        return f"{value:.6g} {unit}"
    if definition(name).shown == "percent":
        return f"{100 * value:.6g} %"
    return f"{fixed(amplitude_to_db(value), 3)} dB" if definition(name).shown == "db" else f"{value:.6g}"


def parse_bound(name: str, text: str) -> float | None:
    """Read a bound; empty is none. Ratios take per cent or dB, a bare number is dB for those that are thought of in dB."""
    if not text.strip():
        return None
    unit = claim_unit(name)
    if unit == "1" and definition(name).shown == "db" and text.strip()[-1].isdigit():
        text += " dB"
    return parse_quantity(text, unit, what=definition(name).title)


def claimable() -> tuple[str, ...]:
    """Names of the readings that a claim may be about: all that are declared, families by their usual members."""
    numbers = {"harmonic_#": range(2, 11), "mains_#": range(1, 5), "idle_tone_#": range(1, 4)}
    names: list[str] = []
    for name in DEFINITIONS:
        if "#" not in name:
            names.append(name)
        elif "percent" in name:
            names += [name.replace("#", bound) for bound in ("0_1", "1", "10")]
        else:
            names += [name.replace("#", str(k)) for k in numbers.get(name, ())]
    return tuple(dict.fromkeys(names))


def _mask_buttons(session: JobSession, parent: QWidget, form: PopupForm, old: Claim) -> None:
    """Offer masks from a file and from the take on the plot; both come back as a filled-in form."""

    def again(mask: tuple[MaskPoint, ...]) -> None:
        name = old.name if old.name in _MASKS else "relative"
        claim_editor(session, parent, replace(old, mask=mask, name=name)).open_under(parent)

    def from_file() -> None:
        name, _ = QFileDialog.getOpenFileName(parent, "Read a mask", "", "Tables (*.csv *.txt *.tsv)")
        if name:
            try:
                again(read_mask(Path(name)))
            except UtterCalmError as problem:
                session.told.emit(str(problem))

    def from_take() -> None:
        takes = session.shown_takes()
        name = old.name if old.name in _MASKS else "relative"
        trace = session.job.full(takes[-1]).result.trace(name) if takes and takes[-1].id > 0 else None
        if trace is None:
            session.told.emit(f"The take on the plot has no curve “{_MASKS[name]}”. Choose one that has.")
            return
        lines = [FormLine("below", "So far below", QuantityEdit("Below", "dB", 0.5)),
                 FormLine("above", "So far above", QuantityEdit("Above", "dB", 0.5))]  # fmt: skip

        def apply(asked: PopupForm) -> None:
            mask = mask_from_trace(trace, asked.quantity("below"), asked.quantity("above"))
            QTimer.singleShot(0, lambda: again(mask))

        PopupForm(parent, f"Mask about take {takes[-1].id}", lines, apply).open_under(parent)

    form.add_button("Mask from the shown take…", from_take)
    form.add_button("Mask from a file…", from_file)


def claim_editor(session: JobSession, parent: QWidget, claim: Claim | None) -> PopupForm:
    """Edit a claim, or a new one."""
    document = session.plan
    steps = QComboBox()
    steps.setAccessibleName("Step that tells")
    for step in document.steps:
        steps.addItem(step.title, step.id)
    names = QComboBox()
    names.setAccessibleName("Reading or trace")
    for name in claimable():
        names.addItem(definition(name).title, name)
    for name, title in _MASKS.items():
        if names.findData(name) < 0:
            names.addItem(title, name)
    where = QComboBox()
    where.setAccessibleName("Setup in which it holds")
    where.addItem("every setup", ())
    for factor in document.factors:
        for value in factor.values:
            where.addItem(f"{factor.name} {condition_text(value)}", ((factor.name, value),))
    old = claim or Claim("", "", document.steps[0].id if document.steps else "", "thd_n")
    steps.setCurrentIndex(max(0, steps.findData(old.step)))
    names.setCurrentIndex(max(0, names.findData(old.name)))
    where.setCurrentIndex(next((i for i in range(where.count()) if where.itemData(i) == old.conditions), 0))

    def field(text: str, label: str) -> QLineEdit:
        made = QLineEdit(text)
        made.setAccessibleName(label)
        made.setMinimumWidth(300)
        return made

    def apply(form: PopupForm) -> None:
        name = str(names.currentData())
        mask = parse_mask(form.text("mask")) if name in _MASKS and form.text("mask") else ()
        low, high = (
            (None, None) if mask else (parse_bound(name, form.text("low")), parse_bound(name, form.text("high")))
        )
        if not mask and low is None and high is None:
            raise InputError("A claim needs a bound.", hint="Fill in “at least” or “at most”.")
        if low is not None and high is not None and low > high:
            raise InputError("“At least” is above “at most”.", hint="Swap them.")
        text = form.text("text") or definition(name).title
        made = replace(old, id=old.id or _fresh_id(session), text=text, step=str(steps.currentData()), name=name,
                       low=low, high=high, mask=mask, conditions=where.currentData())  # fmt: skip
        others = document.claims
        claims = tuple(made if c.id == old.id else c for c in others) if old.id else (*others, made)
        session.edit_plan("change a claim" if old.id else "add a claim", replace(document, claims=claims))

    lines = [
        FormLine("text", "As the data sheet says it", field(old.text, "Text of the claim")),
        FormLine("step", "Told by", steps),
        FormLine("name", "Reading", names),
        FormLine("low", "At least", field(bound_text(old.name, old.low), "At least")),
        FormLine("high", "At most", field(bound_text(old.name, old.high), "At most")),
        FormLine("mask", "Mask (Hz: dB dB; … or a pasted table)", field(mask_text(old.mask), "Mask")),
        FormLine("where", "Holds in", where),
    ]
    form = PopupForm(parent, "Edit the claim" if old.id else "Add a claim", lines, apply)
    _mask_buttons(session, parent, form, old)
    return form


def _fresh_id(session: JobSession) -> str:
    taken = {c.id for c in session.plan.claims}
    return next(f"claim-{n}" for n in range(1, 100_000) if f"claim-{n}" not in taken)

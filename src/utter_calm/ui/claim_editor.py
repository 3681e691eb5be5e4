"""The editor of a claim: a bound on a reading, or a mask for a trace."""

from __future__ import annotations

import itertools
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from utter_calm.errors import InputError
from utter_calm.job.model import Claim, MaskPoint
from utter_calm.measure.kinds import DEFINITIONS, definition
from utter_calm.present.values import condition_text
from utter_calm.quantities import amplitude_to_db, db_to_amplitude, parse_quantity
from utter_calm.quantities.text import fixed
from utter_calm.ui.fields import FormLine, PopupForm
from utter_calm.ui.session import JobSession

_MASKS = {"relative": "response relative to 1 kHz (mask)", "response": "response in dB (mask)"}
_UNITS = {
    "level": "V", "noise": "V", "power": "W", "dc": "V", "fundamental_frequency": "Hz", "mains_frequency": "Hz",
    "upper_corner": "Hz", "lower_corner": "Hz", "delay": "s",
}  # fmt: skip


def bound_text(name: str, value: float | None) -> str:
    """Show a bound as it is typed."""
    if value is None:
        return ""
    unit = _UNITS.get(name, "1")
    if unit != "1":
        return f"{value:.6g} {unit}"
    if definition(name).shown == "percent":
        return f"{100 * value:.6g} %"
    return f"{fixed(amplitude_to_db(value), 3)} dB"


def parse_bound(name: str, text: str) -> float | None:
    """Read a bound; empty is none. Ratios take per cent or dB, a bare number is dB for those that are thought of in dB."""
    if not text.strip():
        return None
    unit = _UNITS.get(name, "1")
    if unit == "1" and definition(name).shown == "db" and text.strip()[-1].isdigit():
        text += " dB"
    return parse_quantity(text, unit, what=definition(name).title)


def mask_text(mask: tuple[MaskPoint, ...]) -> str:
    """Show a mask as it is typed: ``20: -0.5 0.1; 20000: -0.5 0.1``."""

    def side(value: float | None) -> str:
        return "-" if value is None else f"{amplitude_to_db(value):.4g}"

    return "; ".join(f"{p.x:g}: {side(p.low)} {side(p.high)}" for p in mask)


def parse_mask(text: str) -> tuple[MaskPoint, ...]:
    """Read a mask: frequency in Hz, lower and upper bound in dB, ``-`` for none; points parted by semicolons.

    Raises
    ------
    InputError
        A point cannot be read, or their frequencies do not rise.
    """
    points = []
    for part in (p.strip() for p in text.split(";") if p.strip()):
        at, colon, bounds = part.partition(":")
        sides = bounds.split()
        if not colon or len(sides) != 2:
            raise InputError(
                f"The mask's point “{part}” is unclear.", hint="Write it as 20: -0.5 0.1 (Hz, lower and upper dB)."
            )
        low, high = (None if s in ("-", "–") else db_to_amplitude(parse_quantity(s, "", what="bound")) for s in sides)
        points.append(MaskPoint(parse_quantity(at, "Hz", what="mask's frequency"), low, high))
    if len(points) < 2 or any(a.x >= b.x for a, b in itertools.pairwise(points)) or points[0].x <= 0:
        raise InputError(
            "A mask needs two or more points at rising frequencies.", hint="As in 20: -0.5 0.1; 20000: -0.5 0.1"
        )
    return tuple(points)


def claim_editor(session: JobSession, parent: QWidget, claim: Claim | None) -> PopupForm:
    """Edit a claim, or a new one."""
    document = session.plan
    steps = QComboBox()
    steps.setAccessibleName("Step that tells")
    for step in document.steps:
        steps.addItem(step.title, step.id)
    names = QComboBox()
    names.setAccessibleName("Reading or trace")
    for name in (*DEFINITIONS, *(f"harmonic_{k}" for k in range(2, 11))):
        names.addItem(definition(name).title, name)
    for name, title in _MASKS.items():
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
        mask = parse_mask(form.text("mask")) if name in _MASKS else ()
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
        FormLine("mask", "Mask (Hz: dB dB; …)", field(mask_text(old.mask), "Mask")),
        FormLine("where", "Holds in", where),
    ]
    return PopupForm(parent, "Edit the claim" if claim else "Add a claim", lines, apply)


def _fresh_id(session: JobSession) -> str:
    taken = {c.id for c in session.plan.claims}
    return next(f"claim-{n}" for n in range(1, 100_000) if f"claim-{n}" not in taken)

"""The editor of a claim: a bound on a reading, or a mask for a trace."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.document import UNIT, Claim, MaskPoint, Plan
from utter_calm.job.mask import mask_from_trace, mask_text, parse_mask, read_mask
from utter_calm.measure.declare import Declared
from utter_calm.measure.kind import Kind
from utter_calm.present.claim_words import (
    bound_text,
    claim_title,
    claimable,
    in_full_scale,
    maskable,
    parse_bound,
    understood,
    unit_of,
)
from utter_calm.quantities import FULL_SCALE_UNIT, Conditions, conditions_text
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession


def _mask_buttons(session: JobSession, parent: QWidget, form: PopupForm, old: Claim, masks: dict[str, Declared]) -> None:
    """Offer masks from a file and from the take on the plot; both come back as a filled-in form."""

    def again(mask: tuple[MaskPoint, ...]) -> None:
        name = old.name if old.name in masks else next(iter(masks), "")
        claim_editor(session, parent, replace(old, mask=mask, name=name)).open_under(parent)

    def from_file() -> None:
        name, _ = QFileDialog.getOpenFileName(parent, "Read a mask", "", "Tables (*.csv *.txt *.tsv)")
        if name:
            try:
                again(read_mask(Path(name)))
            except UtterCalmError as problem:
                session.cautioned.emit(str(problem))

    def from_take() -> None:
        takes = session.shown_takes()
        name = old.name if old.name in masks else next(iter(masks), "")
        trace = session.job.full(takes[-1]).result.trace(name) if takes and takes[-1].id > 0 else None
        if trace is None:
            session.cautioned.emit(
                f"The take on the plot has no curve “{masks[name].title if name in masks else name}”. Choose one that has."
            )
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
    names.setAccessibleName("Reading or curve")
    where = QComboBox()
    where.setAccessibleName("Setup in which it holds")
    places = _places(document)
    where.addItems([conditions_text(place) or "every setup" for place in places])
    old = claim or Claim("", "", document.steps[0].id if document.steps else "", "")
    steps.setCurrentIndex(max(0, steps.findData(old.step)))

    def kind() -> Kind[Any]:
        return document.step(str(steps.currentData())).measure

    def offer() -> None:
        names.clear()
        step = str(steps.currentData())
        taken = {r.name for t in session.job.takes if t.step == step for r in t.readings}
        for name, known in claimable(
            kind(), {*taken, *([old.name] if taken and step == old.step and not old.mask else ())}
        ).items():
            names.addItem(claim_title(kind(), known), (name, False))
            names.setItemData(names.count() - 1, known.text, Qt.ItemDataRole.ToolTipRole)
        for name, known in maskable(kind()).items():
            names.addItem(f"{known.title}, as a mask", (name, True))
        wanted = (old.name, bool(old.mask))
        found = next((i for i in range(names.count()) if tuple(names.itemData(i)) == wanted), 0)
        names.setCurrentIndex(found)

    if document.steps:
        offer()
    steps.currentIndexChanged.connect(lambda _index: offer())

    where.setCurrentIndex(next((i for i, place in enumerate(places) if place == old.conditions), 0))
    _follow_reading(session, claim, steps, names, where, places)

    def field(text: str, label: str) -> QLineEdit:
        made = QLineEdit(text)
        made.setAccessibleName(label)
        made.setMinimumWidth(300)
        return made

    def apply(form: PopupForm) -> None:
        if not document.steps or names.currentIndex() < 0:
            raise InputError("There is no step that could tell it.", hint="Add a step first.")
        name, is_mask = names.currentData()
        known = (kind().declared_trace if is_mask else kind().declared)(name)
        unit = unit_of(known)
        mask = parse_mask(form.text("mask")) if is_mask else ()
        if not mask:
            unit = _unit_typed(form, known)
        low, high = (None, None) if mask else _bounds(form, known, unit)
        text = form.text("text") or known.title
        made = replace(old, id=old.id or _fresh_id(session), text=text, step=str(steps.currentData()), name=name,
                       low=low, high=high, mask=mask, re_full_scale=unit == FULL_SCALE_UNIT,
                       conditions=places[where.currentIndex()])  # fmt: skip
        others = document.claims
        claims = tuple(made if c.id == old.id else c for c in others) if old.id else (*others, made)
        session.edit_plan("change a claim" if old.id else "add a claim", replace(document, claims=claims))
        if not mask:
            session.told.emit(f"Understood: {known.title} {understood(known, unit, low, high)}.")

    told = kind().declared(old.name) if document.steps and old.name and not old.mask else None
    old_unit = FULL_SCALE_UNIT if old.re_full_scale else "" if told is None else unit_of(told)
    low_text, high_text = ("" if told is None else bound_text(told, old_unit, v) for v in (old.low, old.high))
    lines = [
        FormLine("text", "As the data sheet says it", field(old.text, "Text of the claim")),
        FormLine("step", "Told by", steps),
        FormLine("name", "Reading", names),
        FormLine("low", "At least", field(low_text, "At least")),
        FormLine("high", "At most", field(high_text, "At most")),
        FormLine("mask", "Mask (Hz: dB dB; … or a pasted table)", field(mask_text(old.mask), "Mask")),
        FormLine("where", "Holds in", where),
    ]
    form = PopupForm(parent, "Edit the claim" if old.id else "Add a claim", lines, apply)
    _mask_buttons(session, parent, form, old, maskable(kind()) if document.steps else {})
    return form


def _places(plan: Plan) -> list[Conditions]:
    """Conditions under which a claim may hold: all, or one value of one factor."""
    return [(), *(((factor.name, value),) for factor in plan.factors for value in factor.values)]


def _follow_reading(
    session: JobSession, claim: Claim | None, steps: QComboBox, names: QComboBox, where: QComboBox, places: list[Conditions]
) -> None:  # fmt: skip
    """Offer a new claim not for every setup where some of those that were measured do not tell its reading."""

    def follow() -> None:
        name, is_mask = names.currentData() or ("", True)
        where.setCurrentIndex(0 if is_mask else places.index(told_where(session, places, str(steps.currentData()), name)))

    if claim is None:
        names.currentIndexChanged.connect(lambda _index: follow())
        follow()


def told_where(session: JobSession, places: list[Conditions], step: str, name: str) -> Conditions:
    """The first conditions under which every take of a step tells a reading; none where all do, or nothing sets them apart."""
    takes = [t for c in session.document.cells(session.unit) if c.step == step and (t := session.job.current(c)) is not None]
    takes = [t for t in takes if t.role == UNIT]
    telling = [t for t in takes if any(r.name == name for r in t.readings)]
    if len(telling) in (0, len(takes)):
        return ()
    fitting = [place for place in places if all(t.setup.fits(place) == (t in telling) for t in takes)]
    return fitting[0] if fitting else ()


def _unit_typed(form: PopupForm, known: Declared) -> str:
    """Unit of the bounds: volts or the like, or full scale where they are typed in dBFS.

    Raises
    ------
    InputError
        One is in dBFS and the other is not.
    """
    typed = [text for text in (form.text("low"), form.text("high")) if text]
    scaled = [in_full_scale(known, text) for text in typed]
    if any(scaled) and not all(scaled):
        raise InputError("One bound is in dBFS and the other is not.", hint="Type both alike.")
    return FULL_SCALE_UNIT if any(scaled) else unit_of(known)


def _bounds(form: PopupForm, known: Declared, unit: str) -> tuple[float | None, float | None]:
    """Read both bounds; one of them is needed, and they must not cross."""
    low, high = (parse_bound(known, unit, form.text(side)) for side in ("low", "high"))
    if low is None and high is None:
        raise InputError("A claim needs a bound.", hint="Fill in “at least” or “at most”.")
    if low is not None and high is not None and low > high:
        raise InputError("“At least” is above “at most”.", hint="Swap them.")
    return low, high


def _fresh_id(session: JobSession) -> str:
    taken = {c.id for c in session.plan.claims}
    return next(f"claim-{n}" for n in range(1, 100_000) if f"claim-{n}" not in taken)

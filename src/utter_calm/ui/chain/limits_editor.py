"""What a unit can take: volts, watts, how far its cone may move, and how low it may be played."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QWidget

from utter_calm.job.cone import cone_of
from utter_calm.quantities import parse_quantity
from utter_calm.quantities.text import typed_text
from utter_calm.rig.excursion import Moves, parse_moves
from utter_calm.rig.rating import Rating
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession

_FIELDS = (
    ("most_v", "V", "Takes at most, volts", "r.m.s., as in 12 V; empty for no limit"),
    ("most_w", "W", "Takes at most, watts", "as in 50 W; empty for no limit"),
    ("into_ohm", "ohm", "Watts into", "as in 8 ohm"),
    ("guard_hz", "Hz", "No signal below", "as in 800 Hz for a tweeter"),
    ("most_m", "m", "Its cone moves at most", "to one side, as in 4 mm; empty for no limit"),
)
_MOVES, _WIDTH = "moves", 400


def limits_editor(session: JobSession, parent: QWidget) -> PopupForm:
    """Say what the unit can take; what would be too much is refused before anything sounds."""
    unit = session.unit

    def apply(form: PopupForm) -> None:
        session.edit_unit("change what the unit takes", replace(unit, rating=rating_of(form)))

    return PopupForm(parent, "What it can take", _lines(unit.rating, cone_of(session.job, unit.id)), apply)


def _lines(rating: Rating | None, moves: Moves | None) -> list[FormLine]:
    """What is not limited is empty; ``moves`` is how its cone moves as far as takes tell."""
    known = rating or Rating()
    values = (known.volts, known.power_w, known.ohm if known.power_w is not None else None, known.lowest_hz,
              known.excursion_m)  # fmt: skip
    lines = []
    for (key, unit, label, example), value in zip(_FIELDS, values, strict=True):
        field = text_line("" if value is None else typed_text(value, unit), label)
        field.setPlaceholderText(example)
        field.setMinimumWidth(_WIDTH)
        lines.append(FormLine(key, label, field))
    model = known.moves or moves
    field = text_line("" if model is None else model.words, "And moves by")
    field.setPlaceholderText("as in 0.35 mm/V, 45 Hz, 0.4 (low down, resonance, Qts)")
    return [*lines, FormLine(_MOVES, "And moves by", field)]


def rating_of(form: PopupForm) -> Rating | None:
    """What was typed; None where nothing was. Errors of a value that cannot be read."""
    volts, power, ohm, lowest, excursion = (
        parse_quantity(form.text(key), unit, what=label.lower()) if form.text(key) else None for key, unit, label, _ in _FIELDS
    )
    if volts is None and power is None and lowest is None and excursion is None:
        return None
    moves = parse_moves(form.text(_MOVES)) if form.text(_MOVES) and excursion is not None else None
    return Rating(volts, power, 8.0 if ohm is None else ohm, lowest, excursion, moves)

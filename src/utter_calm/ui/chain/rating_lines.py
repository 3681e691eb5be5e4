"""Fields for what a unit takes, in the editor of the unit."""

from __future__ import annotations

from utter_calm.quantities import parse_quantity
from utter_calm.quantities.text import typed_text
from utter_calm.rig.excursion import Moves, parse_moves
from utter_calm.rig.rating import Rating
from utter_calm.ui.look.fields import FormLine, PopupForm, text_line

_FIELDS = (
    ("most_v", "V", "Takes at most, volts", "r.m.s., as in 12 V; empty for no limit"),
    ("most_w", "W", "Takes at most, watts", "as in 50 W; empty for no limit"),
    ("into_ohm", "ohm", "Watts into", "as in 8 ohm"),
    ("guard_hz", "Hz", "No signal below", "as in 800 Hz for a tweeter"),
    ("most_m", "m", "Its cone moves at most", "to one side, as in 4 mm; empty for no limit"),
)
_MOVES = "moves"


def rating_lines(rating: Rating | None, moves: Moves | None = None) -> list[FormLine]:
    """Lines for a unit's rating; what is not limited is empty. ``moves`` is how its cone moves as far as takes tell."""
    known = rating or Rating()
    values = (known.volts, known.power_w, known.ohm if known.power_w is not None else None, known.lowest_hz,
              known.excursion_m)  # fmt: skip
    lines = []
    for (key, unit, label, example), value in zip(_FIELDS, values, strict=True):
        field = text_line("" if value is None else typed_text(value, unit), label)
        field.setPlaceholderText(example)
        lines.append(FormLine(key, label, field, rare=True))
    model = known.moves or moves
    field = text_line("" if model is None else model.words, "And moves by")
    field.setPlaceholderText("as in 0.35 mm/V, 45 Hz, 0.4: far below its resonance, resonance, Qts")
    return [*lines, FormLine(_MOVES, "And moves by", field, rare=True)]


def rating_of(form: PopupForm) -> Rating | None:
    """What was typed; None where nothing was. Errors of a value that cannot be read."""
    volts, power, ohm, lowest, excursion = (
        parse_quantity(form.text(key), unit, what=label.lower()) if form.text(key) else None for key, unit, label, _ in _FIELDS
    )
    if volts is None and power is None and lowest is None and excursion is None:
        return None
    moves = parse_moves(form.text(_MOVES)) if form.text(_MOVES) and excursion is not None else None
    return Rating(volts, power, 8.0 if ohm is None else ohm, lowest, excursion, moves)

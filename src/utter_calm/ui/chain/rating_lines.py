"""Fields for what a unit takes, in the editor of the unit."""

from __future__ import annotations

from utter_calm.quantities import parse_quantity
from utter_calm.quantities.text import typed_text
from utter_calm.rig.rating import Rating
from utter_calm.ui.look.fields import FormLine, PopupForm, text_line

_FIELDS = (
    ("most_v", "V", "Takes at most, volts", "r.m.s., as in 12 V; empty for no limit"),
    ("most_w", "W", "Takes at most, watts", "as in 50 W; empty for no limit"),
    ("into_ohm", "ohm", "Watts into", "as in 8 ohm"),
    ("guard_hz", "Hz", "No signal below", "as in 800 Hz for a tweeter"),
)


def rating_lines(rating: Rating | None) -> list[FormLine]:
    """Lines for a unit's rating; what is not limited is empty."""
    known = rating or Rating()
    values = (known.volts, known.power_w, known.ohm if known.power_w is not None else None, known.lowest_hz)
    lines = []
    for (key, unit, label, example), value in zip(_FIELDS, values, strict=True):
        field = text_line("" if value is None else typed_text(value, unit), label)
        field.setPlaceholderText(example)
        lines.append(FormLine(key, label, field, rare=True))
    return lines


def rating_of(form: PopupForm) -> Rating | None:
    """What was typed; None where nothing was. Errors of a value that cannot be read."""
    volts, power, ohm, lowest = (
        parse_quantity(form.text(key), unit, what=label.lower()) if form.text(key) else None for key, unit, label, _ in _FIELDS
    )
    if volts is None and power is None and lowest is None:
        return None
    return Rating(volts, power, 8.0 if ohm is None else ohm, lowest)

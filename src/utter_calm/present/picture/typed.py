"""Places on the axes of a picture, as people type them and read them back."""

from __future__ import annotations

from utter_calm.errors import InputError
from utter_calm.present.picture.axis import Axis
from utter_calm.quantities import Scale, parse_quantity, si_text


def place_of(text: str, axis: Axis) -> float:
    """Read a place along x: in the SI unit of what stands there, or in dB where the axis is one of levels."""
    if axis.view.scale is Scale.DECIBELS:
        return _decibels(text, axis)
    return parse_quantity(text, axis.view.label, what="place") / axis.factor


def height_of(text: str, axis: Axis) -> float:
    """Read a height in the unit of the axis: per cent or dB where it is both."""
    view = axis.view
    if axis.percent and text.strip().endswith("%"):
        return float(view.place(parse_quantity(text, "1", what="value")))
    if view.scale is Scale.DECIBELS:
        return _decibels(text, axis)
    if view.scale is Scale.PERCENT:
        bare = text.strip()[-1:].isdigit()
        return float(view.place(parse_quantity(f"{text} %" if bare else text, "1", what="value")))
    value = parse_quantity(text, view.label, what="value")
    if view.scale is Scale.LOG and not value > 0:
        raise InputError("The value is not above zero.", hint="The axis is logarithmic.")
    if view.scale is Scale.DEGREES and text.strip()[-1:].isdigit():
        return value  # a bare number on an axis of degrees is one of degrees
    return float(view.place(value))


def place_text(place: float, axis: Axis) -> str:
    """Write a place along x so that it can be typed again."""
    if axis.view.scale is Scale.DECIBELS:
        return f"{place:g} dB"
    return f"{place * axis.factor:g}" if axis.view.label == "1" else str(si_text(place * axis.factor, axis.view.label, digits=4))


def height_text(place: float, axis: Axis) -> str:
    """Write a height so that it can be typed again."""
    view = axis.view
    if view.scale is Scale.DECIBELS:
        return f"{place:g} dB"
    if view.scale is Scale.PERCENT:
        return f"{place:g} %"
    if view.scale is Scale.DEGREES:
        return f"{place:g}"
    return f"{view.value(place):g}" if view.label == "1" else str(si_text(view.value(place), view.label, digits=4))


def _decibels(text: str, axis: Axis) -> float:
    bare = text.replace(axis.view.label, "").replace("dB", "").strip()
    return parse_quantity(bare, "dB", what="value")

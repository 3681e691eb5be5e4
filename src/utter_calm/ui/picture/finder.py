"""Go to an x, or look for a height on the curve in focus."""

from __future__ import annotations

from utter_calm.errors import InputError
from utter_calm.present.picture.axis import Axis
from utter_calm.quantities import Scale, parse_quantity
from utter_calm.ui.look.fields import FormLine, PopupForm, text_line
from utter_calm.ui.picture.pane import PlotPane


def finder_form(pane: PlotPane) -> PopupForm:
    """Ask for one of the two; Enter goes there, and again to the next place."""

    def apply(form: PopupForm) -> None:
        view = pane.canvas.view
        if view is None or view.empty:
            raise InputError("There is no curve on the plot.", hint="Choose a cell of the coverage first.")
        at, height = form.text("at"), form.text("height")
        if at:
            pane.canvas.set_cursor(_place(at, view.x))
        elif height:
            if not pane.find_height(_height(height, view.y)):
                raise InputError(f"The curve is nowhere at {height}.", hint="Choose a value between its lowest and highest.")
        else:
            raise InputError("Neither a place nor a value was typed.", hint="Fill in one of them.")

    lines = [
        FormLine("at", "Go to", text_line("", "Place on the horizontal axis")),
        FormLine("height", "or find where the curve is at", text_line("", "Value on the vertical axis")),
    ]
    return PopupForm(pane, "Read the curve in focus", lines, apply)


def _place(text: str, axis: Axis) -> float:
    """Read a place along x: in the SI unit of what stands there, or in dB where the axis is one of levels."""
    if axis.view.scale is Scale.DECIBELS:
        return _decibels(text, axis)
    return parse_quantity(text, axis.view.label, what="place") / axis.factor


def _height(text: str, axis: Axis) -> float:
    """Read a height in the unit of the axis: per cent or dB where it is both."""
    view = axis.view
    if axis.percent and text.strip().endswith("%"):
        return float(view.place(parse_quantity(text, "1", what="value")))
    if view.scale is Scale.DECIBELS:
        return _decibels(text, axis)
    value = parse_quantity(text, view.label, what="value")
    if view.scale is Scale.LOG and not value > 0:
        raise InputError("The value is not above zero.", hint="The axis is logarithmic.")
    if view.scale is Scale.DEGREES and text.strip()[-1:].isdigit():
        return value  # a bare number on an axis of degrees is one of degrees
    return float(view.place(value))


def _decibels(text: str, axis: Axis) -> float:
    bare = text.replace(axis.view.label, "").replace("dB", "").strip()
    return parse_quantity(bare, "dB", what="value")

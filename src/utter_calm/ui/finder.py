"""Go to an x, or look for a height on the curve in focus."""

from __future__ import annotations

import math

from utter_calm.errors import InputError
from utter_calm.quantities import parse_quantity
from utter_calm.ui.chain_editors import text_line
from utter_calm.ui.fields import FormLine, PopupForm
from utter_calm.ui.plot_pane import PlotPane

_MULTIPLES = {"ms": ("s", 1e3), "µs": ("s", 1e6)}


def finder_form(pane: PlotPane) -> PopupForm:
    """Ask for one of the two; Enter goes there, and again to the next place."""

    def apply(form: PopupForm) -> None:
        view = pane.canvas.view
        if view is None or view.empty:
            raise InputError("There is no curve on the plot.", hint="Choose a cell of the coverage first.")
        at, height = form.text("at"), form.text("height")
        if at:
            unit, factor = _MULTIPLES.get(view.x.unit, (view.x.unit or "1", 1.0))
            unit = "dB" if unit.startswith("dB") else unit
            pane.canvas.set_cursor(parse_quantity(at, unit, what="place") * factor)
        elif height:
            wanted = _height(height, percent=view.y.percent, decades=view.y.decades, unit=view.y.unit)
            if not pane.find_height(wanted):
                raise InputError(
                    f"The curve is nowhere at {height}.", hint="Choose a value between its lowest and highest."
                )
        else:
            raise InputError("Neither a place nor a value was typed.", hint="Fill in one of them.")

    lines = [
        FormLine("at", "Go to", text_line("", "Place on the horizontal axis")),
        FormLine("height", "or find where the curve is at", text_line("", "Value on the vertical axis")),
    ]
    return PopupForm(pane, "Read the curve in focus", lines, apply)


def _height(text: str, *, percent: bool, decades: bool, unit: str) -> float:
    """Read a height in the unit of the axis: per cent or dB where it is both."""
    if percent and text.strip().endswith("%"):
        return 20 * math.log10(parse_quantity(text, "1", what="value"))
    if decades:
        value = parse_quantity(text, {"Ω": "ohm"}.get(unit, unit), what="value")
        if not value > 0:
            raise InputError("The value is not above zero.", hint="The axis is logarithmic.")
        return math.log10(value)
    bare = text.replace("dBV", "").replace("dB", "").replace("°", "").strip()
    return parse_quantity(bare, "V" if unit == "V" else "dB", what="value")

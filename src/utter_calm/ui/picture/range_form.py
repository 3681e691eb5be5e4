"""The ranges of a picture's axes, typed; they stay with the step."""

from __future__ import annotations

from collections.abc import Callable

from utter_calm.job.document import AxisRange
from utter_calm.present.picture.ranged import RANGE_FIELDS, range_texts, range_typed
from utter_calm.present.picture.view import PlotView
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.picture.pane import PlotPane

_LABELS = {"x_low": "{x} from", "x_high": "to", "y_low": "{y} from", "y_high": "to", "y_step": "for each division"}


def range_form(pane: PlotPane, view: PlotView, kept: AxisRange, keep: Callable[[AxisRange], None]) -> PopupForm:
    """Ask for the ranges; what is left empty is found by the program and stands there in grey."""
    texts = range_texts(view, kept)
    titles = {"x": view.x.title.capitalize(), "y": view.y.title.capitalize()}
    lines = []
    for name in RANGE_FIELDS:
        if name == "y_step" and view.y.decades:
            continue
        typed, now = texts[name]
        label = _LABELS[name].format(**titles)
        field = text_line(typed, label if label != "to" else f"{titles[name[0]]} to")
        field.setPlaceholderText(now or "automatic")
        lines.append(FormLine(name, label, field))

    def apply(form: PopupForm) -> None:
        keep(range_typed(view, kept, {line.key: form.text(line.key) for line in lines}))

    form = PopupForm(pane, "Range of the axes, kept with the step", lines, apply)
    form.add_button("Automatic", lambda: keep(AxisRange(kept.picture, kept.over)))
    return form

"""Go to an x, or list where the curves have a height and where they cross; it stays open while the plot is read."""

from __future__ import annotations

from itertools import combinations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from utter_calm.errors import InputError
from utter_calm.present.picture.cursor import crossings, places_of
from utter_calm.present.picture.typed import height_of, place_of
from utter_calm.present.picture.view import PlotView
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.picture.pane import PlotPane

_MOST_CURVES, _MOST_PLACES = 8, 200
Found = list[tuple[str, float]]


def finder_form(pane: PlotPane) -> PopupForm:
    """Ask for a place or a value; Enter goes there, and again to the next place. All places are listed and can be pressed."""
    places = QListWidget()
    places.setAccessibleName("Places found")
    places.hide()

    def apply(form: PopupForm) -> None:
        view = pane.canvas.view
        if view is None or view.empty:
            raise InputError("There is no curve on the plot.", hint="Choose a cell of the coverage first.")
        at, height = form.text("at"), form.text("height")
        if at:
            pane.canvas.set_cursor(place_of(at, view.x))
        elif height:
            place = height_of(height, view.y)
            show(form, heights(view, place))
            pane.find_height(place)
            if not places.count():
                raise InputError(f"No curve is anywhere at {height}.", hint="Choose a value between the lowest and the highest.")
        else:
            raise InputError("Neither a place nor a value was typed.", hint="Fill in one of them.")

    def show(form: PopupForm, found: Found) -> None:
        places.clear()
        for words, x in found[:_MOST_PLACES]:
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, x)
            places.addItem(item)
        places.setFixedHeight(min(10, len(found)) * places.sizeHintForRow(0) + 6 if found else 0)
        places.setVisible(bool(found))
        form.fit()

    def cross() -> None:
        view = pane.canvas.view
        found = [] if view is None or view.empty else meetings(view)
        show(form, found)
        form.say("" if found else "No two curves cross where both are data. Several cells can be shown together.")

    lines = [
        FormLine("at", "Go to", text_line("", "Place on the horizontal axis")),
        FormLine("height", "or where the curves are at", text_line("", "Value on the vertical axis")),
    ]
    form = PopupForm(pane, "Read the curves", lines, apply, stays=True)
    form.ok.setText("Find  ⏎")
    form.add_beneath(places)
    form.add_button("Where curves cross", cross)
    places.itemClicked.connect(lambda item: pane.canvas.set_cursor(item.data(Qt.ItemDataRole.UserRole)))
    places.itemActivated.connect(lambda item: pane.canvas.set_cursor(item.data(Qt.ItemDataRole.UserRole)))
    return form


def heights(view: PlotView, place: float) -> Found:
    """Where the curves of a picture have a height, with words for each."""
    out: Found = []
    for curve in view.curves[:_MOST_CURVES]:
        if not curve.dense:
            out += [(f"{view.x.x_words(x)}   {curve.label}".rstrip(), x) for x in places_of(curve, place, log=view.x.log)]
    return out


def meetings(view: PlotView) -> Found:
    """Where two curves of a picture cross, with words for each."""
    out: Found = []
    for one, other in combinations([c for c in view.curves if not c.dense][:_MOST_CURVES], 2):
        met = crossings(one, other, log=view.x.log)
        out += [(f"{view.x.x_words(x)}, {view.y.y_words(y)}   {one.label} and {other.label}", x) for x, y in met]
    return sorted(out, key=lambda found: found[1])

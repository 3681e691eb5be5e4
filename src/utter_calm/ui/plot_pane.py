"""The middle: words above, the plot, and below it what the curves say at the cursor."""

from __future__ import annotations

import math
from html import escape

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from utter_calm.measure.kind import PlotSpec
from utter_calm.present.plot import CurveView, PlotView
from utter_calm.quantities import si_text
from utter_calm.quantities.text import fixed
from utter_calm.ui.plot_canvas import PlotCanvas
from utter_calm.ui.theme import current_palette


class PlotPane(QWidget):
    """Title, choice of pictures, plot, cursor line. ``spec_chosen`` carries the key of the picture."""

    spec_chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 10)
        layout.setSpacing(3)
        top = QHBoxLayout()
        self.title = QLabel()
        self.title.setProperty("role", "title")
        top.addWidget(self.title, 1)
        self._choices = QHBoxLayout()
        self._choices.setSpacing(0)
        top.addLayout(self._choices)
        layout.addLayout(top)
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.RichText)
        self.words.setWordWrap(True)
        layout.addWidget(self.words)
        self.canvas = PlotCanvas()
        layout.addWidget(self.canvas, 1)
        self.axis_words = QLabel()
        self.axis_words.setProperty("role", "soft")
        layout.addWidget(self.axis_words)
        self.readout = QLabel()
        self.readout.setTextFormat(Qt.TextFormat.RichText)
        self.readout.setWordWrap(True)
        self.readout.setFixedHeight(36)
        self.readout.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.readout.setAccessibleName("Values at the cursor")
        layout.addWidget(self.readout)
        self.canvas.cursor_moved.connect(self._read)
        self._group = QButtonGroup(self)
        self._group.idClicked.connect(lambda number: self.spec_chosen.emit(self._specs[number].key))
        self._specs: tuple[PlotSpec, ...] = ()
        for line in (self.title, self.words, self.axis_words, self.readout):
            # long words are cut, they never push the panels aside
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def set_specs(self, specs: tuple[PlotSpec, ...], chosen: str) -> None:
        """Offer the pictures of a kind of step."""
        if specs != self._specs:
            self._specs = specs
            for button in self._group.buttons():
                self._group.removeButton(button)
                button.hide()
                button.deleteLater()
            for number, spec in enumerate(specs):
                button = QPushButton(spec.short or spec.title.lower())
                button.setProperty("role", "flat")
                button.setCheckable(True)
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                button.setToolTip(f"{spec.title} (Ctrl+{number + 1})")
                self._group.addButton(button, number)
                self._choices.addWidget(button)
        for number, spec in enumerate(specs):
            self._group.button(number).setChecked(spec.key == chosen)

    def show_view(self, view: PlotView, *, keep_range: bool = False) -> None:
        """Show a picture with its words."""
        self.title.setText(view.title)
        p = current_palette()
        parts = []
        if view.differs:
            parts.append(f'<b style="color:{p.text}">{escape(view.differs)}</b>')
        if view.same:
            parts.append(f'<span style="color:{p.soft_text}">{escape(view.same)}</span>')
        self.words.setText("; ".join(parts))
        self.axis_words.setText("" if view.empty else f"{view.y.label} over {view.x.label}")
        self.canvas.show_view(view, keep_range=keep_range)
        self._read(math.nan)

    def apply_palette(self) -> None:
        """Change the theme."""
        self.canvas.apply_palette(current_palette())
        if self.canvas.view is not None:
            self.show_view(self.canvas.view, keep_range=True)

    def _read(self, x: float) -> None:
        """Read every curve at the cursor, exactly: interpolated over log x where the axis is."""
        view = self.canvas.view
        p = current_palette()
        if view is None or view.empty:
            self.readout.setText("")
            return
        if not math.isfinite(x):
            hint = "D zooms to the detail · " if view.detail else ""
            self.readout.setText(
                f'<span style="color:{p.soft_text}">{hint}move over the plot to read the curves</span>'
            )
            self.readout.setToolTip("; ".join(view.notes))
            return
        at = place_words(x, view)
        parts = [f"<b>at {at}</b>"]
        for curve in view.curves[:6]:
            value = read_curve(curve, x, log=view.x.log)
            if value is None:
                continue
            colour = p.hues[curve.hue % len(p.hues)]
            text = value_words(value, view)
            parts.append(f'<span style="color:{colour}">{escape(curve.label)} {escape(text)}</span>')
        self.readout.setText("&nbsp;&nbsp;&nbsp;".join(parts))


def read_curve(curve: CurveView, x: float, *, log: bool) -> float | None:
    """Height of a curve at x; None where it is not valid."""
    low, high = curve.valid or (float(curve.x[0]), float(curve.x[-1]))
    if not max(low, float(curve.x[0])) <= x <= min(high, float(curve.x[-1])):
        return None
    if log:
        return float(np.interp(math.log(x), np.log(curve.x), curve.y))
    return float(np.interp(x, curve.x, curve.y))


def place_words(x: float, view: PlotView) -> str:
    """Put a place on the horizontal axis into words."""
    unit = view.x.unit
    if unit == "ms":
        return str(si_text(x / 1e3, "s", digits=4))
    if unit.startswith("dB"):
        return f"{fixed(x, 2)} {unit}"
    return str(si_text(x, unit, digits=4)) if unit else f"{x:g}"


def value_words(value: float, view: PlotView) -> str:
    """Put a height into words, in both units where the axis has two."""
    label = view.y.label
    if view.y.percent:
        return f"{fixed(value, 1)} dB = {100 * 10 ** (value / 20):.3g} %"
    if view.y.decades:
        return str(si_text(10.0**value, view.y.unit, digits=4))
    if "dBV" in label:
        return f"{fixed(value, 1)} dBV"
    if "dB" in label:
        return f"{fixed(value, 3)} dB"
    if "degrees" in label:
        return f"{fixed(value, 1)}°"
    return str(si_text(value, "V", digits=4))

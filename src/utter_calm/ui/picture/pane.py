"""The middle: words above, the plot, and below it what the curves say at the cursor."""

from __future__ import annotations

import math
from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from utter_calm.measure.pictures import PlotSpec
from utter_calm.present.palette import Palette
from utter_calm.present.picture.cursor import curves_csv, focus_curve, peaks_of, places_of, value_at
from utter_calm.present.picture.view import PlotView
from utter_calm.ui.look.labels import plain_label, set_tip
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.picture.sheet_table import SheetTable
from utter_calm.ui.picture.spec_row import SpecRow

_TITLE_PART = 3
"""The title has its room before the choices, up to a third of the width."""


class PlotPane(QWidget):
    """Title, choice of pictures, plot, cursor line. ``spec_chosen`` carries the key of the picture."""

    spec_chosen = Signal(str)
    over_next = Signal()

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 6, 6, 6)
        layout.setSpacing(3)
        top = QHBoxLayout()
        self.title = plain_label()
        self.title.setProperty("role", "title")
        top.addWidget(self.title, 1)
        self.choices = SpecRow()
        self.choices.chosen.connect(self.spec_chosen)
        top.addWidget(self.choices)
        layout.addLayout(top)
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.RichText)
        self.words.setWordWrap(True)
        layout.addWidget(self.words)
        self.canvas = PlotCanvas()
        layout.addWidget(self.canvas, 1)
        self.sheet = SheetTable()
        self.sheet.hide()
        layout.addWidget(self.sheet, 1)
        under = QHBoxLayout()
        self.trial = plain_label()
        self.trial.setProperty("role", "warning")
        self.trial.hide()
        under.addWidget(self.trial, 1)
        self.keep = QPushButton("Store   Ctrl+⏎")
        self.keep.setToolTip("Store what is tried as a new take; the old one stays (Ctrl+Return)")
        self.keep.hide()
        under.addWidget(self.keep)
        under.addStretch()
        self.over = QPushButton()
        self.over.setProperty("role", "flat")
        self.over.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.over.setToolTip("Draw the same curves over something else (X)")
        self.over.clicked.connect(self.over_next)
        under.addWidget(self.over)
        layout.addLayout(under)
        self.readout = QLabel()
        self.readout.setTextFormat(Qt.TextFormat.RichText)
        self.readout.setWordWrap(True)
        self.readout.setFixedHeight(38)
        self.readout.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.readout.setAccessibleName("Values at the cursor")
        layout.addWidget(self.readout)
        self.canvas.cursor_moved.connect(self._read)
        self.canvas.marked.connect(lambda: self._read(self.canvas.cursor_value()))
        self._peak = 0
        for line in (self.title, self.words, self.readout):
            # long words are cut, they never push the panels aside
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def set_specs(self, specs: tuple[PlotSpec, ...], chosen: str) -> None:
        """Offer the pictures of a kind of step."""
        self.choices.set_specs(specs, chosen)

    def show_trial(self, words: str) -> None:
        """Say that what is shown was not kept; empty where it was."""
        self.trial.setText(words)
        self.trial.setVisible(bool(words))
        self.keep.setVisible(bool(words))

    def show_over(self, label: str) -> None:
        """Offer another axis; empty where there is no choice."""
        self.over.setText(f"{label}   X")
        self.over.setVisible(bool(label))

    def show_view(self, view: PlotView, *, keep_range: bool = False) -> None:
        """Show a picture with its words."""
        self.title.setText(view.title)
        self.title.setMinimumWidth(min(self.title.sizeHint().width(), self.width() // _TITLE_PART))
        p = current_palette()
        parts = []
        if view.differs:
            parts.append(f'<span style="color:{p.text}; font-weight:600">{escape(view.differs)}</span>')
        if view.same:
            parts.append(f'<span style="color:{p.soft_text}">{escape(view.same)}</span>')
        self.words.setText("; ".join(parts))
        self.canvas.setVisible(view.sheet is None)
        self.sheet.setVisible(view.sheet is not None)
        if view.sheet is not None:
            self.sheet.show_sheet(view.sheet)
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
        if view is None or view.empty or view.sheet is not None:
            self.readout.setText("")
            return
        if not math.isfinite(x):
            hint = "D zooms · " if view.detail else ""
            if self.canvas.marks:
                self.readout.setText(self._between(view, p))
                return
            first = f'<span style="color:{p.soft_text}">{hint}move over the plot to read it, press to mark</span><br>'
            self.readout.setText(("" if view.polar else first) + "".join(escape(note) for note in view.notes[:1]))
            set_tip(self.readout, "\n".join(view.notes))
            return
        at = view.x.x_words(x)
        parts = [f"<span style='font-weight:600'>at {at}</span>"]
        for curve in view.curves[:6]:
            value = value_at(curve, x, log=view.x.log)
            if value is None:
                continue
            colour = p.hues[curve.hue % len(p.hues)]
            text = view.y.y_words(value)
            parts.append(f'<span style="color:{colour}">{escape(curve.label)} {escape(text)}</span>')
        text = "&nbsp;&nbsp;&nbsp;".join(parts)
        self.readout.setText(f"{text}<br>{self._between(view, p, x)}" if self.canvas.marks else text)

    def _between(self, view: PlotView, palette: Palette, x: float = math.nan) -> str:
        """Say how far it is from the first mark to the second one, or to the cursor."""
        marks = list(self.canvas.marks)
        if len(marks) == 1:
            if not math.isfinite(x):
                return f"mark at {view.x.x_words(marks[0])}: press again for a second one, Backspace takes it away"
            marks.append(x)
        first, second = marks
        ratio = f", factor {second / first:.4g}" if view.x.log and first > 0 else ""
        parts = [f"{view.x.x_words(first)} to {view.x.x_words(second)}{ratio}"]
        for curve in view.curves[:4]:
            a, b = (value_at(curve, at, log=view.x.log) for at in (first, second))
            if a is not None and b is not None:
                colour = palette.hues[curve.hue % len(palette.hues)]
                parts.append(f'<span style="color:{colour}">Δ {escape(view.y.apart(b, a))}</span>')
        return "&nbsp;&nbsp;&nbsp;".join(parts)

    def find_height(self, height: float) -> bool:
        """Put the cursor where the curve in focus has a height, the next such place each time; False when nowhere."""
        view = self.canvas.view
        curve = None if view is None or view.empty else focus_curve(view)
        if view is None or curve is None:
            return False
        places = places_of(curve, height, log=view.x.log)
        now = self.canvas.cursor_value()
        after = [p for p in places if not math.isfinite(now) or p > now * (1 + 1e-9)]
        if not places:
            return False
        self.canvas.set_cursor((after or places)[0])
        return True

    def find_peak(self) -> bool:
        """Put the cursor on the highest peak in view, then on the next lower one each time; False when there is none."""
        view = self.canvas.view
        curve = None if view is None or view.empty else focus_curve(view)
        peaks = [] if curve is None else peaks_of(curve, *self.canvas.visible_range())
        if not peaks:
            return False
        self._peak = self._peak + 1 if math.isfinite(self.canvas.cursor_value()) else 0
        self.canvas.set_cursor(peaks[self._peak % len(peaks)])
        return True

    def numbers(self) -> str:
        """Give what is shown as a table for the clipboard."""
        view = self.canvas.view
        if view is not None and view.sheet is not None:
            return view.sheet.as_text()
        return "" if view is None or view.empty else curves_csv(view)

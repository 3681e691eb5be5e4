"""Pictures above each other on the same x: one cursor goes through all of them, and a line says what they read there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from utter_calm.present.picture.cursor import value_at
from utter_calm.present.picture.view import PlotView
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.picture.canvas import PlotCanvas


class PictureStack(QWidget):
    """So many canvases above each other, each with a name for machines and its share of the height."""

    def __init__(self, names: Sequence[str], shares: Sequence[int]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setChildrenCollapsible(False)
        self.split.setHandleWidth(3)
        self.canvases: list[PlotCanvas] = []
        for name, share in zip(names, shares, strict=True):
            canvas = PlotCanvas()
            canvas.setAccessibleName(name)
            canvas.setMinimumHeight(60)
            canvas.cursor_moved.connect(self._follow)
            self.split.addWidget(canvas)
            self.split.setStretchFactor(self.split.count() - 1, share)
            self.canvases.append(canvas)
        self.split.setSizes([1000 * share for share in shares])
        layout.addWidget(self.split, 1)
        self.words = plain_label()
        self.words.setProperty("role", "soft")
        layout.addWidget(self.words)
        self._following = False

    def show_views(self, views: Sequence[PlotView | None], *, moving: bool = False) -> None:
        """Show a picture in each; None hides its canvas. ``moving`` while something is dragged."""
        shown = [k for k, view in enumerate(views) if view is not None]
        drawn = [v for v in views if v is not None and not v.empty]
        room = max((len(c.label) for v in drawn for c in v.curves), default=-1) + 1
        for k, (canvas, view) in enumerate(zip(self.canvases, views, strict=True)):
            canvas.setVisible(view is not None)
            if view is not None:
                above = k != shown[-1] and not view.empty
                placed = replace(view, room=room, above=above)
                if moving:
                    canvas.show_moving(placed)
                else:
                    canvas.show_view(placed)
        self.words.setText("")

    def _follow(self, x: float) -> None:
        """Bring the cursor of all to where that of one is, and say what the curves read there."""
        if self._following:
            return
        self._following = True
        parts = []
        for canvas in self.canvases:
            view = canvas.view
            if canvas.isHidden() or view is None or view.empty:
                continue
            canvas.set_cursor(x)
            for curve in view.curves if np.isfinite(x) else ():
                height = value_at(curve, x, log=view.x.log)
                if height is not None and curve.focus:
                    parts.append(f"{curve.label or view.y.title} {view.y.y_words(height)}")
        first = next((c.view for c in self.canvases if c.view is not None and not c.view.empty), None)
        at = first.x.x_words(x) if first is not None and np.isfinite(x) else ""
        self.words.setText(f"{at}:  {',  '.join(parts)}" if at and parts else "")
        self._following = False

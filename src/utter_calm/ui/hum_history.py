"""The hum over the last minutes, with the events as marks in the curve."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt

from utter_calm.measure.live_watch import HISTORY_S, HumWatch
from utter_calm.present.axis import Axis, sensible_range
from utter_calm.present.plot import CurveView, PlotView
from utter_calm.ui.plot_canvas import PlotCanvas
from utter_calm.ui.theme import current_palette, font

_LEAST_S = 30.0
_ROWS = 3


class HumHistory(PlotCanvas):
    """A :class:`HumWatch` as curves over time, one for each channel."""

    def __init__(self) -> None:
        super().__init__(interactive=False)
        self.setAccessibleName("Hum over the last minutes")
        self._events: list[pg.InfiniteLine] = []

    def show_watch(self, watch: HumWatch) -> None:
        """Draw what was heard, and what was done."""
        at, rms = watch.history()
        if len(at) < 2:
            return
        heights = 20 * np.log10(np.maximum(rms, 1e-9))
        curves = tuple(CurveView(at, heights[:, c], f"ch {c + 1}", 0, c + 1) for c in range(heights.shape[1]))
        # steps of the span, so that the curve does not creep at every reading
        first = max(_LEAST_S, 30.0 * np.ceil(-at[0] / 30.0))
        low, high = sensible_range(heights, least_span=20, step=5)
        x = Axis("seconds before now", -min(first, HISTORY_S), 0.0)
        self.show_view(PlotView("Hum", "", "", x, Axis("hum in dBV", low, high + 0.4 * (high - low)), curves))
        self._show_events(watch, x.low)

    def _show_events(self, watch: HumWatch, first: float) -> None:
        for line in self._events:
            self.getPlotItem().removeItem(line)
        self._events = []
        newest = watch.latest
        if newest is None:
            return
        palette = current_palette()
        for number, event in enumerate(watch.events):
            at = event.at_s - newest.at_s
            if at < first:
                continue
            pen = pg.mkPen(palette.text, width=1.2, style=Qt.PenStyle.DotLine)
            # neighbours write at different heights, and towards the middle, so that none is cut off
            place = {
                "position": 0.93 - 0.15 * (number % _ROWS),
                "color": palette.text,
                "fill": palette.ground,
                "movable": False,
            }
            place["anchors"] = [(1, 0.5), (1, 0.5)] if at > 0.25 * first else [(0, 0.5), (0, 0.5)]
            line = pg.InfiniteLine(at, angle=90, movable=False, pen=pen, label=event.text, labelOpts=place)
            line.label.setFont(font(12))
            self.getPlotItem().addItem(line, ignoreBounds=True)
            self._events.append(line)

    def event_texts(self) -> list[str]:
        """Give the words at the marks that are in view."""
        return [line.label.toPlainText() for line in self._events]

"""The hum over the last minutes, with the events as marks in the curve."""

from __future__ import annotations

import numpy as np

from utter_calm.measure.live_watch import HISTORY_S, HumWatch
from utter_calm.present.picture.axis import Axis, sensible_range
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.quantities import quantity
from utter_calm.ui.picture.canvas import PlotCanvas

_LEAST_S = 30.0


class HumHistory(PlotCanvas):
    """A :class:`HumWatch` as curves over time, one for each channel."""

    def __init__(self) -> None:
        super().__init__(interactive=False)
        self.setAccessibleName("Hum over the last minutes")

    def show_watch(self, watch: HumWatch) -> None:
        """Draw what was heard, and what was done."""
        at, rms = watch.history()
        newest = watch.latest
        if len(at) < 2 or newest is None:
            return
        heights = 20 * np.log10(np.maximum(rms, 1e-9))
        curves = tuple(CurveView(at, heights[:, c], f"ch {c + 1}", 0, c + 1) for c in range(heights.shape[1]))
        # steps of the span, so that the curve does not creep at every reading
        first = max(_LEAST_S, 30.0 * np.ceil(-at[0] / 30.0))
        low, high = sensible_range(heights, least_span=20, step=5)
        x = Axis("before now", quantity("time").first, -min(first, HISTORY_S), 0.0)
        y = Axis("hum", quantity("level").view("dbv"), low, high + 0.4 * (high - low))
        flags = tuple((event.at_s - newest.at_s, event.text) for event in watch.events)
        self.show_view(PlotView("Hum", "", "", x, y, curves, flags=tuple(f for f in flags if f[0] >= x.low)))

    def event_texts(self) -> list[str]:
        """Give the words at the marks that are in view."""
        return [text for _, text in self.view.flags] if self.view is not None else []

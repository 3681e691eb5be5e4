"""How a search for a level goes, as a picture."""

from __future__ import annotations

import numpy as np

from utter_calm.present.picture.axis import Axis, sensible_range
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.quantities import quantity


def search_view(tries: list[tuple[float, float]]) -> PlotView:
    """Draw what every tried level gave, by rising level; the last try stands in the words."""
    table = np.array(sorted(set(tries)))
    x, y = table[:, 0], np.log10(np.maximum(table[:, 1], 1e-12))
    low, high = sensible_range(y, least_span=0.8, step=0.1)
    axis = Axis("level at the output", quantity("voltage").view("log"), float(x[0]) / 1.2, float(x[-1]) * 1.2, log=True)
    words = f"{len(tries)} tries, the last at {tries[-1][0]:.4g} V gave {tries[-1][1]:.4g}"
    return PlotView(
        "Level by its effect",
        words,
        "",
        axis,
        Axis("what it gives", quantity("ratio").view("log"), low, high),
        (CurveView(x, y),),
    )

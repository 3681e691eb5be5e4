"""How a search for a level goes, as a picture."""

from __future__ import annotations

import numpy as np

from utter_calm.measure.level_effect import DBFS, NOISE, PASCAL, THD, VOLTS, WATTS, Effect
from utter_calm.present.picture.axis import Axis, sensible_range
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.quantities import Scale, quantity

_SEEN = {
    VOLTS: ("voltage", "log"), WATTS: ("power", "log"), THD: ("ratio", "log"), DBFS: ("level_fs", "dbfs"),
    PASCAL: ("sound_pressure", "spl"), NOISE: ("sound_pressure", "spl"),
}  # fmt: skip
_TITLES = {THD: "THD+N, part of the whole", WATTS: "power", VOLTS: "level", DBFS: "level at the input"}


def search_view(effect: Effect, tries: list[tuple[float, float]]) -> PlotView:
    """Draw what every tried level gave, by rising level, and what is wanted; the last try stands in the words."""
    table = np.array(sorted(set(tries)))
    key, way = _SEEN[effect.what]
    view = quantity(key).view(way)
    x, y, wanted = table[:, 0], view.place(np.maximum(table[:, 1], 1e-12)), float(view.place(effect.target))
    least, step = (10.0, 5.0) if view.scale is Scale.DECIBELS else (0.8, 0.1)
    low, high = sensible_range(np.append(y, wanted), least_span=least, step=step)
    ends = float(x[0]) / 1.2, float(x[-1]) * 1.2
    return PlotView(
        "Level by its effect",
        f"{len(tries)} tries, the last at {tries[-1][0]:.4g} V gave {effect.amount(tries[-1][1])}",
        f"wanted: {effect.amount(effect.target)}",
        Axis("level at the output", quantity("voltage").view("log"), *ends, log=True),
        Axis(_TITLES.get(effect.what, "sound level"), view, low, high),
        (CurveView(x, y), CurveView(np.array(ends), np.full(2, wanted), "wanted", hue=1, channel=2, focus=False)),
    )

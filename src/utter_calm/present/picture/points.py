"""Where the main readings of a take stand on its curves: a −3 dB point, a resonance."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from utter_calm.job.facts import Shown
from utter_calm.measure.kind import Kind
from utter_calm.measure.pictures import PlotSpec
from utter_calm.present.picture.cursor import value_at
from utter_calm.present.picture.view import CurveView, PointView
from utter_calm.present.values import reading_text
from utter_calm.quantities import quantity

_MOST = 12


def points_read(spec: PlotSpec, kind: Kind[Any], shown: Sequence[Shown], curves: Sequence[CurveView]) -> tuple[PointView, ...]:
    """Give the points that main readings tell along x, each on the curve of its channel.

    None for what is unwanted, dense or drawn over something else (the frequency of the fundamental, say): there such a reading says
    nothing about the curve.
    """
    if spec.unwanted or spec.dense or spec.sheet or spec.x_title or quantity(spec.x).unit != "Hz":
        return ()
    unit = quantity(spec.x).unit
    out: list[PointView] = []
    for number, one in enumerate(shown):
        own = [c for c in curves if c.hue == number] if len(shown) > 1 else list(curves)
        for reading in one.result.readings:
            curve = next((c for c in own if c.channel == max(reading.channel, 1)), None)
            if reading.name not in kind.main_readings or reading.unit != unit or reading.at or curve is None:
                continue
            height = value_at(curve, reading.value, log=True)
            if height is not None:
                label = str(reading_text(reading, kind.key)) if len(shown) == 1 and reading.channel <= 1 else ""
                out.append(PointView(reading.value, height, curve.hue, label))
    return tuple(out[:_MOST])

"""A picture as values: axes, curves, floor, bounds, a surface, and the words above it. Drawn by the window and by the report."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.present.palette import DASHES
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.sheet import SheetView
from utter_calm.quantities import View, quantity

FloatArray = npt.NDArray[np.float64]
FREQUENCY_VIEW = quantity("frequency").view("log")
DECIBEL_VIEW = quantity("gain").view("db")


@dataclass(frozen=True, slots=True, eq=False)
class CurveView:
    """One curve.

    Parameters
    ----------
    x, y
        (n,) in the units of the axes.
    label
        Written at its end; empty for none.
    hue
        Index of the condition's colour.
    channel
        From 1; sets the dashes.
    focus
        Whether it is drawn with weight.
    valid
        Range of x in which it is data; outside it fades.
    dense
        Whether it is noisy and long: drawn thin.
    doubtful
        (n,) where it is no more than noise, or None: drawn faint.
    loop
        Whether its x turns back: nothing can be read off at one x.
    band
        (n,) heights of what it may be at least and at most (k = 2), or None.
    """

    x: FloatArray
    y: FloatArray
    label: str = ""
    hue: int = 0
    channel: int = 1
    focus: bool = True
    valid: tuple[float, float] | None = None
    invalid_reason: str = ""
    dense: bool = False
    doubtful: npt.NDArray[np.bool_] | None = None
    loop: bool = False
    band: tuple[FloatArray, FloatArray] | None = None

    @property
    def dash(self) -> tuple[float, ...]:
        """Dash pattern of its channel, in pen widths; dashes would be lost in a dense curve, which is told by its opacity."""
        return () if self.dense else DASHES[(self.channel - 1) % len(DASHES)]

    @property
    def opacity(self) -> float:
        """How strongly it is drawn, from 0 to 1."""
        return 0.5 if self.dense and not self.focus else 1.0


@dataclass(frozen=True, slots=True, eq=False)
class BoundView:
    """A bound of a claim: a line that the curve stays above (``side`` 1) or below (-1)."""

    x: FloatArray
    y: FloatArray
    side: int
    label: str


@dataclass(frozen=True, slots=True)
class PointView:
    """A place on a curve that a reading tells, along the axes as they are; ``label`` is empty where it would crowd."""

    x: float
    y: float
    hue: int
    label: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceView:
    """A surface as an image.

    Parameters
    ----------
    x, y
        (n,) and (m,) places along the axes' own scales.
    levels
        (m, n) heights in the unit of ``scale``; NaN where nothing is known.
    low, high
        Range of the colour scale: printed beside it.
    scale
        How the heights are looked at.
    title
        What they are.
    contours
        Heights at which lines are drawn.
    """

    x: FloatArray
    y: FloatArray
    levels: FloatArray
    low: float
    high: float
    scale: View
    title: str
    contours: tuple[float, ...] = ()

    @property
    def label(self) -> str:
        """What the colours are, with their unit."""
        return f"{self.title} in {self.scale.on_axis}"


@dataclass(frozen=True, slots=True)
class PolarView:
    """The grid of a polar picture: rings by radius, 1 at the rim, each with its level in words."""

    rings: tuple[tuple[float, str], ...]


@dataclass(frozen=True, slots=True, eq=False)
class PlotView:
    """A whole picture.

    Parameters
    ----------
    limit
        Above it nothing may go: what lies there is shaded, with the curve's own words on it.
    points
        What the main readings tell, on their curves.
    room
        Letters to leave room for at the right, whatever its own labels need: pictures above each other line up by it.
    above
        Whether it stands above another one with the same x, which then carries the labels of both.
    flags
        Places along x with a word on each, as the events of a hum hunt.
    edges
        Places along x of two settings that may be dragged, with their names; empty where there are none.
    polar
        Rings of a polar picture, whose x and y go from -1 to 1 within its rim; it is drawn as wide as it is high.
    """

    title: str
    differs: str
    same: str
    x: Axis
    y: Axis
    curves: tuple[CurveView, ...] = ()
    floor: CurveView | None = None
    floor_label: str = "what the rig alone gives"
    limit: CurveView | None = None
    bounds: tuple[BoundView, ...] = ()
    detail: tuple[float, float] | None = None
    notes: tuple[str, ...] = ()
    empty: str = ""
    sheet: SheetView | None = None
    surface: SurfaceView | None = None
    edges: tuple[tuple[str, float], ...] = ()
    flags: tuple[tuple[float, str], ...] = ()
    points: tuple[PointView, ...] = ()
    room: int = 0
    above: bool = False
    polar: PolarView | None = None


def empty_plot(title: str, text: str) -> PlotView:
    """Give a picture that says what to do first."""
    x = Axis("frequency", FREQUENCY_VIEW, 20, 20e3, log=True)
    return PlotView(title, "", "", x, Axis("", DECIBEL_VIEW, -1, 1), empty=text)

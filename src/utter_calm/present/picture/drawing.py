"""A drawing: paths, fills, texts and images in points, without any idea of who paints them."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Path:
    """A polyline, open or closed.

    Parameters
    ----------
    points
        (n, 2) x and y from the upper left corner.
    stroke, width
        Colour (empty for none) and width.
    dash
        Pattern in widths; empty for a full line.
    opacity
        Of stroke and fill.
    fill
        Colour; empty for none.
    noisy
        Whether it goes to and fro in every column: painted segment by segment.
    clipped
        Whether it ends at the frame.
    """

    points: FloatArray
    stroke: str = ""
    width: float = 1.0
    dash: tuple[float, ...] = ()
    opacity: float = 1.0
    fill: str = ""
    noisy: bool = False
    clipped: bool = True


@dataclass(frozen=True, slots=True)
class Text:
    """A line of text; ``anchor`` is ``start``, ``middle`` or ``end``; ``turned`` reads upwards."""

    x: float
    y: float
    text: str
    colour: str
    size: float
    anchor: str = "start"
    turned: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Dots:
    """Discs at (n, 2) points."""

    points: FloatArray
    radius: float
    fill: str


@dataclass(frozen=True, slots=True, eq=False)
class Image:
    """(m, n, 4) red, green, blue and opacity as bytes, the first row on top, stretched to a rectangle."""

    x: float
    y: float
    width: float
    height: float
    pixels: npt.NDArray[np.uint8]


Item = Path | Text | Dots | Image


@dataclass(frozen=True, slots=True)
class Frame:
    """Where the curves stand: the left, top, right and bottom of the plot's own area."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        """From left to right."""
        return self.right - self.left

    @property
    def height(self) -> float:
        """From top to bottom."""
        return self.bottom - self.top


@dataclass(slots=True)
class Drawing:
    """All that is drawn, in its order: ``axes``, what is ``under`` the curves, the curves ``over`` that, the ``words`` about them.

    In a live picture the curves alone move.
    """

    width: float
    height: float
    frame: Frame
    axes: list[Item] = field(default_factory=list)
    under: list[Item] = field(default_factory=list)
    over: list[Item] = field(default_factory=list)
    words: list[Item] = field(default_factory=list)

    @property
    def items(self) -> list[Item]:
        """Everything, lowest first."""
        return [*self.axes, *self.under, *self.over, *self.words]

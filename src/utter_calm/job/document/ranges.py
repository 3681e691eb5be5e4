"""Ranges of a picture's axes that somebody typed: they are kept with the step."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class AxisRange:
    """What is seen of a picture; whatever is None is found by the program.

    Parameters
    ----------
    picture, over
        Keys of the picture, and of what it is drawn over; empty for the curves' own x.
    x_low, x_high
        Along x: SI values, or decibels where that axis has them.
    y_low, y_high
        Places of the heights: decibels, decimal logarithms or SI values, as the axis has them.
    y_step
        Between two lines of the grid.
    """

    picture: str
    over: str = ""
    x_low: float | None = None
    x_high: float | None = None
    y_low: float | None = None
    y_high: float | None = None
    y_step: float | None = None

    @property
    def typed(self) -> bool:
        """Whether it says anything."""
        return any(v is not None for v in (self.x_low, self.x_high, self.y_low, self.y_high, self.y_step))

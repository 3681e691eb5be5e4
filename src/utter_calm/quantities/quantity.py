"""What a value is: its SI unit, and the ways in which it is looked at. Axes, readings, claims and editors follow from it."""

from __future__ import annotations

import enum
import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.quantities.levels import amplitude_to_db, db_to_amplitude
from utter_calm.quantities.text import Shown, fixed, si_text, with_uncertainty

FloatArray = npt.NDArray[np.float64]
_DB_PER_RELATIVE = 20 / math.log(10)
_LEAST = 1e-300
_DB_DECIMALS = 4
_TINY_PART = 1e-6


class Scale(enum.Enum):
    """How a view maps values to places."""

    LINEAR = "linear"
    LOG = "log"
    DECIBELS = "dB"
    PERCENT = "per cent"
    DEGREES = "degrees"


@dataclass(frozen=True, slots=True)
class View:
    """One way to look at a quantity.

    Parameters
    ----------
    key
        For machines, unique within the quantity.
    scale
        How values map to places on an axis.
    label
        The unit as it is written behind a number: ``dBV``, ``%``, ``V``.
    reference
        Value that reads 0 dB; for a linear view, of what is one on the axis: 1e-3 for millimetres.
    axis
        As it is written on an axis, where that is more than the label: ``dB re fundamental``.
    """

    key: str
    scale: Scale
    label: str
    reference: float = 1.0
    axis: str = ""

    @property
    def on_axis(self) -> str:
        """Unit as it stands on an axis."""
        return self.axis or self.label

    def place(self, values: npt.ArrayLike) -> FloatArray:
        """Where values stand on an axis in this view; what is not above zero has no place on a logarithmic one."""
        array = np.asarray(values, dtype=np.float64)
        if self.scale is Scale.DECIBELS:
            return np.asarray(20 * np.log10(np.maximum(array / self.reference, _LEAST)))
        if self.scale is Scale.LOG:
            return np.asarray(np.log10(np.maximum(array, _LEAST)))
        if self.scale is Scale.PERCENT:
            return np.asarray(100 * array)
        if self.scale is Scale.DEGREES:
            return np.asarray(np.degrees(array))
        return array if self.reference == 1 else array / self.reference

    def value(self, place: float) -> float:
        """The value at a place; inverse of :meth:`place`."""
        if self.scale is Scale.DECIBELS:
            return self.reference * db_to_amplitude(place)
        if self.scale is Scale.LOG:
            return float(10.0**place)
        if self.scale is Scale.PERCENT:
            return place / 100
        return math.radians(place) if self.scale is Scale.DEGREES else place * self.reference

    def shown(self, value: float, uncertainty: float | None = None, *, digits: int = 5) -> Shown:
        """Write a value in this view, with as many digits as its uncertainty allows."""
        if self.scale is Scale.DECIBELS and value > 0:
            spread = None if uncertainty is None else _DB_PER_RELATIVE * uncertainty / value
            decibels = amplitude_to_db(value / self.reference)
            return with_uncertainty(decibels, spread, self.label, digits=6 if spread else _digits_of_db(decibels),
                                    most=_DB_DECIMALS)  # fmt: skip
        if self.scale is Scale.PERCENT:
            return with_uncertainty(100 * value, None if uncertainty is None else 100 * uncertainty, "%", digits=min(digits, 4))
        return with_uncertainty(value, uncertainty, self.label, digits=digits)

    def glance(self, value: float) -> str:
        """Write a value in few digits, for a cell: three digits, or a tenth of a decibel."""
        if self.scale is Scale.DECIBELS and value > 0:
            return f"{fixed(amplitude_to_db(value / self.reference), 1)} {self.label}"
        if self.scale is Scale.PERCENT:
            return f"{fixed_digits(100 * value, 2)} %"
        shown = si_text(value, self.label, digits=3)
        return f"{_bare(shown.number)} {shown.unit}".strip()

    def at_place(self, place: float, *, decimals: int = 3) -> str:
        """Put a place on an axis into words, for a cursor."""
        if self.scale in (Scale.DECIBELS, Scale.PERCENT):
            return f"{fixed(place, decimals)} {self.label}"
        if self.scale is Scale.DEGREES:
            return f"{fixed(place, 1)}°"
        return str(si_text(self.value(place), self.label, digits=4))

    def apart(self, place: float, before: float) -> str:
        """Put the way from one place to another into words: dB, a factor, or a difference."""
        if self.scale is Scale.LOG:
            return f"factor {10.0 ** (place - before):.4g}"
        if self.scale is Scale.DECIBELS:
            return f"{fixed(place - before, 3)} dB"
        if self.scale is Scale.DEGREES:
            return f"{fixed(place - before, 2)}°"
        return str(si_text(self.value(place) - self.value(before), self.label, digits=4))


@dataclass(frozen=True, slots=True)
class Quantity:
    """What a value is.

    Parameters
    ----------
    key, title
        For machines and for an axis.
    unit
        SI unit in which values are kept: ``V``, ``Hz``, ``1`` for a ratio.
    views
        Ways to look at it; the first is that of a reading, the others stand beside it.
    axis
        Key of the view in which curves are drawn; empty takes the first.
    in_other
        (unit, key) of the quantity that it is in another unit, as a level without known volts is one re full scale.
    """

    key: str
    title: str
    unit: str
    views: tuple[View, ...]
    axis: str = ""
    in_other: tuple[tuple[str, str], ...] = ()

    @property
    def first(self) -> View:
        """The view of a reading."""
        return self.views[0]

    def view(self, key: str = "") -> View:
        """Find a view; the one for curves when none is named."""
        wanted = key or self.axis
        return next((v for v in self.views if v.key == wanted), self.views[0])

    @property
    def percent_beside(self) -> bool:
        """Whether the same values are read in dB and in per cent."""
        return {Scale.DECIBELS, Scale.PERCENT} <= {v.scale for v in self.views}

    def shown(self, value: float, uncertainty: float | None = None, *, digits: int = 5) -> Shown:
        """Write a value in the first view; parts per million and less are thought of in dB, noise makes their spread lopsided."""
        if self.first.scale is Scale.PERCENT and 0 < value < _TINY_PART and self.percent_beside:
            return si_text(amplitude_to_db(value), "dB", digits=4)
        if self.key == "sign":
            return Shown(_sign(value), "")
        if self.key == "count" and uncertainty is None and float(value).is_integer():
            return Shown(fixed(value, 0), "")
        return self.first.shown(value, uncertainty, digits=digits)

    def beside(self, value: float) -> str:
        """The same value in the other views; empty where there is none."""
        if not value > 0:
            return ""
        if self.first.scale is Scale.PERCENT:
            if not self.percent_beside:
                return ""
            if value < _TINY_PART:
                return part_text(value)
            return str(si_text(amplitude_to_db(value), "dB", digits=4))
        others = [v for v in self.views[1:] if v.scale is Scale.DECIBELS]
        return ", ".join(f"{fixed(amplitude_to_db(value / v.reference), 2)} {v.label}" for v in others)

    def glance(self, value: float) -> str:
        """Write a value in few digits, for a cell."""
        if self.key == "sign":
            return _sign(value)
        if self.first.scale is Scale.PERCENT and 0 < value < _TINY_PART and self.percent_beside:
            return f"{fixed(amplitude_to_db(value), 1)} dB"
        return self.first.glance(value)


def _sign(value: float) -> str:
    return "positive" if value > 0 else "negative" if value < 0 else "none"


def _digits_of_db(decibels: float) -> int:
    """Significant digits of decibels whose uncertainty nobody stated: two decimals, and of small ones two digits."""
    return max(2, min(5, 3 + math.floor(math.log10(abs(decibels))))) if decibels else 2


def fixed_digits(value: float, digits: int) -> str:
    """Write a number with so many significant digits and no exponent."""
    if not value or not math.isfinite(value):
        return fixed(value, 0)
    return _bare(fixed(value, max(0, digits - 1 - math.floor(math.log10(abs(value))))))


def part_text(part: float) -> str:
    """Write a part of a whole in two digits: per cent, and what is tiny in millionths (ppm) or thousand-millionths (ppb)."""
    if part >= _TINY_PART:
        return f"{fixed_digits(100 * part, 2)} %"
    return f"{fixed_digits(1e6 * part, 2)} ppm" if part > _TINY_PART / 10 else f"{fixed_digits(1e9 * part, 2)} ppb"


def _bare(number: str) -> str:
    return number.rstrip("0").rstrip(".") if "." in number else number

"""Axes: ranges, ticks at 1-2-5 and their labels. Shared by the screen and the report."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.quantities import Scale, View
from utter_calm.quantities.text import fixed, si_text

_LOG_STEPS = (1, 2, 5)


_PREFIXES = ((1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"), (1e-12, "p"))
_SMALL = 1e-3 * (1 - 1e-9)


@dataclass(frozen=True, slots=True)
class Axis:
    """An axis of a picture.

    Parameters
    ----------
    title
        What it shows, without its unit.
    view
        How the quantity is looked at: its scale, its unit in words and in figures.
    low, high
        Range: places of the view for heights; along x values of a logarithmic axis, or places divided by ``factor``.
    log
        Whether positions go by the logarithm of what stands here.
    factor, prefix
        What a linear axis is divided by, and the prefix that this gives its unit: 1e-3 and ``m`` for milliseconds.
    percent
        Whether the same axis is labelled in per cent as well (its own unit being dB).
    step
        Between two lines of the grid, where somebody chose it; 0 for what suits.
    note
        A word behind the unit, as in ``re 1 kHz``.
    """

    title: str
    view: View
    low: float
    high: float
    log: bool = False
    factor: float = 1.0
    prefix: str = ""
    percent: bool = False
    note: str = ""
    step: float = 0.0

    @property
    def unit(self) -> str:
        """Unit as it stands on the axis; empty where it has none."""
        unit = self.view.on_axis
        shown = {"ohm": "Ω", "1": "", "rad": "degrees"}.get(unit, unit)
        return f"{self.prefix}{shown}"

    @property
    def label(self) -> str:
        """Title with its unit."""
        text = f"{self.title} in {self.unit}" if self.unit and self.title else self.title or self.unit
        return f"{text} {self.note}".strip()

    @property
    def decades(self) -> bool:
        """For heights: whether they are powers of ten, that is the decimal logarithm of what the labels say."""
        return self.view.scale is Scale.LOG

    def position(self, value: float) -> float:
        """Place of a value along the axis, 0 at the low end and 1 at the high one."""
        if self.log:
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def x_words(self, x: float) -> str:
        """Put a value along a horizontal axis into words."""
        if self.view.scale is Scale.DECIBELS:
            return f"{fixed(x, 2)} {self.view.label}"
        if self.view.label == "1":
            return f"{x:g}"
        return str(si_text(x * self.factor, self.view.label, digits=4))

    def x_value(self, value: float) -> float:
        """Where a value in the SI unit stands along a horizontal axis."""
        if self.view.scale is Scale.DECIBELS:
            return float(self.view.place(value))
        return value / self.factor

    def y_words(self, place: float) -> str:
        """Put a height into words, in both units where the axis has two."""
        if self.percent:
            return f"{fixed(place, 1)} dB = {100 * 10 ** (place / 20):.3g} %"
        decimals = 1 if self.view.label in ("dBV", "dBu", "dBFS", "dB SPL") else 3
        return self.view.at_place(place, decimals=decimals)

    def apart(self, place: float, before: float) -> str:
        """Put the way from one height to another into words."""
        return f"{fixed(place - before, 3)} dB" if self.percent else self.view.apart(place, before)


def prefix_for(highest: float, unit: str) -> tuple[float, str]:
    """Factor and prefix that make the numbers along an axis readable; only seconds take one."""
    if unit != "s" or not highest > 0:
        return 1.0, ""
    return next((pair for pair in _PREFIXES[:-1] if highest >= 0.5 * pair[0]), _PREFIXES[-2])


def log_ticks(low: float, high: float) -> tuple[list[float], list[float]]:
    """Major ticks at 1, 2 and 5 (decades only, when there are many) and minor ones between."""
    first, last = math.floor(math.log10(low)), math.ceil(math.log10(high))
    steps = _LOG_STEPS if last - first <= 6 else (1,)
    eps = 1e-9
    inside = [m * 10.0**e for e in range(first, last + 1) for m in range(1, 10)]
    inside = [v for v in inside if low * (1 - eps) <= v <= high * (1 + eps)]
    major = [v for v in inside if round(v / 10 ** math.floor(math.log10(v) + eps)) in steps]
    if len(major) < 2:
        return linear_ticks(low, high)[0], []
    return major, [v for v in inside if v not in major]


def linear_ticks(low: float, high: float, most: int = 8) -> tuple[list[float], list[float]]:
    """Ticks at round steps of 1, 2 or 5; the list of minor ones is empty."""
    span = high - low
    if not span > 0 or not math.isfinite(span):
        return [low], []
    raw = span / most
    decade = 10.0 ** math.floor(math.log10(raw))
    step = next(decade * m for m in (1, 2, 5, 10) if decade * m >= raw * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    return [k * step for k in range(first, math.floor(high / step + 1e-9) + 1)], []


def tick_text(value: float, step: float | None = None) -> str:
    """Short label: ``20``, ``1k``, ``20k``, ``0.5``, ``10µ``; with a step, as many decimals as the step needs."""
    if step is not None:
        decimals = max(0, -math.floor(math.log10(step) + 1e-9)) if step > 0 else 0
        return fixed(value, min(decimals, 9))
    for factor, suffix in ((1e6, "M"), (1e3, "k")):
        if abs(value) >= factor * (1 - 1e-9):
            return f"{value / factor:.6g}{suffix}"
    if 0 < abs(value) < _SMALL:
        factor, suffix = next((pair for pair in _PREFIXES if abs(value) >= pair[0] * (1 - 1e-9)), _PREFIXES[-1])
        return f"{value / factor:.6g}{suffix}".replace("-", "−")
    return f"{value:.6g}".replace("-", "−")


def height_ticks(low: float, high: float, *, percent: bool, decades: bool, step: float = 0.0) -> list[tuple[float, str]]:
    """Ticks of a vertical axis between two places, with their labels; ``step`` is the way between two, 0 for what suits."""
    if percent:
        return percent_ticks(low, high, step)
    if decades:
        return [(math.log10(v), tick_text(v)) for v in log_ticks(10.0**low, 10.0**high)[0]]
    ticks, _ = linear_ticks(low, high)
    if step:
        ticks = _stepped(low, high, step) or ticks
    apart = ticks[1] - ticks[0] if len(ticks) > 1 else None
    return [(v, tick_text(v, apart)) for v in ticks]


def _stepped(low: float, high: float, step: float) -> list[float]:
    return [k * step for k in range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)]


def percent_ticks(low_db: float, high_db: float, step_db: float = 0.0) -> list[tuple[float, str]]:
    """Give places in dB, every 20 dB, with their label in per cent: both scales are one quantity and cannot disagree."""
    if step_db and step_db % 20:
        return [(v, f"{100 * 10 ** (v / 20):.2g} %") for v in _stepped(low_db, high_db, step_db)]
    far = round(step_db / 20) or 1
    first, last = math.ceil(low_db / 20 - 1e-9), math.floor(high_db / 20 + 1e-9)
    return [(20.0 * k, _percent_text(k + 2)) for k in range(first, last + 1) if k % far == 0]


def _percent_text(power: int) -> str:
    """Ten to a power, in per cent."""
    if power >= -4:
        return f"{10.0**power:g} %" if power > -4 else "0.0001 %"
    return "10" + str(power).translate(str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")) + " %"


def sensible_range(values: np.ndarray, *, least_span: float, step: float, headroom: float = 0.08) -> tuple[float, float]:
    """Range that holds all finite values with some air, at least so wide, with ends on whole steps."""
    finite = values[np.isfinite(values)]
    if not len(finite):
        return 0.0, least_span
    low, high = float(finite.min()), float(finite.max())
    air = max((high - low) * headroom, 1e-12)
    low, high = low - air, high + air
    if high - low < least_span:
        middle = (low + high) / 2
        low, high = middle - least_span / 2, middle + least_span / 2
    return math.floor(low / step) * step, math.ceil(high / step) * step

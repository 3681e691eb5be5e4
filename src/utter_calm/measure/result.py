"""What a step gives: readings, traces, and how far they can be trusted. Linear SI; dB comes at the edges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Reading:
    """One value.

    Parameters
    ----------
    name
        lower_snake_case of the standard term, listed in docs/readings.md.
    channel
        From 1; 0 for a value that belongs to all of them.
    value
        In ``unit``.
    unit
        SI unit, ``"1"`` for a ratio, ``"bit"``, or ``"FS"`` where a full-scale sine is 1.
    uncertainty
        Expanded (k = 2), in ``unit``; None when unknown.
    floor
        What the rig alone gives for the same reading; None when unknown.
    phase_rad
        For harmonics.
    variant
        What sets it apart from other readings of this name in the same take, as in ``"8 Ω, 24 V"``; or a word on it, as the
        kinship of an idle tone. Empty when there is nothing to say.
    """

    name: str
    channel: int
    value: float
    unit: str
    uncertainty: float | None = None
    floor: float | None = None
    phase_rad: float | None = None
    variant: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Trace:
    """One curve.

    Parameters
    ----------
    name
        As in docs/readings.md.
    channel
        From 1.
    x, x_unit
        (n,) rising, and its unit.
    magnitude, y_unit
        (n,) real values (magnitudes where there is a phase), and their unit.
    phase_rad
        (n,) or None.
    uncertainty
        (n,) expanded (k = 2) of the magnitude, or None.
    valid
        Range of x in which the curve holds; outside it is drawn faded.
    invalid_reason
        Why not beyond.
    variant
        What sets it apart from other traces of this name in the same take, as in ``"1.00 V"``; empty when it is the only one.
    """

    name: str
    channel: int
    x: FloatArray
    x_unit: str
    magnitude: FloatArray
    y_unit: str
    phase_rad: FloatArray | None = None
    uncertainty: FloatArray | None = None
    valid: tuple[float, float] | None = None
    invalid_reason: str = ""
    variant: str = ""

    def __post_init__(self) -> None:
        for name in ("x", "magnitude", "phase_rad", "uncertainty"):
            value = getattr(self, name)
            if value is None:
                continue
            own = np.array(value, dtype=np.float64)
            if own.ndim != 1 or len(own) != len(self.x):
                raise ValueError(f"trace {self.name}: {name} has shape {own.shape}, x has {len(self.x)} values")
            own.setflags(write=False)
            object.__setattr__(self, name, own)


@dataclass(frozen=True, slots=True)
class Trust:
    """A word on how far a result can be believed.

    Parameters
    ----------
    code
        For machines, as in docs/readings.md.
    text
        For people.
    grave
        True when numbers may be wrong, False when it is good to know.
    """

    code: str
    text: str
    grave: bool = True


@dataclass(frozen=True, slots=True)
class Result:
    """All that a step gives."""

    readings: tuple[Reading, ...] = ()
    traces: tuple[Trace, ...] = ()
    trust: tuple[Trust, ...] = ()

    def reading(self, name: str, channel: int = 1) -> Reading | None:
        """Find a reading by name; one that belongs to all channels fits every channel."""
        for reading in self.readings:
            if reading.name == name and reading.channel in (channel, 0):
                return reading
        return None

    def trace(self, name: str, channel: int = 1, variant: str | None = None) -> Trace | None:
        """Find a trace by name; without a variant the first."""
        for trace in self.traces:
            if trace.name == name and trace.channel == channel and variant in (None, trace.variant):
                return trace
        return None

    def with_floor(self, floor: Result, floored: Callable[[str], bool]) -> Result:
        """Give the same result with the floor of each reading that has one taken from the rig's own take.

        ``floored`` tells for the name of a reading whether the rig alone sets a floor to it.
        """
        known = {(r.name, r.channel, r.variant): r.value for r in floor.readings if floored(r.name)}
        readings = tuple(replace(r, floor=known.get((r.name, r.channel, r.variant))) for r in self.readings)
        return replace(self, readings=readings)


@dataclass(slots=True)
class ResultBuilder:
    """Collects a result while a step's analysis runs."""

    readings: list[Reading] = field(default_factory=list)
    traces: list[Trace] = field(default_factory=list)
    trust: list[Trust] = field(default_factory=list)

    def add(self, name: str, channel: int, value: float, unit: str, u: float | None = None, variant: str = "") -> None:
        """Add a reading; ``u`` is its standard uncertainty. A value that is not finite is left out."""
        if np.isfinite(value):
            self.readings.append(
                Reading(name, channel, float(value), unit, None if u is None else 2 * float(u), variant=variant)
            )

    def build(self) -> Result:
        """Give the result."""
        return Result(tuple(self.readings), tuple(self.traces), tuple(dict.fromkeys(self.trust)))

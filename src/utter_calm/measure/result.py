"""What a step gives: readings, traces, and how far they can be trusted. Linear SI; dB comes at the edges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from utter_calm.quantities import Conditions, values_text

FloatArray = npt.NDArray[np.float64]


_DOUBT = "in doubt: "


Identity = tuple[str, int, Conditions]
"""What a reading is found by in another take: its name, channel and coordinates."""


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
    at
        Coordinates: what sets it apart from other readings of this name in the same take, as (factor, value) pairs such as
        ``("load", Measured(8.0, "ohm"))``; empty when it is the only one.
    note
        A word on it, as the kinship of an idle tone.
    """

    name: str
    channel: int
    value: float
    unit: str
    uncertainty: float | None = None
    floor: float | None = None
    phase_rad: float | None = None
    at: Conditions = ()
    note: str = ""

    @property
    def label(self) -> str:
        """Coordinates and note in words, without a doubt; empty where there are none."""
        note, _, _ = self.note.partition(_DOUBT)
        return ", ".join(t for t in (values_text(self.at), note.rstrip(", ")) if t)

    @property
    def identity(self) -> Identity:
        """What it is found by in another take."""
        return self.name, self.channel, self.at

    @property
    def doubt(self) -> str:
        """Why it says less than it seems to; empty where it does not."""
        _, mark, why = self.note.partition(_DOUBT)
        return why if mark else ""

    def doubted(self, why: str) -> Reading:
        """Give it marked as one that says less than it seems to."""
        return replace(self, note=f"{self.note}, {_DOUBT}{why}" if self.note else f"{_DOUBT}{why}")


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
        (n,) rising (equal neighbours are let through), and its unit.
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
    at
        Coordinates, as those of a reading.

    Raises
    ------
    ValueError
        Arrays of different length, or an x that falls.
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
    at: Conditions = ()

    @property
    def label(self) -> str:
        """Coordinates in words; empty where there are none."""
        return values_text(self.at)

    @property
    def identity(self) -> tuple[str, int, Conditions]:
        """What it is found by in another take."""
        return self.name, self.channel, self.at

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
        if not (np.diff(self.x) >= 0).all():
            raise ValueError(f"trace {self.name}: its x does not rise")


@dataclass(frozen=True, slots=True, eq=False)
class Surface:
    """Values over two axes: decay over frequency and time, level over frequency and angle.

    Parameters
    ----------
    name, channel
        As those of a trace.
    x, x_unit, y, y_unit
        (n,) and (m,), each rising, with their units.
    values, unit
        (m, n): ``values[i, j]`` stands at ``y[i]`` and ``x[j]``; NaN where nothing is known.
    at
        Coordinates, as those of a reading.

    Raises
    ------
    ValueError
        Shapes that do not fit, or an axis that does not rise.
    """

    name: str
    channel: int
    x: FloatArray
    x_unit: str
    y: FloatArray
    y_unit: str
    values: FloatArray
    unit: str
    at: Conditions = ()

    def __post_init__(self) -> None:
        own = {name: np.array(getattr(self, name), dtype=np.float64) for name in ("x", "y", "values")}
        if own["x"].ndim != 1 or own["y"].ndim != 1 or own["values"].shape != (len(own["y"]), len(own["x"])):
            raise ValueError(
                f"surface {self.name}: values have shape {own['values'].shape}, axes {own['y'].shape} and {own['x'].shape}"
            )
        for name in ("x", "y"):
            if not (np.isfinite(own[name]).all() and (np.diff(own[name]) > 0).all()):
                raise ValueError(f"surface {self.name}: its {name} does not rise")
        for name, array in own.items():
            array.setflags(write=False)
            object.__setattr__(self, name, array)

    def along_x(self, y: float) -> FloatArray:
        """(n,) the slice at the row nearest to y."""
        return np.asarray(self.values[int(np.argmin(np.abs(self.y - y)))])

    def along_y(self, x: float) -> FloatArray:
        """(m,) the slice at the column nearest to x."""
        return np.asarray(self.values[:, int(np.argmin(np.abs(self.x - x)))])


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
    spans
        When in the recording: start and length in seconds of each occurrence, where that is known.
    channel
        From 1; 0 where it is about all of them.
    """

    code: str
    text: str
    grave: bool = True
    spans: tuple[tuple[float, float], ...] = ()
    channel: int = 0


@dataclass(frozen=True, slots=True)
class Result:
    """All that a step gives."""

    readings: tuple[Reading, ...] = ()
    traces: tuple[Trace, ...] = ()
    trust: tuple[Trust, ...] = ()
    surfaces: tuple[Surface, ...] = ()

    def reading(self, name: str, channel: int = 1) -> Reading | None:
        """Find a reading by name; one that belongs to all channels fits every channel."""
        for reading in self.readings:
            if reading.name == name and reading.channel in (channel, 0):
                return reading
        return None

    def trace(self, name: str, channel: int = 1, at: Conditions | None = None) -> Trace | None:
        """Find a trace by name; without coordinates the first."""
        for trace in self.traces:
            if trace.name == name and trace.channel == channel and at in (None, trace.at):
                return trace
        return None

    def with_trust(self, *more: Trust) -> Result:
        """Give the same result with more words on how far it can be believed; none is said twice."""
        return replace(self, trust=tuple(dict.fromkeys((*self.trust, *more)))) if more else self

    def with_floor(self, floor: Result, floored: Callable[[str], bool]) -> Result:
        """Give the same result with the floor of each reading that has one taken from the rig's own take.

        ``floored`` tells for the name of a reading whether the rig alone sets a floor to it.
        """
        known = {r.identity: r.value for r in floor.readings if floored(r.name)}
        readings = tuple(replace(r, floor=known.get(r.identity)) for r in self.readings)
        return replace(self, readings=readings)


@dataclass(slots=True)
class ResultBuilder:
    """Collects a result while a step's analysis runs."""

    readings: list[Reading] = field(default_factory=list)
    traces: list[Trace] = field(default_factory=list)
    trust: list[Trust] = field(default_factory=list)
    surfaces: list[Surface] = field(default_factory=list)

    def add(
        self,
        name: str,
        channel: int,
        value: float,
        unit: str,
        u: float | None = None,
        at: Conditions = (),
        note: str = "",
    ) -> None:
        """Add a reading; ``u`` is its standard uncertainty. A value that is not finite is left out."""
        if np.isfinite(value):
            spread = None if u is None else 2 * float(u)
            self.readings.append(Reading(name, channel, float(value), unit, spread, at=at, note=note))

    def take_in(self, other: ResultBuilder) -> None:
        """Add all that another builder has collected."""
        self.readings += other.readings
        self.traces += other.traces
        self.trust += other.trust
        self.surfaces += other.surfaces

    def build(self) -> Result:
        """Give the result."""
        return Result(tuple(self.readings), tuple(self.traces), tuple(dict.fromkeys(self.trust)), tuple(self.surfaces))

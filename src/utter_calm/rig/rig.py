"""A rig by name: its outputs and inputs, what is in the path, and what must not be exceeded."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from utter_calm.errors import InputError
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.calibrated import Calibrated, age_days
from utter_calm.rig.channel import CURRENT, DRIVE, LOOPBACK, MICROPHONE, VOLTAGE, Channel, Correction
from utter_calm.rig.protection import USUAL, Protection
from utter_calm.rig.sense_calibration import SenseCalibration
from utter_calm.rig.sound.address import SoundAddress

DIVIDER, PRE_FILTER, SENSE, AMPLIFIER = "divider", "pre-filter", "sense resistor", "power amplifier"
PROBE, ATTENUATOR, CAPSULE = "probe", "attenuator", "microphone"
PARTS = (DIVIDER, PROBE, ATTENUATOR, PRE_FILTER, SENSE, AMPLIFIER, CAPSULE)
DIVIDES = (DIVIDER, PROBE, ATTENUATOR)
"""Parts whose value is by how much they divide."""
_FULL_SCALE_GROWS: dict[str, Callable[[float], float]] = {
    **dict.fromkeys(DIVIDES, lambda ratio: ratio),
    PRE_FILTER: lambda _one: 1.0, **dict.fromkeys((SENSE, CAPSULE, AMPLIFIER), lambda value: 1 / value),
}  # fmt: skip
"""By what a part before an input raises what full scale stands for."""


@dataclass(frozen=True, slots=True)
class Part:
    """Something in the path between a converter and the unit.

    Parameters
    ----------
    kind
        One of :data:`PARTS`.
    value
        By how much a divider, a probe or an attenuator divides (10: a tenth arrives); a sense
        resistor's ohms, an amplifier's gain, a microphone's V/Pa; 1 for a filter.
    side
        ``"input"`` or ``"output"``: where it sits.
    channels
        Numbers of the channels that it belongs to; empty for all of that side that carry volts.
    u_value
        Relative standard uncertainty of the value.
    correction
        Its response, to be divided out.
    history
        When it was calibrated, the newest last.
    """

    kind: str
    value: float = 1.0
    side: str = "input"
    channels: tuple[int, ...] = ()
    u_value: float = 0.0
    correction: Correction | None = None
    history: tuple[Calibrated, ...] = ()

    def __post_init__(self) -> None:
        if self.kind not in PARTS or self.side not in ("input", "output"):
            raise InputError(f"A part of the rig is a “{self.kind}”.", hint=f"It is one of {', '.join(PARTS)}.")
        if not (math.isfinite(self.value) and self.value > 0):
            raise InputError(f"The {self.kind} has the value {self.value:g}.", hint="Enter a number above zero.")


def _outputs() -> tuple[Channel, ...]:
    return tuple(Channel(n, role=DRIVE, full_scale=4.0, calibrated="2026-11-02") for n in (1, 2))


def _inputs() -> tuple[Channel, ...]:
    return tuple(Channel(n, full_scale=4.0, u_level=0.0006, u_flatness=0.0001, calibrated="2026-11-02") for n in (1, 2))


@dataclass(frozen=True, slots=True)
class Rig:
    """A rig and its calibration.

    Parameters
    ----------
    name
        As it is picked by people.
    device
        The device behind it.
    outputs, inputs
        Channels; counted apart.
    parts
        What is in the path.
    ceiling_v
        R.m.s. volts that no output ever exceeds, whatever is asked for.
    load_power_w, u_load
        What the load can take, and the relative standard uncertainty of its resistance.
    impedance
        What its leads and inputs do to an impedance; None where that was never measured.
    sound
        The sound device behind it; None for the simulated one.
    instruments
        What sets and reads conditions by SCPI.
    protection
        Further limits.
    ceiling_typed
        Whether somebody said the ceiling; else it is the one that such a plan begins with.
    """

    name: str = "Simulated rig"
    device: str = "simulated"
    outputs: tuple[Channel, ...] = _outputs()
    inputs: tuple[Channel, ...] = _inputs()
    parts: tuple[Part, ...] = (Part(DIVIDER, 10.0),)
    ceiling_v: float = 2.0
    load_power_w: float = 150.0
    u_load: float = 0.001
    impedance: SenseCalibration | None = None
    sound: SoundAddress | None = None
    instruments: tuple[BenchInstrument, ...] = ()
    protection: Protection = USUAL
    ceiling_typed: bool = False

    def __post_init__(self) -> None:
        for what, value, unit in (("ceiling", self.ceiling_v, "V"), ("load's rating", self.load_power_w, "W")):
            if not (math.isfinite(value) and value > 0):
                raise InputError(f"The {what} is {value:g} {unit}.", hint="Enter a number above zero.")
        if not self.inputs:
            raise InputError("The rig has no input.", hint="Add the channel that listens.")
        for side in (self.outputs, self.inputs):
            numbers = [c.number for c in side]
            if len(set(numbers)) != len(numbers):
                raise InputError("Two channels of the rig have the same number.", hint="Number them apart.")
        after = [p.kind for p in self.parts if p.side == "output" and p.correction is not None]
        if after or any(c.correction is not None for c in self.outputs):
            raise InputError(
                f"The response of {f'a {after[0]} after the outputs' if after else 'an output'} cannot be divided out of what is "
                "heard: the unit has met it already.", hint="Give it to the input that hears it, or leave it out.",
            )  # fmt: skip

    @property
    def drives(self) -> tuple[Channel, ...]:
        """Outputs that drive the unit, the parts after them taken in."""
        return tuple(c for c in self.played if c.role == DRIVE)

    @property
    def played(self) -> tuple[Channel, ...]:
        """Outputs with the parts after them taken in: what their samples stand for at the unit."""
        return tuple(self._with_parts(c, "output") for c in self.outputs)

    @property
    def highest_v(self) -> float:
        """R.m.s. volts that every driving output can and may give."""
        return min(self.ceiling_v, *(self.protection.ceiling_fs * c.full_scale for c in self.drives)) if self.drives else 0.0

    @property
    def pickup_ratio(self) -> float:
        """Volts at the unit's output over volts at the input connector: 10 for a divider by ten."""
        return next((p.value for p in self.parts if p.kind == DIVIDER and p.side == "input"), 1.0)

    @property
    def senses_impedance(self) -> bool:
        """Whether what hangs on the leads hangs behind a known resistor, so that its impedance can be told."""
        return bool(self.sense_side)

    @property
    def hears_sound(self) -> bool:
        """Whether it listens by a microphone: what it drives is a loudspeaker, and a load by itself."""
        return any(c.role == MICROPHONE for c in self.inputs)

    @property
    def sense_side(self) -> str:
        """How the resistor tells a current; empty where there is none.

        ``low``: an input hears the volts across it; ``high``: one hears the volts before it, looped back; ``source``: one input
        hears the unit alone, and what was played stands for the volts before it.
        """
        roles = {c.role for c in self.inputs}
        if CURRENT in roles:
            return "low" if VOLTAGE in roles else ""
        if not any(p.kind == SENSE for p in self.parts) or VOLTAGE not in roles:
            return ""
        return "high" if LOOPBACK in roles else "source"

    @property
    def sense_ohm(self) -> float:
        """Ohms of the resistor that tells a current; 10 where there is none."""
        return next((p.value for p in self.parts if p.kind == SENSE), 10.0)

    @property
    def bound(self) -> str:
        """What a calibration of the impedance belongs to: device, inputs, sense resistor. Names are of no account."""
        inputs = " ".join(f"{c.number}:{c.role}:{c.full_scale:.6g}" for c in self.inputs)
        parts = " ".join(f"{p.kind}:{p.value:.6g}:{p.channels}" for p in self.parts if p.side == "input")
        return f"{self.device}; {inputs}; {parts}"

    def u_impedance(self, rate_hz: int) -> float:
        """Relative standard uncertainty of an impedance: from its calibration, or else from both inputs and the resistor."""
        known = self.impedance
        if known is not None and not known.foreign(self.bound, rate_hz):
            return known.u
        return math.hypot(*(c.u_level for c in self.recorded if c.role in (VOLTAGE, CURRENT, LOOPBACK)))

    def on_day(self, today: dt.date) -> Rig:
        """The rig as it is on a day: calibrations that are too old are marked."""
        sides = (tuple(replace(c, aged=_aged(c, today)) for c in side) for side in (self.outputs, self.inputs))
        outputs, inputs = sides
        impedance = None if self.impedance is None else self.impedance.seen_on(today)
        seen = replace(self, outputs=outputs, inputs=inputs, impedance=impedance)
        return self if seen == self else seen

    @property
    def output_full_scale_v(self) -> float:
        """R.m.s. volts of a full-scale sine of the first driving output, at the unit."""
        return self.drives[0].full_scale if self.drives else 1.0

    @property
    def input_full_scale_v(self) -> float:
        """R.m.s. volts of a full-scale sine at the first input's connector."""
        return self.inputs[0].full_scale

    @property
    def output_peak_v(self) -> float:
        """Volts at the first driving output for a sample of 1."""
        return self.output_full_scale_v * math.sqrt(2)

    @property
    def u_level(self) -> float:
        """Relative standard uncertainty of a level at the first input, its parts among it."""
        return self.recorded[0].u_level

    @property
    def calibrated(self) -> str:
        """Day of the first input's calibration."""
        return self.inputs[0].calibrated

    @property
    def recorded(self) -> tuple[Channel, ...]:
        """Inputs with the parts before them taken in: what their samples stand for at the unit."""
        return tuple(self._with_parts(c, "input") for c in self.inputs)

    def _with_parts(self, channel: Channel, side: str) -> Channel:
        out = channel
        for part in self.parts:
            fits = (MICROPHONE,) if part.kind == CAPSULE else (DRIVE, VOLTAGE, CURRENT)
            belongs = channel.number in part.channels if part.channels else channel.role in fits
            if part.side != side or not belongs:
                continue
            factor = 1.0 if part.kind == SENSE and channel.role != CURRENT else _FULL_SCALE_GROWS[part.kind](part.value)
            if side == "output":  # what comes after an output shrinks or grows with the part, not with what is before it
                factor = 1 / factor
            if factor != 1:
                out = replace(out, full_scale=out.full_scale * factor, u_level=math.hypot(out.u_level, part.u_value))
            if part.correction is not None:
                out = replace(out, correction=joined(out.correction, part.correction))
        return out

    def with_divider(self, ratio: float) -> Rig:
        """Give the rig with another divider before its inputs; 1 takes it out."""
        rest = tuple(p for p in self.parts if not (p.kind == DIVIDER and p.side == "input"))
        return replace(self, parts=rest if ratio == 1 else (Part(DIVIDER, ratio), *rest))

    def with_inputs(self, **changes: object) -> Rig:
        """Give the rig with the same changes on every input."""
        return replace(self, inputs=tuple(replace(c, **changes) for c in self.inputs))  # type: ignore[arg-type]

    def with_outputs(self, **changes: object) -> Rig:
        """Give the rig with the same changes on every output."""
        return replace(self, outputs=tuple(replace(c, **changes) for c in self.outputs))  # type: ignore[arg-type]

    def check_level(self, level_v: float) -> None:
        """Refuse a level (V r.m.s. at the output) that is not above zero, or above the ceiling.

        Raises
        ------
        InputError
            Says the ceiling.
        """
        if not level_v > 0:
            raise InputError(f"The level of {level_v:g} V is not above zero.", hint="Enter a level such as 0.1 V.")
        if not self.drives:
            raise InputError("The rig has no output that drives.", hint="Give one of its outputs the role “drive”.")
        if level_v > self.highest_v * (1 + 1e-9):
            raise InputError(
                f"The level of {level_v:.4g} V is above the ceiling of {self.highest_v:.4g} V.",
                hint="Lower the level, or raise the rig's ceiling if the unit can take it.",
            )


def _aged(channel: Channel, today: dt.date) -> bool:
    """Whether a channel's calibration is older than it may be."""
    age = age_days(channel.calibrated, today)
    return bool(channel.days) and age is not None and age > channel.days


def joined(first: Correction | None, second: Correction) -> Correction:
    """Give two corrections in a row as one, at the points of both."""
    import numpy as np  # noqa: PLC0415 - only where there are two

    if first is None:
        return second
    points = np.unique(np.concatenate([first.frequency_hz, second.frequency_hz]))
    both = first.at(points) * second.at(points)
    return Correction(tuple(points.tolist()), tuple(np.abs(both).tolist()), tuple(np.unwrap(np.angle(both)).tolist()))

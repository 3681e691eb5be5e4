"""A rig by name: what is connected to what, and what volts its converters stand for."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.errors import InputError


@dataclass(frozen=True, slots=True)
class RigProfile:
    """A rig and its calibration.

    Parameters
    ----------
    name
        As it is picked by people.
    device
        The device behind it.
    output_full_scale_v, input_full_scale_v
        R.m.s. volts, at the connector, of the sine that reads 0 dBFS.
    pickup_ratio
        Volts at the unit's output over volts at the input connector: 10 for a divider by ten.
    ceiling_v
        R.m.s. volts that the output never exceeds, whatever is asked for.
    u_level
        Relative standard uncertainty of levels, from the calibration.
    u_flatness
        Relative standard uncertainty of one frequency against another.
    u_load
        Relative standard uncertainty of the load's resistance.
    calibrated
        Day of the calibration, ISO 8601.
    load_power_w
        What the load can take.
    """

    name: str = "Simulated rig"
    device: str = "simulated"
    output_full_scale_v: float = 4.0
    input_full_scale_v: float = 4.0
    pickup_ratio: float = 10.0
    ceiling_v: float = 2.0
    u_level: float = 0.0006
    u_flatness: float = 0.0001
    u_load: float = 0.001
    calibrated: str = "2026-11-02"
    load_power_w: float = 150.0

    def __post_init__(self) -> None:
        for field in ("output_full_scale_v", "input_full_scale_v", "pickup_ratio", "ceiling_v", "load_power_w"):
            value = getattr(self, field)
            if not (math.isfinite(value) and value > 0):
                raise InputError(
                    f"The rig's {field.replace('_', ' ')} is {value!r}.", hint="Enter a number above zero."
                )

    @property
    def output_peak_v(self) -> float:
        """Volts at the output connector for a sample of 1."""
        return self.output_full_scale_v * math.sqrt(2)

    @property
    def input_peak_v(self) -> float:
        """Volts at the unit's output for an input sample of 1, pickup included."""
        return self.input_full_scale_v * math.sqrt(2) * self.pickup_ratio

    def check_level(self, level_v: float) -> None:
        """Refuse a level (V r.m.s. at the output) that is not above zero, or above the ceiling.

        Raises
        ------
        InputError
            Says the ceiling.
        """
        if not level_v > 0:
            raise InputError(f"The level of {level_v:g} V is not above zero.", hint="Enter a level such as 0.1 V.")
        limit = min(self.ceiling_v, self.output_full_scale_v)
        if level_v > limit * (1 + 1e-9):
            raise InputError(
                f"The level of {level_v:.4g} V is above the ceiling of {limit:.4g} V.",
                hint="Lower the level, or raise the rig's ceiling if the unit can take it.",
            )

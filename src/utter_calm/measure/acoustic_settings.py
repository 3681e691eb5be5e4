"""Settings of a sweep through a loudspeaker: what is played, how it stands, and the window."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.acoustic.geometry import Layout, speed_of_sound
from utter_calm.errors import InputError
from utter_calm.measure.kind import sample_rate, setting
from utter_calm.measure.swept import SweptSettings

IN_ROOM, FREE_FIELD, ON_FLOOR, IN_WALL, AT_CONE, IN_PORT = (
    "in a room", "free field", "on the floor", "in a wall", "close to the cone", "in the port",
)  # fmt: skip
SITUATIONS = tuple((s, s) for s in (IN_ROOM, FREE_FIELD, ON_FLOOR, IN_WALL, AT_CONE, IN_PORT))
CLOSE = (AT_CONE, IN_PORT)
"""Situations in which there is no far field: no sensitivity is told there."""
AUTO, BY_HAND, NO_GATE = "auto", "set", "none"
GATES = ((AUTO, "up to the first reflection"), (BY_HAND, "set by hand"), (NO_GATE, "none"))
LONG = "80 % flat"
_FLAT = {"rectangle": 1.0, LONG: 0.8, "half flat": 0.5, "half cosine": 0.0}
FORMS = tuple((name, name) for name in _FLAT)
ON_BENCH = frozenset({"distance_m", "situation"})
"""Fields of the settings that a hand, or the bench, must bring about as well."""


@dataclass(frozen=True, slots=True)
class LoudspeakerSettings(SweptSettings):
    """Settings of a sweep through a loudspeaker."""

    start_hz: float = setting(20.0, "Start", "Hz", low=1, high=20_000)
    stop_hz: float = setting(20_500.0, "Stop", "Hz", low=40, high=160_000)
    duration_s: float = setting(2.0, "Duration", "s", low=0.5, high=120)
    level_v: float = setting(1.0, "Level at the output", "V", low=1e-4, high=200)
    lead_s: float = setting(0.025, "Silence before the sweep", "s", low=0.01, high=10, rare=True)
    tail_s: float = setting(0.015, "Listens on, once its end has come, for", "s", low=0.01, high=10, rare=True)
    distance_m: float = setting(1.0, "Distance", "m", low=0.005, high=100, analysis_only=True)
    situation: str = setting(IN_ROOM, "Situation", choices=SITUATIONS, analysis_only=True)
    gate: str = setting(AUTO, "Window", choices=GATES, analysis_only=True)
    gate_start_s: float = setting(-1e-3, "Window from", "s", low=-0.1, high=0.0, analysis_only=True)
    gate_stop_s: float = setting(5e-3, "Window to", "s", low=2e-4, high=1.0, analysis_only=True)
    form: str = setting(LONG, "Form of the window", choices=FORMS, analysis_only=True, rare=True)
    periods: float = setting(0.0, "Window of at most so many periods (0: the same for all)", "1", high=100, analysis_only=True,
                             rare=True)  # fmt: skip
    band_low_hz: float = setting(300.0, "Tolerance read from", "Hz", low=1, high=160_000, analysis_only=True)
    band_high_hz: float = setting(3000.0, "Tolerance read to", "Hz", low=2, high=160_000, analysis_only=True)
    source_m: float = setting(0.0, "Loudspeaker's height above the floor (0: not known)", "m", high=100, analysis_only=True)
    microphone_m: float = setting(0.0, "Microphone's height (0: as the loudspeaker)", "m", high=100, analysis_only=True, rare=True)
    ceiling_m: float = setting(0.0, "Height of the room (0: not known)", "m", high=100, analysis_only=True)
    wall_m: float = setting(0.0, "Nearest side wall (0: not known)", "m", high=100, analysis_only=True)
    nominal_ohm: float = setting(
        0.0, "Nominal impedance, for the level at 1 W (0: not known)", "ohm", high=10_000, analysis_only=True, rare=True
    )
    largest_m: float = setting(
        0.0, "Largest dimension of the loudspeaker (0: not known)", "m", high=20, analysis_only=True, rare=True
    )
    baffle_m: float = setting(0.0, "Width of its front (0: not known)", "m", high=20, analysis_only=True, rare=True)
    air_k: float = setting(293.15, "Air", "K", low=233, high=333, analysis_only=True, rare=True)  # fmt: skip
    rate_hz: int = sample_rate(48_000)

    def check(self) -> None:
        """Refuse values outside their bounds, an empty window or band, and heights that cannot be."""
        SweptSettings.check(self)
        if not self.band_high_hz > 1.1 * self.band_low_hz:
            raise InputError("The band in which the tolerance is read is empty.", hint="Widen its limits.")
        top = max(self.source_m, self.microphone_m)
        if self.ceiling_m and self.ceiling_m <= top:
            raise InputError(
                f"The room of {self.ceiling_m:g} m is lower than what stands in it ({top:g} m).", hint="Check heights."
            )

    @property
    def listens_s(self) -> float:
        """How long is listened after the sweep: its end takes its time to come."""
        return self.tail_s + self.distance_m / speed_of_sound(self.air_k - 273.15)

    @property
    def layout(self) -> Layout:
        """How everything stands; on the floor and close by there is nothing to be bounced off."""
        if self.situation != IN_ROOM:
            return Layout(self.distance_m, celsius=self.air_k - 273.15)
        return Layout(self.distance_m, self.source_m, self.microphone_m, self.ceiling_m, self.wall_m, self.air_k - 273.15)

    @property
    def window(self) -> Gate:
        """The window set by hand."""
        return Gate(self.gate_start_s, self.gate_stop_s, self.flat)

    @property
    def flat(self) -> float:
        """Up to which part of its stop the window is 1."""
        return _FLAT[self.form]

"""Decay of a loudspeaker, over time and over periods: a deduction of its sweep."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.errors import MeasurementError
from utter_calm.measure.decayed import READINGS, SURFACES, ClearImpulse, add_decay
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder


@dataclass(frozen=True, slots=True)
class DecaySettings(StepSettings):
    """Settings of a decay."""

    cycles: float = setting(6.0, "Periods of the burst", low=1, high=40, analysis_only=True)


class DecayMaps(Deduction[DecaySettings]):
    """How sound decays, as maps, and what rings."""

    key = "decay"
    title = "Decay"
    question = "How sound decays, in milliseconds and in periods of each frequency; which resonances ring"
    settings_type = DecaySettings
    readings = with_roles(READINGS, "resonance_1", "resonance_1_q", "resonance_2", "resonance_2_q", "resonance_3", "resonance_3_q")
    surfaces = SURFACES
    plots = (
        PlotSpec(
            "decay_periods",
            "Decay over periods",
            ("decay_periods",),
            y_title="periods after the maximum",
            surface=True,
            span_db=40.0,
            short="periods",
        ),
        PlotSpec(
            "decay_time",
            "Decay over time",
            ("decay_time",),
            y_title="after the direct sound",
            surface=True,
            span_db=40.0,
            short="time",
        ),
    )

    def signal(self, settings: DecaySettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from the loudspeaker's impulse response"

    def needs(self, settings: DecaySettings) -> tuple[Need, ...]:  # noqa: ARG002
        """The sweep."""
        return (Need("sweep", "the loudspeaker's sweep", "loudspeaker"),)

    def consumes(self, settings: DecaySettings) -> tuple[str, ...]:  # noqa: ARG002
        """Nothing."""
        return ()

    def deduce(self, settings: DecaySettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Map the decay of its impulse response under its window."""
        given = takes["sweep"][0]
        trace = next((t for t in given.result.traces if t.name == "impulse"), None)
        curve = next((t for t in given.result.traces if t.name == "response"), None)
        if trace is None or curve is None:
            raise MeasurementError("The sweep has no impulse response.", hint="Take it again.")
        one = trace.channel
        out = ResultBuilder()
        stop, start = (given.result.reading(name, one) for name in ("gate_stop", "gate_start"))
        gate = None if stop is None or start is None else Gate(start.value, stop.value)
        first = given.result.reading("first_reflection", one)
        impulse = ClearImpulse.of(trace.x, trace.magnitude, None if first is None else first.value, float(curve.x[-1]))
        add_decay(out, impulse, gate, settings.cycles, one)
        return out.build()

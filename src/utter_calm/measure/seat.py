"""At the seat: several positions averaged, their spread shown; a deduction of the takes there."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.seats import COMPLEX, POWER, average
from utter_calm.errors import MeasurementError
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust

POSITION = "position"
_FEWEST = 3
_SMOOTHINGS = (("none", "none"), ("1", "octave"), ("3", "third octave"), ("6", "1/6 octave"), ("12", "1/12 octave"))


@dataclass(frozen=True, slots=True)
class SeatSettings(StepSettings):
    """Settings of an average over positions."""

    how: str = setting(POWER, "Mean of", choices=((POWER, "power"), (COMPLEX, "complex values")), analysis_only=True)
    smoothing: str = setting("6", "Smoothed over", choices=_SMOOTHINGS, analysis_only=True)
    band_low_hz: float = setting(100.0, "Spread read from", "Hz", low=1, high=160_000, analysis_only=True)
    band_high_hz: float = setting(10_000.0, "Spread read to", "Hz", low=2, high=160_000, analysis_only=True)


class SeatAverage(Deduction[SeatSettings]):
    """The response about a seat."""

    key = "seat"
    title = "At the seat"
    question = "Several positions averaged, and how much they differ"
    settings_type = SeatSettings
    readings = with_roles(
        {
            "positions": Declared("positions", "count", "How many were averaged.", digits=2),
            "spread": Declared("spread", "gain", "Root mean square over log f of the deviation from place to place.", digits=3),
            "widest_spread_at": Declared("widest spread at", "frequency", "Where it is largest.", digits=3),
        },
        "spread", "positions", "widest_spread_at",
    )  # fmt: skip
    traces = {
        "seat_average": Declared("average", "gain", "Over all positions; smoothed as the settings say."),
        "seat_lower": Declared("average less one deviation", "gain", "By the standard deviation of decibels."),
        "seat_upper": Declared("average and one deviation", "gain", "By the standard deviation of decibels."),
        "response": Declared("average", "gain", "The same, to be laid over other responses."),
    }
    plots = (
        PlotSpec("average", "Average over positions and its spread", ("seat_average", "seat_lower", "seat_upper"), detail=3.0,
                 edges=("band_low_hz", "band_high_hz")),
    )  # fmt: skip

    def signal(self, settings: SeatSettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from takes at each position"

    def needs(self, settings: SeatSettings) -> tuple[Need, ...]:  # noqa: ARG002
        """Every take that the positions make."""
        return (Need("each", "takes at each position", "loudspeaker", many=True),)

    def consumes(self, settings: SeatSettings) -> tuple[str, ...]:  # noqa: ARG002
        """It runs over positions."""
        return (POSITION,)

    def deduce(self, settings: SeatSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Average over what there is."""
        traces = [t for given in takes["each"] for t in given.result.traces if t.name == "response"]
        if not traces or len({t.y_unit for t in traces}) > 1:
            raise MeasurementError("There are no responses in one unit to be averaged.", hint="Take the positions with one rig.")
        curves = []
        for t in traces:
            low, high = t.valid or (t.x[0], t.x[-1])
            inside = (t.x >= low * 0.9999) & (t.x <= high * 1.0001)
            phase = t.phase_rad if t.phase_rad is not None else np.zeros(len(t.x))
            curves.append((t.x[inside], np.asarray(t.magnitude[inside] * np.exp(1j * phase[inside]))))
        per_octave = 0.0 if settings.smoothing == "none" else float(settings.smoothing)
        found = average(curves, settings.how, per_octave)
        out, unit = ResultBuilder(), traces[0].y_unit
        wide = 10 ** (found.spread_db / 20)
        for name, values in (("seat_average", found.mean), ("seat_lower", found.mean / wide), ("seat_upper", found.mean * wide),
                             ("response", found.mean)):  # fmt: skip
            out.traces.append(Trace(name, 1, found.frequency_hz, "Hz", values, unit))
        out.add("positions", 0, found.count, "1")
        band = (found.frequency_hz >= settings.band_low_hz) & (found.frequency_hz <= settings.band_high_hz)
        if found.count > 1 and band.any():
            out.add("spread", 0, 10 ** (math.sqrt(float(np.mean(found.spread_db[band] ** 2))) / 20), "1")
            at = int(np.argmax(np.where(band, found.spread_db, -1)))
            out.add("widest_spread_at", 0, float(found.frequency_hz[at]), "Hz")
        if found.count < _FEWEST:
            text = f"Only {found.count} position{'s' if found.count > 1 else ''}: the spread says little."
            out.trust.append(Trust("few_positions", text, grave=False))
        if settings.smoothing != "none":
            words = dict(_SMOOTHINGS)[settings.smoothing]
            out.trust.append(Trust("smoothed", f"Smoothed over {words} (mean power).", grave=False))
        return out.build()

"""What the supply gave while a take played, and what part of it came out as power."""

from __future__ import annotations

from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder

SUPPLY, SUPPLY_CURRENT = "supply", "supply current"
BENCH_READINGS: dict[str, Declared] = {
    "supply_voltage": Declared("supply", "voltage", "Volts at the supply while this was playing, by its own meter."),
    "supply_current": Declared("supply current", "current", "Amperes out of the supply while this was playing, by its own meter."),
    "efficiency": Declared(
        "efficiency", "part", "Power into the loads of all channels over what the supply gave.",
        better="high",
    ),
}  # fmt: skip


def add_bench_readings(out: ResultBuilder, capture: Capture) -> None:
    """Add what the instruments read, and the efficiency where the power into the loads is among the readings already.

    A meter's own uncertainty is not known here, so none is stated.
    """
    shown = dict(capture.bench)
    volts, amperes = shown.get(SUPPLY), shown.get(SUPPLY_CURRENT)
    if volts is not None:
        out.add("supply_voltage", 0, volts.value, "V")
    if amperes is not None:
        out.add("supply_current", 0, amperes.value, "A")
    powers = [r.value for r in out.readings if r.name == "power"]
    if volts is not None and amperes is not None and powers and volts.value * amperes.value > 0:
        out.add("efficiency", 0, sum(powers) / (volts.value * amperes.value), "1")

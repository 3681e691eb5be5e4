"""The bench of a run: the device, the instruments that can be set, how everything stands, and what a cell wants of it."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.document import FLOOR, LOAD, Cell, JobDocument
from utter_calm.quantities import Conditions, Measured, Value
from utter_calm.rig import Device, Instrument, Rig, SimulatedDevice

UNIT_FACTOR = "unit"
PICKUP_FACTOR = "pickup"
LEFT_OUT = "cable"
IN_THE_PATH: Conditions = (("series resistor", Measured(0.0, "ohm")), ("pre-filter", "out"))
"""What may stand in the path, and how it stands when no plan asks for it."""
_CHANGE_COST = {UNIT_FACTOR: 5.0, PICKUP_FACTOR: 3.0}
_BY_ITSELF = 0.05


@dataclass(slots=True)
class Bench:
    """The device, what can be switched on it, and how it stands now."""

    device: Device
    control: Instrument | None = None
    standing: Conditions = ()

    def value(self, factor: str) -> Value | None:
        """How a factor stands, as far as is known."""
        return dict(self.standing).get(factor)

    def can_set(self, factor: str) -> bool:
        """Whether the bench can set a factor by itself."""
        return self.control is not None and self.control.can_set(factor)

    def price(self, document: JobDocument, factor: str) -> float:
        """What a change of a factor costs: little where no hand must move."""
        known = (plan.factor(factor) for plan in document.plans)
        cost = next((f.cost for f in known if f is not None), _CHANGE_COST.get(factor, 1.0))
        return cost * (_BY_ITSELF if self.can_set(factor) else 1.0)

    def note(self, factor: str, value: Value) -> None:
        """Remember that a factor was set."""
        self.standing = (*((f, v) for f, v in self.standing if f != factor), (factor, value))


def bench_name(document: JobDocument, unit_id: str) -> str:
    """How a unit is called on the bench: its stand-in, or itself."""
    unit = document.unit(unit_id)
    return unit.stand_in or unit.title


def wanted(document: JobDocument, cell: Cell, standing: Conditions = ()) -> Conditions:
    """(factor, value) pairs that the bench must have for a cell; what a step's settings do themselves is not among them.

    What ``standing`` still has in the path from another unit's plan is taken out again: it would falsify whatever follows.
    """
    plan = document.plan_of(cell.step)
    own = {name for name, _ in cell.setup.conditions}
    left = tuple((f, v) for f, v in IN_THE_PATH if f not in own and dict(standing).get(f, v) != v)
    if cell.role == FLOOR:  # without the divider the rig brings its own input to the level that it sees behind the unit
        return (*left, (PICKUP_FACTOR, Measured(1.0, "1")), (UNIT_FACTOR, LEFT_OUT))
    by_program = {f.name for f in plan.factors if f.sets}
    conditions = tuple((f, v) for f, v in cell.setup.conditions if f not in by_program)
    pickup = Measured(plan.rig.pickup_ratio, "1")
    return (*left, (PICKUP_FACTOR, pickup), (UNIT_FACTOR, bench_name(document, cell.unit)), *conditions)


def simulated_bench(rig: Rig, *, seed: int = 1) -> Bench:
    """Give the simulated device with the dome amplifier connected to 8 ohm."""
    device = SimulatedDevice(rig, seed=seed)
    standing = (
        (PICKUP_FACTOR, Measured(rig.pickup_ratio, "1")), (UNIT_FACTOR, "dome amplifier"), (LOAD, Measured(8.0, "ohm")),
    )  # fmt: skip
    return Bench(device, device, standing)

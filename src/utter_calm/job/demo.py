"""The demo job: a municipal planetarium accepts a dome amplifier against its purchase sheet. All of it is made up."""

from __future__ import annotations

from utter_calm.job.cell import PICKUP_FACTOR, UNIT_FACTOR
from utter_calm.job.model import LOAD, Factor, JobDocument, Plan, Step
from utter_calm.job.run import Bench
from utter_calm.measure.kinds import KINDS
from utter_calm.rig import RigProfile, SimulatedDevice

FIRST_LOOK = "first-look"
RESPONSE = "response"


def demo_document() -> JobDocument:
    """Give the demo job without takes: the planetarium's whole delivery of electronics, one plan for each unit."""
    from utter_calm.job.demo_units import demo_plans  # noqa: PLC0415 - only the demo needs them

    return JobDocument(
        title="Planetarium dome sound: acceptance of the electronics",
        plans=demo_plans(),
        notes="Purchase sheet, sections 3 to 6. One of each is looked at before the rest is unpacked.",
    )


def new_document(title: str) -> JobDocument:
    """Give a fresh job: one unit, the steps that nearly every unit is asked for, one load."""
    steps = tuple(
        Step(key.replace("_", "-"), key).with_settings(KINDS[key].settings_type())
        for key in ("first_look", "response", "level_series", "noise")
    )
    plan = Plan(steps=steps, factors=(Factor(LOAD, ("8 ohm",), "Switch the load to {value}."),))
    return JobDocument(title=title, plans=(plan,))


def simulated_bench(rig: RigProfile, *, seed: int = 1) -> Bench:
    """Give the simulated device with the dome amplifier connected to 8 ohm."""
    device = SimulatedDevice(rig, seed=seed)
    standing = ((PICKUP_FACTOR, f"{rig.pickup_ratio:g}"), (UNIT_FACTOR, "dome amplifier"), (LOAD, "8 ohm"))
    return Bench(device, device, standing)

"""The demo job: a municipal planetarium accepts electronics, drivers and parts against its purchase sheet. All is made up."""

from __future__ import annotations

from utter_calm.demo.units import demo_delivery
from utter_calm.job.document import JobDocument


def demo_document() -> JobDocument:
    """Give the demo job without takes: the planetarium's whole delivery, one plan for each kind of unit."""
    units, plans = demo_delivery()
    return JobDocument(
        title="Planetarium dome sound: acceptance of the delivery",
        units=units,
        plans=plans,
        notes="Purchase sheet, sections 3 to 6. One of each is looked at before the rest is unpacked.",
    )

"""The demo job: a municipal planetarium accepts a delivery of electronics against its purchase sheet. All of it is made up."""

from __future__ import annotations

from utter_calm.demo.units import demo_delivery
from utter_calm.job.document import JobDocument


def demo_document() -> JobDocument:
    """Give the demo job without takes: the planetarium's whole delivery of electronics, one plan for each kind of unit."""
    units, plans = demo_delivery()
    return JobDocument(
        title="Planetarium dome sound: acceptance of the electronics",
        units=units,
        plans=plans,
        notes="Purchase sheet, sections 3 to 6. One of each is looked at before the rest is unpacked.",
    )

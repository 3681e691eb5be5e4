"""The rig alone need not be measured where its rig has a floor of its own that fits."""

from __future__ import annotations

import datetime as dt

from utter_calm.errors import InputError
from utter_calm.job.document import Cell, JobDocument
from utter_calm.job.job import Job
from utter_calm.job.rig_floor import kept_floor
from utter_calm.job.run.one_take import floor_settings
from utter_calm.job.take import TakeSummary


def fetch_floor(job: Job, document: JobDocument, cell: Cell, rest: list[Cell]) -> TakeSummary | None:
    """Store the floor that is kept with the rig as the take of a cell, where it fits and is young enough; None where none does."""
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    try:
        settings = floor_settings(job, document, cell)
    except InputError:  # the gain is not known: that is told where it is measured
        return None
    kept = kept_floor(plan.rig, step.kind, settings, dt.datetime.now(dt.UTC).date())
    if kept is None:
        return None
    take, capture = kept
    note = f"the rig's own floor of {take.summary.taken_at[:10]}"
    return job.append(
        cell, settings, take.result, capture=capture, kind=step.kind, unit_title="", pending=rest, note=note,
        bench=take.summary.bench,
    )  # fmt: skip

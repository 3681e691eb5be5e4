"""One picture of a take as a file."""

from __future__ import annotations

from pathlib import Path

from utter_calm.errors import InputError
from utter_calm.formats.tables import write_text
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kinds import kind_of
from utter_calm.present.picture.compose import plot_view
from utter_calm.report.svg import plot_svg


def export_picture(job: Job, take: TakeSummary, path: Path, trace: str | None = None) -> None:
    """Write the picture that a trace is in, the take's first when none is named, as SVG.

    Raises
    ------
    InputError
        No picture shows such a trace.
    FileError
        The file cannot be written.
    """
    plots = kind_of(take.kind).plots
    found = [p for p in plots if p.traces and (trace is None or trace in (p.key, *p.traces))]
    if not found:
        known = ", ".join(dict.fromkeys(t for p in plots for t in p.traces))
        raise InputError(f"No picture of take {take.id} shows “{trace}”.", hint=f"There are pictures of: {known}.")
    under = job.floor_of(take)
    floor = Shown(under.result, facts_of(under.summary)) if under is not None else None
    claims = job.document.claims_for(take.step, take.setup)
    shown = Shown(job.full(take).result, facts_of(take), take.origin)
    write_text(path, plot_svg(plot_view([shown], found[0].key, floor=floor, claims=claims)))

"""``utter-calm compare``: two takes held against each other."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click
from rich.box import SIMPLE_HEAD
from rich.markup import escape
from rich.table import Table

from utter_calm.cli.opening import open_job
from utter_calm.cli.output import console, print_json
from utter_calm.errors import InputError
from utter_calm.job.compare_readings import alike, compare_takes
from utter_calm.job.facts import facts_of
from utter_calm.present.comparison import comparison_view


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("first", type=int)
@click.argument("second", type=int)
@click.option("--other", type=click.Path(path_type=Path), help="Job that SECOND is from; the same job when left out.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def compare(job: Path, first: int, second: int, other: Path | None, *, as_json: bool) -> int:
    """Compare take FIRST with take SECOND: a verdict first, then every reading.

    The verdict allows for how many readings are compared. Repeats of either, if the job has any, give the rig's
    repeatability as the yardstick; else it is the stated uncertainties.
    """
    opened = open_job(job)
    elsewhere = open_job(other) if other else opened
    try:
        one, two = opened.full(opened.take(first)), elsewhere.full(elsewhere.take(second))
        if one.summary.kind != two.summary.kind:
            raise InputError(f"Take {first} and take {second} are of different kinds.", hint="Compare takes of one kind.")
        known = [alike(t, job_of.takes, job_of.full) for t, job_of in ((one, opened), (two, elsewhere))]
        (found,) = compare_takes(one, [two], [k[0] for k in known], [k[1] for k in known])
        view = comparison_view((facts_of(one.summary), facts_of(two.summary)), [found])
        if as_json:
            rows = [
                {"name": p.first.name, "channel": p.first.channel, "first": p.first.value, "second": p.second.value,
                 "unit": p.first.unit, "ratio": p.ratio, "real": p.real, "chance": p.limit,
                 "repeatability": None if p.spread is None else p.spread.deviation}
                for p in found.readings
            ]  # fmt: skip
            curves = [{**asdict(c), "real": c.real} for c in found.curves]
            print_json({"verdict": view.verdict, "readings": rows, "curves": curves})
            return 0
        console().print(escape(view.verdict), highlight=False)
        table = Table(box=SIMPLE_HEAD)
        for heading in view.headings:
            table.add_column(escape(heading))
        for texts in view.texts:
            table.add_row(*(escape(text) for text in texts))
        console().print(table)
        return 0
    finally:
        elsewhere.close()
        opened.close()

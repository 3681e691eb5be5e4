"""``utter-calm compare``: two takes held against each other."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click
from rich.box import SIMPLE_HEAD
from rich.table import Table

from utter_calm.cli.output import console, print_json
from utter_calm.errors import InputError
from utter_calm.job.compare_readings import pair_curves, pair_readings, repeats_of
from utter_calm.job.facts import facts_of
from utter_calm.job.job import Job
from utter_calm.present.comparison import comparison_view


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("first", type=int)
@click.argument("second", type=int)
@click.option("--other", type=click.Path(path_type=Path), help="Job that SECOND is from; the same job when left out.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def compare(job: Path, first: int, second: int, other: Path | None, *, as_json: bool) -> int:
    """Compare take FIRST with take SECOND: every reading in per cent and dB, and whether the difference is real.

    Repeats of FIRST, if the job has any, give the rig's repeatability as the yardstick.
    """
    opened = Job.open(job)
    elsewhere = Job.open(other) if other else opened
    try:
        one, two = opened.full(opened.take(first)), elsewhere.full(elsewhere.take(second))
        if one.summary.kind != two.summary.kind:
            raise InputError(f"Take {first} and take {second} are of different kinds.", hint="Compare takes of one kind.")
        repeats = repeats_of(one.summary, opened.takes)
        readings = pair_readings(one, two, repeats)
        curves = pair_curves(one, two, [opened.full(t) for t in repeats] if len(repeats) > 1 else ())
        view = comparison_view((facts_of(one.summary), facts_of(two.summary)), readings, curves)
        if as_json:
            rows = [
                {"name": p.first.name, "channel": p.first.channel, "first": p.first.value, "second": p.second.value,
                 "unit": p.first.unit, "ratio": p.ratio, "real": p.real,
                 "repeatability": None if p.spread is None else p.spread.deviation}
                for p in readings
            ]  # fmt: skip
            print_json({"readings": rows, "curves": [asdict(c) for c in curves], "sentences": list(view.sentences)})
            return 0
        table = Table(
            box=SIMPLE_HEAD,
            title=f"{view.titles[0]} against {view.titles[1]}",
            title_justify="left",
            title_style="bold",
        )
        for heading in ("reading", *view.titles, "dB", "%", "beyond uncertainty", "repeatability"):
            table.add_column(heading)
        for row in view.rows:
            table.add_row(row.title, row.first, row.second, row.decibels, row.percent, row.real, row.spread)
        console().print(table)
        for sentence in view.sentences:
            console().print(sentence, highlight=False)
        return 0
    finally:
        elsewhere.close()
        opened.close()

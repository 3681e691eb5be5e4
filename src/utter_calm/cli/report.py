"""``utter-calm report``: a job as HTML or PDF."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
def report(job: Path, out: Path) -> None:
    """Write a job's report to OUT, which ends in .html or .pdf."""
    from utter_calm.job.job import Job
    from utter_calm.report.write import write_report

    opened = Job.open(job)
    try:
        write_report(opened, out)
    finally:
        opened.close()
    click.echo(f"report: {out}", err=True)

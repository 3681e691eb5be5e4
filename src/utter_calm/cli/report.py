"""``utter-calm report``: a job as HTML or PDF."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.opening import open_job


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--appendix", is_flag=True, help="All steps, pictures and takes behind the pages of the units.")
def report(job: Path, out: Path, *, appendix: bool) -> None:
    """Write a job's report to OUT, which ends in .html or .pdf: the claims first, then a page or two for each unit."""
    from utter_calm.report.write import write_report

    opened = open_job(job)
    try:
        write_report(opened, out, appendix=appendix)
    finally:
        opened.close()
    click.echo(f"report: {out}", err=True)

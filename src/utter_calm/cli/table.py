"""``utter-calm table``: what a job holds, as tables."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.job_output import print_claims, verdict_json
from utter_calm.cli.opening import open_job
from utter_calm.cli.output import print_json
from utter_calm.cli.run import print_outcome
from utter_calm.job.export import export_readings
from utter_calm.job.verdict import Outcome


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--claims", is_flag=True, help="Only the table of claimed against measured.")
@click.option("--csv", "csv_path", type=click.Path(path_type=Path), help="Write every reading to this file, as CSV or .json.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def table(job: Path, csv_path: Path | None, *, claims: bool, as_json: bool) -> int:
    """Print a job's newest takes and its claims; exit status 1 where a claim is missed."""
    opened = open_job(job)
    try:
        if csv_path is not None:
            export_readings(opened, csv_path)
            return 0
        if not claims:
            current = [t for t in opened.takes if t.superseded_by is None]
            return print_outcome(opened, current, as_json=as_json)
        rows = opened.claim_rows()
        if as_json:
            print_json({"verdicts": [verdict_json(v, cell) for v, cell in rows]})
        else:
            print_claims(opened.document, rows)
        return 1 if any(v.outcome is Outcome.MISSED for v, _ in rows) else 0
    finally:
        opened.close()

"""Opening a job for a command."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.job.job import Job
from utter_calm.plain import one_line


def open_job(path: Path) -> Job:
    """Open a job; what of it could not be understood is said on standard error, a line each.

    Raises
    ------
    JobFileError
        It cannot be opened.
    """
    job = Job.open(path)
    for line in job.spoilt:
        click.echo(f"utter-calm: {one_line(line)}", err=True)
    return job

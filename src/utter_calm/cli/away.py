"""``utter-calm away``: the file of a step, to be played elsewhere, and its take out of a recording."""

from __future__ import annotations

import hashlib
from pathlib import Path

import click

from utter_calm.cli.analyze_options import FILE
from utter_calm.cli.opening import open_job
from utter_calm.cli.run import chosen_cells, print_outcome
from utter_calm.errors import InputError
from utter_calm.formats.whole import write_whole
from utter_calm.job.away import Away, away_text, take_from_recording, write_away
from utter_calm.job.document import UNIT, Cell
from utter_calm.job.job import Job
from utter_calm.quantities import parse_quantity


def one_cell(job: Job, step: str, setup: str, unit: str) -> Cell:
    """The cell of the plan that is meant: the first that fits."""
    all_of_it = chosen_cells(job, (step,), (setup,) if setup else (), (unit,) if unit else (), floor=False)
    cells = [c for c in all_of_it if c.role == UNIT]
    if not cells:
        raise InputError("No cell of the plan fits.", hint="Give --setup or --unit as the plan has them.")
    return cells[0]


@click.group()
def away() -> None:
    """Play a step's file elsewhere, and take the step out of a recording."""


@away.command("write")
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("step")
@click.argument("out", type=FILE)
@click.option("--setup", default="", metavar="VALUE", help="The setup with this value; the first of the plan by default.")
@click.option("--unit", default="", help="The unit; the first by default.")
@click.option("--level", default="-6dBFS", show_default=True, help="Peak of the file.")
def write(job: Path, step: str, out: Path, setup: str, unit: str, level: str) -> None:
    """Write OUT (.wav or .flac) and beside it a page of instructions with the file's checksum."""
    opened = open_job(job)
    try:
        cell = one_cell(opened, step, setup, unit)
        seconds = write_away(opened, cell, out, parse_quantity(level, "FS", what="level"))
        words = away_text(opened, cell, out.name, hashlib.sha256(out.read_bytes()).hexdigest(), seconds)
    finally:
        opened.close()
    page = out.with_suffix(".txt")
    if page.exists() and "utter-calm away take" not in page.read_text("utf-8", errors="replace"):
        page = out.with_name(f"{out.name}.txt")  # what stands there is somebody else's
        if page.exists() and "utter-calm away take" not in page.read_text("utf-8", errors="replace"):
            raise InputError(f"{page} is there already.", hint="Choose another name for the file.")
    write_whole(page, words.encode())
    click.echo(f"{out.name}: {seconds:.1f} s; {page.name}: what to do with it.")


@away.command("take")
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("step")
@click.argument("recording", type=FILE)
@click.option("--setup", default="", metavar="VALUE", help="The setup that it was recorded under; the first by default.")
@click.option("--unit", default="", help="The unit; the first by default.")
@click.option("--played-full-scale", default="", metavar="VOLTS", help="R.m.s. volts of a full-scale sine of the player.")
@click.option("--recorded-full-scale", default="", metavar="VOLTS", help="R.m.s. volts of the recorder's full-scale sine.")
@click.option("--level", default="-6dBFS", show_default=True, help="Peak of the file, as it was written.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def take(
    job: Path,
    step: str,
    recording: Path,
    setup: str,
    unit: str,
    played_full_scale: str,
    recorded_full_scale: str,
    level: str,
    *,
    as_json: bool,
) -> int:
    """Find the step's file in RECORDING and store what a wired take would have been; exit status 1 where a claim is missed."""
    typed = (played_full_scale, recorded_full_scale)
    played, heard = (parse_quantity(text, "V", what="full scale") if text else None for text in typed)
    known = Away(played, heard)
    opened = open_job(job)
    try:
        made = take_from_recording(
            opened, one_cell(opened, step, setup, unit), recording, known, parse_quantity(level, "FS", what="level")
        )
        return print_outcome(opened, [made], as_json=as_json)
    finally:
        opened.close()

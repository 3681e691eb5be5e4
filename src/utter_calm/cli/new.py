"""``utter-calm new``: a job with what is under test, or one more unit in a job."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from utter_calm.cli.opening import open_job
from utter_calm.errors import InputError
from utter_calm.job.document import JobDocument, Unit
from utter_calm.job.document.fresh import as_reached, new_document, with_new_unit
from utter_calm.job.document.starts import STARTS, Start, start_of
from utter_calm.job.job import Job, job_path
from utter_calm.quantities import Value, db_to_amplitude, parse_decibels, read_value
from utter_calm.rig import UNITS, Rig, knobs_of
from utter_calm.rig.library import load_rig


@click.command("new")
@click.argument("job", type=click.Path(path_type=Path), required=False)
@click.option("--kind", default="power-amplifier", show_default=True, help="What is under test; --list tells what there is.")
@click.option("--name", default="", help="What it is called.")
@click.option("--sample", default="", help="Which one of them, as in “no. 0117”.")
@click.option("--settings", default="", help="How its switches and knobs stand, in words.")
@click.option("--gain", default="", metavar="DB", help="Gain by its data sheet, as in “29.6 dB”; may be left out.")
@click.option("--stand-in", "stand_in", default=None, help="Stand-in of the simulated bench that plays it; “none” for a real unit.")
@click.option(
    "--vary", multiple=True, metavar="KNOB[=VALUES]", help="A condition from the start; a stand-in's knob needs no values."
)
@click.option("--rig", "rig_name", default="", metavar="NAME", help="A saved rig to measure with; without, the simulated one.")
@click.option("--add", is_flag=True, help="Add the unit to a job that is there.")
@click.option("--list", "list_all", is_flag=True, help="Tell what plans and stand-ins there are.")
def new(
    job: Path | None, kind: str, name: str, sample: str, settings: str, gain: str, stand_in: str | None, vary: tuple[str, ...], *,
    rig_name: str, add: bool, list_all: bool,
) -> None:  # fmt: skip
    """Make a job file JOB with one unit under test and a plan to start from; with --add, put one more unit into it."""
    if list_all:
        _tell()
        return
    if job is None:
        raise InputError("The job needs a file.", hint="As in: utter-calm new dome.calm --kind power-amplifier.")
    start = start_of(kind)
    rig = load_rig(rig_name) if rig_name else None
    behind = _stand_in("none" if rig is not None and rig.sound is not None and stand_in is None else stand_in, start)
    made = as_reached(Unit(
        name=name or start.title, sample=sample, settings=settings, stand_in=behind,
        nominal_gain=db_to_amplitude(parse_decibels(gain)) if gain else None,
    ))  # fmt: skip
    varied = dict(_varied(text, behind) for text in vary)
    if add:
        opened = open_job(job)
        opened.edit(_with_rig(with_new_unit(opened.document, made, start, varied), rig))
    else:
        path = job_path(str(job))
        opened = Job.create(path, _with_rig(new_document(path.stem, made, start, varied), rig))
    try:
        unit = opened.document.units[-1]
        plan = opened.document.plan(unit.plan)
        steps = ", ".join(step.id for step in plan.steps) or "none yet"
        click.echo(f"{opened.path}: {unit.title} ({behind or 'a real unit'}); steps: {steps}")
    finally:
        opened.close()


def _with_rig(document: JobDocument, rig: Rig | None) -> JobDocument:
    """The document whose newest plan has a rig; None leaves it as it is."""
    if rig is None:
        return document
    return replace(document, plans=(*document.plans[:-1], replace(document.plans[-1], rig=rig)))


def _tell() -> None:
    for start in STARTS.values():
        click.echo(f"{start.key:16} {start.asks}")
        for name in start.stand_ins:
            knobs = "; ".join(f"{knob}: {', '.join(values) or 'any value'}" for knob, values in knobs_of(name).items())
            click.echo(f"{'':16}   stand-in “{name}”" + (f" ({knobs})" if knobs else ""))


def _stand_in(name: str | None, start: Start) -> str:
    if name is None:
        return start.stand_ins[0] if start.stand_ins else ""
    if name.lower() in ("none", ""):
        return ""
    for known in UNITS:
        if known.lower() == name.strip().lower():
            return known
    raise InputError(f"There is no stand-in “{name}”.", hint=f"There is: {', '.join(UNITS)}; or none, for a real unit.")


def _varied(text: str, stand_in: str) -> tuple[str, tuple[Value, ...]]:
    knob, equals, listed = (part.strip() for part in text.partition("="))
    knobs = knobs_of(stand_in)
    if not equals:
        if not knobs.get(knob):
            known = ", ".join(k for k, v in knobs.items() if v) or "none"
            raise InputError(f"“{knob}” has no positions of its own here.", hint=f"Give values, as in {knob or 'knob'}=low,high. "
                             f"Knobs with positions: {known}.")  # fmt: skip
        return knob, knobs[knob]
    values = tuple(dict.fromkeys(read_value(v) for v in listed.replace(";", ",").split(",") if v.strip()))
    if not knob or not values:
        raise InputError(f"“{text}” names no values to vary.", hint="As in: gain switch=low,high.")
    wrong = [str(v) for v in values if knobs.get(knob) and str(v) not in knobs[knob]]
    if wrong:
        raise InputError(f"The {stand_in} has no {knob} “{wrong[0]}”.", hint=f"It has: {', '.join(knobs[knob])}.")
    return knob, values

"""``utter-calm run``: measure cells of a job on its rig."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable
from pathlib import Path

import click

from utter_calm.cli.job_output import print_claims, take_json, verdict_json
from utter_calm.cli.opening import open_job
from utter_calm.cli.output import console, print_json, print_result
from utter_calm.errors import InputError
from utter_calm.job.document import Cell, Unit
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench, simulated_bench
from utter_calm.job.run.prompt import WIRING, Answer, Prompt
from utter_calm.job.run.run import RunHooks, RunProgress, run_cells
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.job.verdict import Outcome
from utter_calm.measure.aside import Aside
from utter_calm.plain import one_line
from utter_calm.present.words import take_title
from utter_calm.quantities import names_same, value_text


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--steps", multiple=True, metavar="STEP", help="Only these steps, by id; may be given several times.")
@click.option("--setups", multiple=True, metavar="VALUE", help="Only setups with this value, such as “4 ohm”.")
@click.option("--units", multiple=True, metavar="UNIT", help="Only these units, by id or name; may be given several times.")
@click.option("--repeat", type=click.IntRange(1, 100), default=1, help="Take each cell so many times.")
@click.option("--resume", is_flag=True, help="Go on with what an interrupted run had still to do.")
@click.option("--missing", is_flag=True, help="Only what has no take yet.")
@click.option("--floor/--no-floor", default=True, help="Measure the rig alone where that was not done yet.")
@click.option("--as-it-stands", is_flag=True, help="Take the bench as it stands: no hand is asked for.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def run(
    job: Path, steps: tuple[str, ...], setups: tuple[str, ...], units: tuple[str, ...], repeat: int, *, resume: bool,
    missing: bool, floor: bool, as_it_stands: bool,
    as_json: bool,
) -> int:  # fmt: skip
    """Measure a job on its rig; exit status 1 where a claim is missed.

    A simulated rig switches load and knobs by itself; with a real one the terminal asks for each hand that must move.
    """
    opened = open_job(job)
    try:
        cells = chosen_cells(opened, steps, setups, units, missing=missing, floor=floor)
        if resume:
            cells = list(opened.pending())
        cells = [cell for cell in cells for _ in range(1 if cell.role == FLOOR else repeat)]
        rig = opened.document.plan_of(cells[0].step).rig if cells else opened.document.plans[0].rig
        with contextlib.closing(simulated_bench(rig)) as bench:
            bench.have(rig)
            return run_headless(opened, cells, bench, as_json=as_json, hand=stands if as_it_stands else by_hand)
    finally:
        opened.close()


def chosen_cells(
    job: Job,
    steps: tuple[str, ...],
    setups: tuple[str, ...],
    units: tuple[str, ...] = (),
    *,
    missing: bool = False,
    floor: bool = True,
) -> list[Cell]:
    """Give the cells that steps and values pick.

    Raises
    ------
    InputError
        No such step or value, or nothing in the plan.
    """
    document = job.document
    wanted_steps = [document.step(s) for s in steps] or list(document.steps)
    values = {value for plan in document.plans for f in plan.factors for value in f.values}
    unknown = [s for s in setups if not any(names_same(s, value) for value in values)]
    if unknown:
        known = ", ".join(sorted(value_text(v) for v in values)) or "none"
        raise InputError(f"No setup of this job has “{unknown[0]}”.", hint=f"Its values are: {known}.")
    if not wanted_steps:
        raise InputError("The plan of this job has no steps.", hint="Add one in the window.")
    ids = {step.id for step in wanted_steps}
    chosen_units = [_unit(job, text) for text in units] or list(document.units)
    cells: dict[Cell, None] = {}
    for cell in (c for unit in chosen_units for c in document.cells(unit) if c.step in ids):
        if cell.role == FLOOR:
            wanted = floor and job.floor(cell.step) is None
        else:
            named = not setups or any(names_same(s, v) for _, v in cell.setup.conditions for s in setups)
            wanted = named and not (missing and job.current(cell))
        if wanted:
            cells[cell] = None
    return list(cells)


def _unit(job: Job, text: str) -> Unit:
    found = [u for u in job.document.units if text in (u.id, u.name, u.title, u.sample)]
    return found[0] if len(found) == 1 else job.document.unit(text)


def by_hand(prompt: Prompt) -> Answer:
    """Ask on the terminal; nobody there is no answer."""
    if not sys.stdin.isatty():
        raise InputError(
            f"A hand is needed, and nobody is at this terminal: {prompt.text}",
            hint="Run it from a terminal or in the window; --as-it-stands takes the bench as it is.",
        )
    said = click.prompt(one_line(f"  {prompt.text} Done? Enter goes on, s skips, q stops"), default="", show_default=False)
    return {"s": Answer.SKIP, "q": Answer.STOP}.get(said.strip().lower(), Answer.DONE)


def stands(prompt: Prompt) -> Answer:
    """Whoever started it says that everything stands as it should."""
    click.echo(one_line(f"  {prompt.text} (as it stands)"), err=True)
    return Answer.DONE


def run_headless(job: Job, cells: list[Cell], bench: Bench, *, as_json: bool, hand: Callable[[Prompt], Answer] = by_hand) -> int:
    """Measure cells with progress on standard error; print takes and claims; give the exit status."""
    from rich.markup import escape
    from rich.progress import BarColumn, Progress, TextColumn

    said = console(err=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.percentage:>3.0f} %"))
    with Progress(*columns, console=said, transient=True, disable=not said.is_terminal) as bar:
        task = bar.add_task("starting", total=1.0)

        def ask(prompt: Prompt) -> Answer:
            if prompt.factor == WIRING:
                bar.console.print(f"  Leads: {one_line(prompt.text)} Going on all the same.", highlight=False)
                return Answer.SKIP
            if prompt.rig_can:
                bar.console.print(f"  {one_line(prompt.text)} (the rig does it)", highlight=False)
                return Answer.LET_RIG
            return hand(prompt)

        def progress(at: RunProgress) -> None:
            title = job.document.step(at.cell.step).title
            bar.update(task, completed=at.share, description=escape(one_line(f"{at.number} of {at.total}  {title}: {at.text}")))

        def finished(cell: Cell, take: TakeSummary) -> None:
            title = job.document.step(cell.step).title
            bar.console.print(one_line(f"  {title}, {take_title(take)}: stored"), highlight=False)

        hooks = RunHooks(ask=ask, progress=progress, finished=finished, check=True)
        with Aside() as aside:
            takes = run_cells(job, cells, bench, hooks, aside=aside)
    return print_outcome(job, takes, as_json=as_json)


def print_outcome(job: Job, takes: list[TakeSummary], *, as_json: bool) -> int:
    """Print takes and claims; give 1 where a claim was missed, else 0."""
    rows = job.claim_rows()
    if as_json:
        print_json(
            {
                "takes": [take_json(t, job.with_floor(t)) for t in takes],
                "verdicts": [verdict_json(v, cell) for v, cell in rows],
            }
        )
    else:
        for take in takes:
            if take.role != FLOOR:
                kind = job.document.step(take.step).measure
                result = job.with_floor(take)
                shown = type(result)(tuple(r for r in result.readings if r.name in kind.main_readings), (), result.trust)
                full_scale = take.rig.recorded[0].full_scale if take.rig else None
                title = f"{job.document.step(take.step).title}, {take_title(take)}"
                print_result(shown, title=title, full_scale_v=full_scale, kind=take.kind)
        if rows:
            print_claims(job.document, rows)
    return 1 if any(v.outcome is Outcome.MISSED for v, _ in rows) else 0

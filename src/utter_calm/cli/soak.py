"""``utter-calm soak``: one step every few minutes for hours, with trend and alarm."""

from __future__ import annotations

import contextlib
from pathlib import Path

import click

from utter_calm.cli.away import one_cell
from utter_calm.cli.opening import open_job
from utter_calm.cli.output import print_json
from utter_calm.cli.run import by_hand, stands
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import WIRING, Answer, Prompt
from utter_calm.job.run.run import RunHooks
from utter_calm.job.run.soak import Soak, SoakState, part_of_change, run_soak
from utter_calm.plain import one_line
from utter_calm.quantities import parse_quantity


@click.command("soak")
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("step")
@click.option("--every", default="5 min", show_default=True, metavar="TIME", help="From one take to the next.")
@click.option("--for", "duration", default="1 h", show_default=True, metavar="TIME", help="In all.")
@click.option("--reading", default="", help="What is watched; the step's headline by default.")
@click.option("--channel", type=click.IntRange(0, 64), default=1, show_default=True)
@click.option("--alarm", default="", metavar="PART", help="By how much it may move from the first, as in “5 %” or “0.5 dB”.")
@click.option("--setup", default="", metavar="VALUE", help="The setup; the first of the plan by default.")
@click.option("--unit", default="", help="The unit; the first by default.")
@click.option("--anew", is_flag=True, help="Begin anew where an earlier one was not finished.")
@click.option("--as-it-stands", is_flag=True, help="Take the bench as it stands: no hand is asked for.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def soak(
    job: Path, step: str, every: str, duration: str, reading: str, channel: int, alarm: str, setup: str, unit: str, *,
    anew: bool, as_it_stands: bool, as_json: bool,
) -> int:  # fmt: skip
    """Take STEP again and again; an ended one goes on where it stood. Exit status 1 after an alarm."""
    every_s, for_s = (parse_quantity(text, "s", what=name) for text, name in ((every, "--every"), (duration, "--for")))
    opened = open_job(job)
    try:
        cell = one_cell(opened, step, setup, unit)
        kind = opened.document.step(cell.step).measure
        wanted = Soak(every_s, for_s, reading or kind.headline, channel, part_of_change(alarm))
        rig = opened.document.plan_of(cell.step).rig
        bench = simulated_bench(rig)
        bench.have(rig)

        def ask(prompt: Prompt) -> Answer:
            if prompt.factor == WIRING:
                return Answer.SKIP
            return Answer.LET_RIG if prompt.rig_can else (stands if as_it_stands else by_hand)(prompt)

        def told(_state: SoakState, words: str) -> None:
            click.echo(one_line(f"  {words}"), err=True)

        with contextlib.closing(bench):
            state = run_soak(opened, cell, bench, RunHooks(ask=ask), wanted, told=told, resume=not anew)
    finally:
        opened.close()
    trend = state.trend
    if as_json:
        print_json({"reading": wanted.reading, "points": state.points, "alarms": state.alarms, "failures": state.failures,
                    "per_hour": None if trend is None else trend[0],
                    "per_hour_uncertainty": None if trend is None else 2 * trend[1]})  # fmt: skip
    else:
        click.echo(f"{len(state.points)} takes, {len(state.failures)} failed, {len(state.alarms)} alarms.")
        if trend is not None:
            click.echo(f"{wanted.reading} moves by {100 * trend[0]:+.3f} % per hour ± {200 * trend[1]:.3f} % (k = 2).")
    return 1 if state.alarms else 0

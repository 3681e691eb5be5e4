"""``utter-calm calibrate``: what a rig's own leads and inputs do, measured and kept with the job."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.calibrate_microphone import microphone
from utter_calm.cli.opening import open_job
from utter_calm.errors import InputError
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.calibration import CalibrationWanted, calibrate_bench, with_calibration
from utter_calm.job.run.prompt import Answer
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings

_USUAL = CalibrationWanted()


@click.group()
def calibrate() -> None:
    """Calibrate a rig, or a microphone."""


calibrate.add_command(microphone)


@calibrate.command("impedance")
@click.argument("job", type=click.Path(path_type=Path))
@click.option("--known", default=_USUAL.known, show_default=True, metavar="OHM", help="The known resistor.")
@click.option("--open", "with_open", is_flag=True, help="Measure the leads open too, for high impedances.")
@click.option("--days", type=click.IntRange(1, 3650), default=_USUAL.days, show_default=True, help="For how long it counts.")
def impedance(job: Path, known: str, with_open: bool, days: int) -> None:
    """Calibrate the impedance of every rig of JOB that tells one, on the simulated bench: short, resistor, proof."""
    wanted = CalibrationWanted(known, with_open, days)
    wanted.resistor()
    opened = open_job(job)
    try:
        rigs = {(p.rig.name, p.rig.bound): p.rig for p in opened.document.plans if p.rig.senses_impedance}
        if not rigs:
            raise InputError(f"No rig of {job.name} tells an impedance.", hint="Give one of its inputs the role “current”.")
        for rig in rigs.values():
            bench, step = simulated_bench(rig), ImpedanceSweepSettings()
            made = calibrate_bench(
                bench, rig, wanted, step.rate_hz, min(step.level_v, rig.highest_v), lambda _prompt: Answer.LET_RIG
            )
            opened.edit(with_calibration(opened.document, rig, made))
            click.echo(f"{rig.name}: {made.known_ohm:g} ohm reads {100 * (made.proof or 0.0):+.4f} %")
    finally:
        opened.close()

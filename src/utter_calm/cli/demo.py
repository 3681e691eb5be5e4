"""``utter-calm demo``: the planetarium's delivery on the simulated rig."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.option("--headless", is_flag=True, help="Run the whole job without a window, print the results, write the report.")
@click.option("--out", type=click.Path(path_type=Path), default=None,
              help="Folder for the job file and the report; ./demo-job when headless, else the user's data folder.")  # fmt: skip
@click.option(
    "--prepare", is_flag=True, help="Only measure what the demo job still lacks; the window then opens on a measured one."
)
@click.option("--json", "as_json", is_flag=True, help="Write JSON (with --headless).")
def demo(out: Path | None, *, headless: bool, prepare: bool, as_json: bool) -> int:
    """Open the demo job; with --headless, do all of it without a window.

    Some of the delivery misses its claims, so the headless run ends with exit status 1, as a real one would.
    """
    if prepare:
        return _prepare(out)
    if not headless:
        from utter_calm.cli.window import show_demo

        return show_demo(out)
    from utter_calm.cli.run import chosen_cells, run_headless
    from utter_calm.demo import demo_document
    from utter_calm.errors import FileError
    from utter_calm.job.job import Job
    from utter_calm.job.run.bench import simulated_bench
    from utter_calm.report.write import write_report

    folder = out or Path("demo-job")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise FileError(f"{folder} cannot be made: {problem.strerror}.", hint="Choose another with --out.") from problem
    path = fresh_path(folder)
    job = Job.create(path, demo_document())
    try:
        status = run_headless(job, chosen_cells(job, (), ()), simulated_bench(job.document.plans[0].rig), as_json=as_json)
        reports = [path.with_suffix(ending) for ending in (".html", ".pdf")]
        write_report(job, *reports)
        for report in reports:
            click.echo(f"report: {report}", err=True)
    finally:
        job.close()
    click.echo(f"job:    {path}", err=True)
    return status


def fresh_path(folder: Path) -> Path:
    """Give a name that is free: nothing that was measured is ever overwritten."""
    path, number = folder / "planetarium.calm", 1
    while path.exists():
        number += 1
        path = folder / f"planetarium-{number}.calm"
    return path


def _prepare(folder: Path | None) -> int:
    """Measure what is missing of the demo job that the window opens; nothing where all is there."""
    from rich.progress import BarColumn, Progress, TextColumn

    from utter_calm.cli.output import console
    from utter_calm.cli.window import demo_path
    from utter_calm.demo import demo_document
    from utter_calm.job.job import Job
    from utter_calm.job.run.bench import bench_for
    from utter_calm.job.run.prompt import Answer
    from utter_calm.job.run.run import RunHooks, RunProgress, run_cells
    from utter_calm.measure.aside import Aside

    path = demo_path(folder)
    job = Job.open(path) if path.exists() else Job.create(path, demo_document())
    try:
        missing = job.missing()
        if not missing or job.read_only:
            return 0
        said = console(err=True)
        said.print("measuring the demo job (once; a minute or two)", highlight=False)
        with Progress(BarColumn(), TextColumn("{task.percentage:>3.0f} %"), console=said, transient=True) as bar:
            task = bar.add_task("", total=1.0)

            def progress(at: RunProgress) -> None:
                bar.update(task, completed=at.share)

            hooks = RunHooks(ask=lambda _: Answer.LET_RIG, progress=progress)
            with Aside() as aside:
                run_cells(job, missing, bench_for(job.document, "u1"), hooks, aside=aside)
    finally:
        job.close()
    return 0

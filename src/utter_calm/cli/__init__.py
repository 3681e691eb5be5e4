"""The headless face: ``utter-calm`` opens the window, its sub-commands do everything without one.

Exit status: 0 done, 1 done and a claim was missed, 2 the input or the call is unusable.
"""

from __future__ import annotations

import sys
from typing import NoReturn

import click

from utter_calm import __version__
from utter_calm.cli.lazy import JOB, RECORDING, Entry, LazyGroup
from utter_calm.errors import UtterCalmError
from utter_calm.plain import one_line

_COMMANDS = {
    "demo": Entry("utter_calm.cli.demo", "demo", "The demo job; --headless does it all without a window."),
    "new": Entry("utter_calm.cli.new", "new", "Make a job with a unit and a plan to start from."),
    "run": Entry("utter_calm.cli.run", "run", "Measure a job on its rig.", JOB),
    "soak": Entry("utter_calm.cli.soak", "soak", "One step every few minutes for hours, with trend and alarm.", JOB),
    "devices": Entry("utter_calm.cli.devices", "devices", "Which sound devices and saved rigs there are."),
    "instruments": Entry("utter_calm.cli.instruments", "instruments", "Bench instruments: profiles, a try, stand-ins."),
    "calibrate": Entry("utter_calm.cli.calibrate", "calibrate", "Calibrate a rig."),
    "stimulus": Entry("utter_calm.cli.stimulus", "stimulus", "Files to play elsewhere, found again in a recording."),
    "away": Entry("utter_calm.cli.away", "away", "A step played elsewhere: its file, and its take from a recording."),
    "analyze": Entry("utter_calm.cli.analyze", "analyze", "Analyse recordings made elsewhere."),
    "driver": Entry("utter_calm.cli.driver", "driver", "Driver parameters out of impedance curves.", RECORDING),
    "box": Entry("utter_calm.cli.box", "box", "What a driver would do in a box.", RECORDING),
    "boxed": Entry("utter_calm.cli.driver", "boxed", "What the impedance in a box tells.", RECORDING),
    "splice": Entry("utter_calm.cli.splice", "splice_command", "Join a near-field response to a far one."),
    "directivity": Entry(
        "utter_calm.cli.directivity", "directivity_command", "Average responses round a loudspeaker, as a room does.", RECORDING),
    "part": Entry("utter_calm.cli.part", "part", "A resistor, inductor or capacitor against its mark.", RECORDING),
    "table": Entry("utter_calm.cli.table", "table", "A job's newest takes and its claims.", JOB),
    "compare": Entry("utter_calm.cli.compare", "compare", "Hold two takes against each other.", JOB),
    "report": Entry("utter_calm.cli.report", "report", "Write a job's report, .pdf or .html.", JOB),
    "export": Entry("utter_calm.cli.export", "export", "Write a take as a table, samples or a picture.", JOB),
    "open": Entry("utter_calm.cli.window", "open_job", "Open a job in the window."),
}  # fmt: skip


@click.group(
    cls=LazyGroup, entries=_COMMANDS, invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]}
)
@click.version_option(__version__, prog_name="utter-calm")
@click.pass_context
def cli(context: click.Context) -> None:
    """Audio measurement in which a number is never separated from how it was made.

    Without a command the window opens.
    """
    if context.invoked_subcommand is None:
        from utter_calm.cli.window import show

        context.exit(show(None))


def main(arguments: list[str] | None = None) -> NoReturn:
    """Run the command line and leave with its exit status; errors are one line on standard error."""
    sys.exit(run(arguments))


def run(arguments: list[str] | None = None) -> int:
    """Run the command line and give its exit status."""
    try:
        status = cli.main(args=arguments, prog_name="utter-calm", standalone_mode=False)
    except click.exceptions.Exit as leave:
        return leave.exit_code
    except click.ClickException as problem:
        _say(problem.format_message().replace("\n", " "))
        return 2
    except (click.Abort, KeyboardInterrupt):
        _say("stopped")
        return 2
    except UtterCalmError as problem:
        _say(str(problem))
        return 2
    except BrokenPipeError:
        # whoever was reading has gone: nothing more to say, and nobody to say it to
        sys.stderr.close()
        return 2
    return int(status or 0)


def _say(text: str) -> None:
    click.echo(f"utter-calm: {one_line(text)}", err=True)

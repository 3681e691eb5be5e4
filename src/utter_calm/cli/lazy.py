"""Groups of commands that load a command's module when it is called: help and a refusal must not wait for NumPy."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click

from utter_calm.errors import FileError, JobFileError

RECORDING, JOB = "file", "job file"


@dataclass(frozen=True, slots=True)
class Entry:
    """One command.

    Parameters
    ----------
    module, name
        Where it is.
    help
        As it stands in the list of commands.
    reads
        What its first argument must be, ``RECORDING`` or ``JOB``; empty where that need not be there.
    """

    module: str
    name: str
    help: str
    reads: str = ""


class LazyGroup(click.Group):
    """A group of commands of which only names and help are known until one is called."""

    def __init__(self, *args: Any, entries: Mapping[str, Entry], **more: Any) -> None:  # noqa: ANN401
        super().__init__(*args, **more)
        self.entries = entries

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002
        """Names, in their order."""
        return list(self.entries)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002
        """Load a command."""
        entry = self.entries.get(cmd_name)
        if entry is None:
            return None
        command: click.Command = getattr(importlib.import_module(entry.module), entry.name)
        # imported late, like all that only a command needs
        from utter_calm.memory import keep_freed_memory

        keep_freed_memory()
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        """Refuse a file that is not there before anything is loaded that could read it."""
        entry = self.entries.get(args[0])
        first = args[1] if len(args) > 1 else ""
        if entry is not None and entry.reads and first and not first.startswith("-") and not Path(first).exists():
            error = JobFileError if entry.reads == JOB else FileError
            raise error(f"There is no {entry.reads} {first}.", hint="Check the name.")
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002
        """List the commands without loading them."""
        rows = [(name, entry.help) for name, entry in self.entries.items()]
        with formatter.section("Commands"):
            formatter.write_dl(rows)

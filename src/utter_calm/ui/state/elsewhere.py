"""Steps that are played elsewhere: their files, and their takes out of recordings."""

from __future__ import annotations

import hashlib
from pathlib import Path

from utter_calm.errors import InputError
from utter_calm.formats.whole import write_whole
from utter_calm.job.away import away_text, take_from_recording, write_away
from utter_calm.job.document import Cell
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.ui.state.calibrating import Calibrating
from utter_calm.ui.state.worker import Computation


class Elsewhere(Calibrating):
    """A job whose steps can be played by something else."""

    def start(self, computation: Computation) -> None:
        """Start what computes."""
        raise NotImplementedError

    def _derived(self, take: TakeSummary) -> None:
        """Show a take that was made without a run."""
        raise NotImplementedError

    def write_away(self, path: Path) -> None:
        """Write the chosen cell's file, to be played elsewhere, and beside it a page that says what to do; errors as there."""
        cell = self.chosen_cell()
        seconds = write_away(self.job, cell, path)
        page = path.with_suffix(".txt")
        checksum = hashlib.sha256(path.read_bytes()).hexdigest()
        write_whole(page, away_text(self.job, cell, path.name, checksum, seconds).encode())
        self.told.emit(f"{path.name} ({seconds:.1f} s) is ready to be played elsewhere; {page.name} says how.")

    def take_away(self, path: Path) -> None:
        """Take the chosen cell from a recording, off the window's thread; errors come by ``warned``."""
        cell = self.chosen_cell()
        computation = Computation(lambda: take_from_recording(self.job, cell, path), self)
        computation.done.connect(self._derived)
        self.start(computation)

    def chosen_cell(self) -> Cell:
        """The cell of the unit that is chosen.

        Raises
        ------
        InputError
            None is.
        """
        cell = next((c for c in self.selected if c.role != FLOOR), None)
        if cell is None:
            raise InputError("No cell is chosen.", hint="Choose the step and the setup in the coverage first.")
        return cell

"""The field for a microphone's stored data sheet: its sensitivity goes into the field above, to be seen first."""

from __future__ import annotations

from pathlib import Path

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.formats.teds import read_data_sheet
from utter_calm.ui.look.fields import QuantityEdit, text_line
from utter_calm.ui.state.session import JobSession


class StoredSheet:
    """``line`` takes the name of a dump; what was read once is not read again."""

    def __init__(self, session: JobSession, sensitivity: QuantityEdit) -> None:
        self._session, self._sensitivity, self._read = session, sensitivity, ""
        self.line = text_line("", "Dump of the data sheet stored in it (IEEE 1451.4)")
        self.line.setPlaceholderText("says who made it, and its sensitivity")
        self.line.editingFinished.connect(self._left)

    def check(self) -> None:
        """Read it where nobody did yet.

        Raises
        ------
        InputError
            It just gave a sensitivity, which nobody has compared with anything.
        FileError
            It is none.
        """
        if self._look():
            raise InputError("The sensitivity above was just read from the data sheet.",
                             hint="Compare it with the paper one, then apply.")  # fmt: skip

    def _left(self) -> None:
        try:
            self._look()
        except UtterCalmError as problem:
            self._session.warned.emit(problem)

    def _look(self) -> bool:
        name = self.line.text().strip()
        if name == self._read or not name:
            return False
        stated = read_data_sheet(Path(name).expanduser())
        self._read = name
        self._session.told.emit(stated.words)
        if stated.sensitivity is not None:
            self._sensitivity.set_value(stated.sensitivity)
        return stated.sensitivity is not None

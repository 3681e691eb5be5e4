"""The pages of the places of work, each made when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QStackedWidget, QWidget

from utter_calm.ui.places.names import PLOT
from utter_calm.ui.places.registry import PLACES
from utter_calm.ui.state.session import JobSession


class Pages(dict[str, QWidget]):
    """Name of a place to its page, behind the first page of a stack; what nobody has looked at is not among the values.

    A job of amplifiers does not wait for the places of drivers.
    """

    def __init__(self, session: JobSession, stack: QStackedWidget, to_place: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._stack, self._to_place = session, stack, to_place
        for _ in PLACES:
            stack.addWidget(QWidget())

    def __missing__(self, name: str) -> QWidget:
        number, place = next((k, p) for k, p in enumerate(PLACES, start=1) if p.name == name)
        page, kept, current = place.make(self._session), self._stack.widget(number), self._stack.currentWidget()
        self._stack.insertWidget(number, page)
        if current is kept:
            self._stack.setCurrentWidget(page)
        if kept is not None:
            self._stack.removeWidget(kept)
            kept.deleteLater()
        for asks, wanted in (("shown", PLOT), ("compared", "compare")):
            if (signal := getattr(page, asks, None)) is not None:
                signal.connect(lambda wanted=wanted: self._to_place(wanted))
        self[name] = page
        return page

"""The bench's instruments: which, where they answer, whether they do."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QGridLayout, QPushButton, QWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.quantities import parse_quantity
from utter_calm.rig import Rig
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.bench.profile import known_profiles, load_profile
from utter_calm.rig.bench.scpi import ScpiInstrument
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import Computation

Apply = Callable[[str, Rig], None]
_EXAMPLE = "TCPIP::192.0.2.4::5025::SOCKET"


class InstrumentsForm(PopupForm):
    """Adds instruments, tries them on a thread of its own, takes them out."""

    def __init__(self, parent: QWidget, session: JobSession, apply: Apply) -> None:
        self._session, self._apply_rig = session, apply
        self.kind = QComboBox()
        self.kind.setAccessibleName("What it is")
        for name in known_profiles():
            try:
                self.kind.addItem(load_profile(name).title, name)
            except UtterCalmError as problem:
                self.kind.addItem(f"{name}: {problem.what}", None)
        self.address = text_line("", "Where it answers")
        self.address.setPlaceholderText(_EXAMPLE)
        self.address.setMinimumWidth(300)
        self.limit = text_line("", "Its output gives at most")
        self.limit.setPlaceholderText("of a supply, as in 2 A; it is switched on with it only")
        lines = [FormLine("kind", "What it is", self.kind), FormLine("address", "Where it answers", self.address),
                 FormLine("limit", "Its output gives at most", self.limit)]  # fmt: skip
        super().__init__(parent, "Instruments that set and read conditions (SCPI)", lines, self._add, stays=True)
        self.ok.setText("Add  ⏎")
        self._list = QWidget()
        self._rows = QGridLayout(self._list)
        self._rows.setContentsMargins(0, 6, 0, 0)
        self.add_beneath(self._list)
        self.said = plain_label()
        self.said.setWordWrap(True)
        self.said.setProperty("role", "soft")
        self.add_beneath(self.said)
        self.add_button("Try", lambda: self._try(self._typed()))
        done = self.add_button("Close  Esc", self.close)
        self._buttons.removeWidget(done)
        self._buttons.addWidget(done)
        self._show()

    @property
    def _known(self) -> tuple[BenchInstrument, ...]:
        return self._session.plan.rig.instruments

    def _typed(self) -> BenchInstrument:
        name = self.kind.currentData()
        if name is None:
            raise InputError("This profile cannot be read.", hint="Mend its file, or choose another.")
        known, typed = load_profile(str(name)).limit, self.limit.text().strip()
        if known is not None and not typed:
            raise InputError("What its output may give at most is not said.", hint=f"Type it, as in 2 {known.unit}.")
        limit = parse_quantity(typed, known.unit, what="limit") if known is not None else None
        return BenchInstrument(str(name), self.address.text().strip(), limit)

    def _add(self, _form: PopupForm) -> None:
        made = self._typed()
        if made in self._known:
            raise InputError("This instrument is there already.", hint="Choose another address.")
        self._use(f"add the {load_profile(made.profile).title}", (*self._known, made))
        self.address.clear()
        self._try(made)

    def _use(self, what: str, instruments: tuple[BenchInstrument, ...]) -> None:
        self._apply_rig(what, replace(self._session.plan.rig, instruments=instruments))
        self._show()

    def _show(self) -> None:
        while (item := self._rows.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()  # it is gone for the eye before it is gone
                widget.deleteLater()
        for row, instrument in enumerate(self._known):
            try:
                profile = load_profile(instrument.profile)
                words = ", ".join(q.factor for q in profile.quantities)
                title = f"{profile.title}: {words}"
            except UtterCalmError as problem:
                title = problem.what
            self._rows.addWidget(plain_label(f"{title}\n{instrument.address}"), row, 0)
            for column, (text, action) in enumerate((("Try", self._try), ("Take out", self._take_out)), start=1):
                button = QPushButton(text)
                button.clicked.connect(functools.partial(self._trying, action, instrument))
                self._rows.addWidget(button, row, column)
        if not self._known:
            self._rows.addWidget(plain_label("None yet: every condition is set by hand, or by the simulated rig."), 0, 0)
        self.fit()

    def _trying(self, action: Callable[[BenchInstrument], None], instrument: BenchInstrument, *_checked: bool) -> None:
        try:
            action(instrument)
        except UtterCalmError as problem:
            self.say(str(problem))

    def _take_out(self, instrument: BenchInstrument) -> None:
        self._use("take an instrument out", tuple(i for i in self._known if i != instrument))

    def _try(self, instrument: BenchInstrument) -> None:
        """Ask it who it is and what it reads; the answer comes by itself."""
        self.say("")
        self.said.setText(f"asking {instrument.address}…")
        asking = Computation(functools.partial(_asked, instrument), self._session)
        asking.done.connect(self._answered)
        self._session.start(asking)

    def _answered(self, words: object) -> None:
        self.said.setText(str(words))
        self.fit()


def _asked(instrument: BenchInstrument) -> str:
    made = None
    try:
        made = ScpiInstrument(instrument)
        return made.try_out()
    except UtterCalmError as problem:
        return str(problem)
    finally:
        if made is not None:
            made.close()

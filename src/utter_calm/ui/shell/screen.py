"""What the screen of an open job shows: kept up to date whenever something changes."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtGui import QResizeEvent

from utter_calm.job.bench import UNIT_FACTOR
from utter_calm.job.compare_readings import repeats_of
from utter_calm.job.document import FLOOR
from utter_calm.job.facts import Shown
from utter_calm.job.gain import gain_of
from utter_calm.job.grounds import grounds_of
from utter_calm.job.job import Job
from utter_calm.job.take import Take
from utter_calm.measure.kinds import declared
from utter_calm.present.chain import chain_view, level_of, level_view
from utter_calm.present.panel import panel_view, with_family
from utter_calm.present.words import take_title
from utter_calm.quantities import si_text
from utter_calm.ui.picture.painted import PaintedPlot
from utter_calm.ui.places.page import Page
from utter_calm.ui.places.registry import PLACES
from utter_calm.ui.places.table_place import TablePlace
from utter_calm.ui.shell.faults import show_fault
from utter_calm.ui.shell.panes import NAMES, Panes
from utter_calm.ui.state.worker import foreseen

_SHORTEST_MS, _MS_PER_LETTER = 6_000, 80


class Screen(Panes):
    """The panes, showing what the job and the session say."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self._message_over = QTimer(self)
        self._message_over.setSingleShot(True)
        self._message_over.timeout.connect(self.message.hide)

    def show_place(self, name: str) -> None:
        """Go to a place of work."""
        number = NAMES.index(name)
        self.place_buttons.button(number).setChecked(True)
        if not self.live.running:
            self.middle.setCurrentWidget(self.plot if number == 0 else self.pages[name])
            if name == "compare":
                self.compare.show_takes([self._full(t) for t in self.session.shown_takes()])
            wide = {place.name for place in PLACES if place.wide}
            self._readings_wanted = name not in wide  # tables need the width, and say the values themselves
            self.readings.setVisible(self._readings_wanted and "readings" not in self._folded)
            self._give_room()

    def tell(self, text: str) -> None:
        """Say something in the window; it goes after a while, or with Esc."""
        self._say(text, "calm")
        self._message_over.start(max(_SHORTEST_MS, _MS_PER_LETTER * len(text)))

    def caution(self, text: str) -> None:
        """Say that something is wrong; it stays until Esc, or until something else is said."""
        self._message_over.stop()
        self._say(text, "warning")

    def _say(self, text: str, role: str) -> None:
        self.message.setText(text)
        self.message.setProperty("role", role)
        self.message.style().polish(self.message)
        self.message.setVisible(bool(text))
        self._fit_message()

    def _fit_message(self) -> None:
        """Keep the whole message to be seen: a label with wrapped words lets itself be squeezed."""
        self.message.setMinimumHeight(0)
        self.message.setMinimumHeight(max(0, self.message.heightForWidth(max(200, self.middle.width() - 20))))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fit the message to the new width."""
        super().resizeEvent(event)
        self._fit_message()

    def warn(self, problem: Exception) -> None:
        """Say what went wrong; what nobody foresaw is shown with a way to copy its details."""
        if foreseen(problem):
            self.caution(str(problem))
        else:
            show_fault(self, problem)

    def renew_all(self) -> None:
        """Look at everything again."""
        self.coverage.show_plans([u.title for u in self.session.document.units], self.session.unit_index)
        self.coverage.renew()
        self._give_room()
        self._renew_tables()
        self._renew_chosen()
        self._renew_running()

    def _renew_tables(self) -> None:
        for page in self.pages.values():
            if isinstance(page, TablePlace):
                page.renew()

    def _renew_pages(self) -> None:
        """Look again at the place that is seen; a place that this plan has no use for has no button."""
        plan = self.session.plan
        for number, place in enumerate(PLACES, start=1):
            wanted = place.wanted(plan)
            self.place_buttons.button(number).setVisible(wanted)
            if not wanted and self.place_buttons.checkedId() == number:
                self.show_place(NAMES[0])
        for page in self.pages.values():
            if isinstance(page, Page):
                page.refresh()

    def _takes_changed(self) -> None:
        # the picture is what was waited for, and the readings: they are seen before all the rest is looked at again
        self.plots.renew()
        self._renew_pages()
        for canvas in self.middle.findChildren(PaintedPlot):
            canvas.repaint()
        self._renew_readings()
        self.readings.repaint()
        self.coverage.renew()
        self._renew_tables()
        self._renew_about()

    def _renew_beside(self) -> None:
        """Look again at what stands about the picture."""
        self._renew_readings()
        self._renew_about()

    def _renew_about(self) -> None:
        self._renew_chain()
        self._renew_running()
        if NAMES[max(0, self.place_buttons.checkedId())] == "compare":
            self.compare.show_takes([self._full(t) for t in self.session.shown_takes()])

    def _renew_chosen(self) -> None:
        self.plots.renew()
        self._renew_pages()
        self._renew_beside()

    def _renew_readings(self) -> None:
        takes = self.session.shown_takes()
        if not takes:
            self.readings.show_empty("Nothing measured here yet.")
            return
        take = takes[-1]
        newest = take.role != FLOOR and self.session.job.current(take.cell) == take
        verdicts = self.session.job.verdicts(take.cell) if newest else ()
        title = f"{len(takes)} takes side by side; trust is of {take_title(take)}" if len(takes) > 1 else take_title(take)
        guest = self.session.guests.get(take.id)
        trial = self.session.trial
        light = self.session.shown(guest or Take(take, self.session.job.with_floor(take)))
        if trial.take is take and trial.result is not None:
            light = Shown(trial.result, light.facts, light.origin)
            title = f"tried on {title}"
        note = None if self.session.job.read_only or guest else take.note
        repeats = () if guest else repeats_of(take, self.session.job.takes)
        alike = [t for t in takes[:-1] if t.kind == take.kind]
        family = [self.session.shown(Take(t, self.session.job.with_floor(t))) for t in alike]
        grounds = None if guest else grounds_of(self.session.job, take)
        self.readings.show_view(with_family(panel_view(light, verdicts, repeats, grounds), [*family, light]), title, note)

    def _renew_chain(self) -> None:
        s = self.session
        takes = s.shown_takes()
        shown = takes[-1] if takes else None
        simulated = s.bench.device.info.simulated
        self.chain.show_view(
            chain_view(
                s.plan,
                s.unit,
                s.step,
                s.standing_load,
                shown,
                simulated=simulated,
                standing_unit=s.bench.value(UNIT_FACTOR),
                next_load=s.next_load,
                gain=gain_of(s.job, s.unit),
                bench=s.bench.state(),
                setup=s.next_setup,
            )
        )
        self._renew_level()
        if shown is not None and not self.live.running:
            headrooms = [r.value for r in shown.readings if declared(r.name, shown.kind).means == "input headroom"]
            self.chain.links["input"].set_meter(tuple(1 / h for h in headrooms if h > 0))

    def _renew_level(self) -> None:
        s = self.session
        running = self.live.level_v if self.live.running else None
        level = running if running is not None else self._step_level()
        rig = s.plan.rig
        load = s.standing_load if self.live.running else s.next_load
        view = level_view(s.job, s.unit, s.step, load, running, s.next_setup)
        self.transport.show_level(view, level, rig.highest_v)
        if self.live.running and level is not None:
            tone = "no signal" if self.desk.hum is not None else str(si_text(self.live.frequency_hz, "Hz", digits=3))
            self.chain.links["signal"].show_live(tone, f"{si_text(level, 'V', digits=3)}, running" if level else "listening")

    def _step_level(self) -> float | None:
        return level_of(self.session.plan, self.session.step, self.session.next_setup)

    def _renew_running(self) -> None:
        running, live = self.session.running, self.live.running
        can_take = bool(self.session.selected) and not self.session.job.read_only
        self.transport.show_running(running=running, live=live, can_take=can_take)
        if not running:
            self.transport.say(self._next_hint())

    def _next_hint(self) -> str:
        if self.session.job.read_only:
            return "open for reading only"
        pending = len(self.session.job.pending())
        if pending:
            return f"{pending} of the last run left: Shift+M"
        view = self.coverage.model.view
        if not view.total:
            return "next: add a step"
        missing = view.missing()
        if missing:
            alone = sum(cell.role == FLOOR for cell in missing)
            return f"M measures {len(missing)}{f', {alone} of the rig alone' if alone else ' that are missing'}"
        elsewhere = len(self.session.job.missing())
        return f"Ctrl+M measures {elsewhere} of other units" if elsewhere else "all measured"

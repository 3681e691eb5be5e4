"""An open job on the screen: what can be done with it, and what happens then."""

from __future__ import annotations

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.document import Cell, Claim
from utter_calm.job.gain import gain_of
from utter_calm.job.job import Job
from utter_calm.job.run.prompt import Prompt
from utter_calm.job.run.run import RunProgress
from utter_calm.measure.level_effect import Effect
from utter_calm.present.chain import level_ruled_by, level_view
from utter_calm.present.panel import PanelView
from utter_calm.present.picture.search import search_view
from utter_calm.quantities import plain_text, si_text
from utter_calm.ui.chain.bench_form import bench_form
from utter_calm.ui.chain.condition_editor import add_condition_editor, open_condition
from utter_calm.ui.chain.editors import open_editor
from utter_calm.ui.chain.microphone_editor import calibrator_form
from utter_calm.ui.chain.rig_editors import calibration_form
from utter_calm.ui.chain.step_editor import add_step_editor
from utter_calm.ui.live.forms import effect_form, event_form
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.places.takes import recompute_form
from utter_calm.ui.shell.calculator import Calculator
from utter_calm.ui.shell.panes import NAMES
from utter_calm.ui.shell.screen import Screen


class Workspace(Screen):
    """Everything that is seen of one job."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self.show_place("plot")
        self._connect()
        self.renew_all()
        self._choose_first()

    def _connect(self) -> None:
        s = self.session
        s.document_changed.connect(self.renew_all)
        s.takes_changed.connect(self._takes_changed)
        s.selection_changed.connect(self._renew_chosen)
        s.bench_changed.connect(self._renew_chain)
        s.run_started.connect(self._renew_running)
        s.run_ended.connect(self.renew_all)
        s.progressed.connect(self._progressed)
        s.shared.connect(lambda share, text: self.transport.show_progress(share, f"calibrating: {text}"))
        s.asked.connect(self._asked)
        s.answered.connect(self.prompt.hide)
        s.tried.connect(self._tried)
        s.told.connect(self.tell)
        s.cautioned.connect(self.caution)
        s.warned.connect(self.warn)
        s.place_wanted.connect(self.show_place)
        s.trial.shown.connect(lambda _shown: self._renew_readings())
        self.prompt.answered.connect(s.answer)
        self.coverage.chosen.connect(s.select)
        self.coverage.plan_chosen.connect(self._choose_unit)
        self.coverage.add_step.connect(lambda: add_step_editor(s, self).open_under(self.coverage.step_button))
        links, across = self.chain.links, self.coverage.across
        self.coverage.edit_condition.connect(lambda n: self._edit_link(n) if n in links else open_condition(s, across, n))
        self.coverage.add_condition.connect(lambda: add_condition_editor(s, self).open_under(self.coverage.condition_button))
        self.chain.pressed.connect(self._edit_link)
        self.plot.spec_chosen.connect(self.plots.choose_spec)
        self.plot.over_next.connect(self.plots.next_over)
        self.plots.wanted.connect(lambda: self.show_place("plot"))
        self.plots.told.connect(self.tell)
        self.place_buttons.idClicked.connect(lambda number: self.show_place(NAMES[number]))
        self.claims.pressed.connect(self._show_claim)
        self.readings.note_edited.connect(self._note)
        self.transport.mute.connect(self.mute)
        self.transport.live.connect(self.toggle_live)
        self.transport.take.connect(self.take_chosen)
        self.transport.level_changed.connect(self._level_moves)
        self.transport.level_settled.connect(self._level_settled)
        self.desk.told.connect(self.tell)
        self.desk.started.connect(self._live_started)
        self.desk.stopped.connect(self._live_stopped)
        self.desk.metered.connect(self.chain.links["input"].set_meter)
        self.desk.panel.connect(self._live_readings)

    # --- what can be done -----------------------------------------------------------------------------------------

    def take_chosen(self) -> None:
        """Measure the chosen cells."""
        if not self.live.running:
            self.session.run(list(self.session.selected))

    def take_row(self) -> None:
        """Measure the chosen step under every setup, as a family; then show it as one."""
        step = self.session.step
        if step is None or self.live.running:
            return
        planned = [Cell(self.session.unit.id, step.id, setup) for setup in self.session.plan.setups_of(step)]
        self.session.run(planned)
        self.coverage.choose_cells(planned)

    def take_missing(self, *, everywhere: bool = False, auto: bool | None = None) -> None:
        """Measure everything of the unit, or of every unit, that has no take yet, the rig alone among it."""
        missing = self.session.job.missing(None if everywhere else self.session.unit.id)
        if missing and not self.live.running:
            self.session.run(missing, auto=auto)
        elif not missing:
            self.tell("Nothing is missing: every cell has a take.")

    def take_floor(self) -> None:
        """Measure the rig alone for every step."""
        if not self.live.running:
            self.session.run([Cell.floor(s.id) for s in self.session.plan.steps if self.session.plan.has_floor(s)])

    def mute(self) -> None:
        """Silence: stop the live tone and the run."""
        self.live.mute()
        self.session.cancel()
        self.message.hide()

    def toggle_live(self) -> None:
        """Start or stop the live tone."""
        self.desk.toggle()

    def toggle_hum(self) -> None:
        """Start or stop listening for hum."""
        self.desk.toggle(hum=True)

    def note_event(self) -> None:
        """Mark the moment while the live view runs, and ask what was done."""
        if self.live.running:
            if self.desk.hum is not None:
                self.desk.mark()  # the moment counts; the words may come later
            event_form(self.desk, self).open_under(self.live_pane.title)

    def keep_live(self) -> None:
        """Keep what the live view hears as a take."""
        self.desk.keep()

    def level_by_effect(self) -> None:
        """Ask for an effect, and search for the level that gives it."""
        if not self.live.running and not self.session.running:
            effect_form(self.session, self).open_under(self.plot.title)

    def repeat_chosen(self) -> None:
        """Measure the chosen cells five times each, for the repeatability."""
        if not self.live.running:
            self.session.run([cell for cell in self.session.selected for _ in range(5)])

    def resume(self) -> None:
        """Go on with what an interrupted run had still to do."""
        pending = list(self.session.job.pending())
        if pending and not self.live.running:
            self.session.run(pending)
        elif not pending:
            self.tell("Nothing is left of the last run.")

    def show_bench(self) -> None:
        """Show all that stands at the bench, under the unit's link."""
        if not self.session.running:
            bench_form(self.session, self.chain.links["unit"]).open_under(self.chain.links["unit"])

    def calibrate(self) -> None:
        """Calibrate what the rig listens by: ask for the known resistor, or for what the calibrator gives."""
        if not self.live.running and not self.session.running:
            form = calibrator_form if self.session.plan.rig.hears_sound else calibration_form
            form(self.session, self.chain.links["pickup"]).open_under(self.chain.links["pickup"])

    def show_calculator(self) -> None:
        """Open the little calculator with the chosen level and load."""
        level = self._step_level() or 1.0
        load = plain_text(self.session.standing_load or "")
        gain = gain_of(self.session.job, self.session.unit)
        Calculator(self, level * (gain.ratio if gain else 1.0), load).show()

    def next_unit(self, step: int) -> None:
        """Look at another unit of the job."""
        self._choose_unit((self.session.unit_index + step) % len(self.session.document.units))

    def compute_again(self) -> None:
        """Ask for other analysis settings for the take that is shown."""
        takes = self.session.shown_takes()
        if takes and takes[-1].id > 0:
            recompute_form(self.session, self, takes[-1]).open_under(self.plot.title)
        else:
            self.tell("There is no take on the plot. Choose one first.")

    def change_level(self, decibels: float) -> None:
        """Change the level by so many dB, live or of the chosen step."""
        now = self.live.level_v if self.live.running else self._step_level()
        if now is not None:
            self._level_settled(now * 10 ** (decibels / 20))

    def apply_palette(self) -> None:
        """Change the theme."""
        self.plot.apply_palette()
        for canvas in (self.live_pane.spectrum, self.live_pane.wave, self.live_pane.history):
            canvas.apply_palette(current_palette())
        self._renew_chosen()

    def stop(self) -> None:
        """Silence, and tell everything that runs to stop; returns at once."""
        self.desk.stop()
        self.session.cancel()

    def shut(self, wait_ms: int) -> None:
        """Stop everything and let the file go, waiting so long."""
        self.desk.stop()
        self.session.undo.blockSignals(True)  # its last words would reach a window that is gone
        self.session.close(wait_ms=wait_ms)

    def _choose_first(self) -> None:
        cells = self.coverage.model.view.cells
        if cells:
            asked = [k for k, cell in enumerate(cells[0]) if k and (cell.planned or cell.take_id is not None)]
            self.coverage.choose(0, asked[:1] or [0])

    def _choose_unit(self, index: int) -> None:
        self.session.choose_unit(index)
        self._choose_first()

    # --- what happens ---------------------------------------------------------------------------------------------

    def _edit_link(self, key: str) -> None:
        open_editor(self.session, key, self.chain.links[key])

    def _note(self, text: str) -> None:
        takes = self.session.shown_takes()
        if takes and takes[-1].note != text:
            try:
                self.session.job.write_note(takes[-1], text)
            except UtterCalmError as problem:
                self.caution(str(problem))
            self.takes.renew()

    def _show_claim(self, claim: Claim, cell: Cell) -> None:
        """Go to the cell behind a line of the claims."""
        if claim.mask:
            kind = self.session.plan.step(claim.step).measure
            shows = (p.key for p in kind.plots if claim.name in p.traces)
            self.plots.spec_by_kind[kind.key] = next(shows, kind.plots[0].key)
        self.show_place("plot")
        self.coverage.choose_cells([cell])

    def _asked(self, prompt: Prompt) -> None:
        self.prompt.show_prompt(prompt)
        if self.session.running:
            self.transport.say("waiting for a hand")

    def _tried(self, effect: Effect, tries: list[tuple[float, float]]) -> None:
        """Show how a search for a level goes."""
        if len(tries) > 1:
            self.plot.show_view(search_view(effect, tries))
        self.transport.say(f"try {len(tries)}: {si_text(tries[-1][0], 'V', digits=4)} out")

    def _progressed(self, at: RunProgress) -> None:
        titles = {s.id: s.title for s in self.session.document.steps}  # the plan may have changed since the run began
        title = titles.get(at.cell.step, at.cell.step)
        self.transport.show_progress(at.share, f"{at.number} of {at.total}: {title}, {at.text}")

    def _level_moves(self, level_v: float) -> None:
        """The slider moves: a live tone follows, else only the words do."""
        if self.live.running:
            self._set_live_level(level_v)
        else:
            s = self.session
            view = level_view(s.job, s.unit, s.step, s.next_load, level_v)
            self.transport.level.setText(view.main)
            self.transport.beside.setText(view.beside)

    def _level_settled(self, level_v: float) -> None:
        step = self.session.step
        try:
            self.session.plan.rig.check_level(level_v)
            if self.live.running:
                self._set_live_level(level_v)
            elif ruled := level_ruled_by(self.session.plan, step, self.session.next_setup):
                raise InputError(f"The level is {ruled}: change it there.", hint="Or give the step a level of its own (E).")
            elif step is not None and "level_v" in step.settings:
                settings = type(step.typed_settings())(**{**step.settings, "level_v": float(f"{level_v:.4g}")})
                self.session.edit_step(step, settings)
        except UtterCalmError as problem:
            self.caution(str(problem))
            self._renew_level()

    def _set_live_level(self, level_v: float) -> None:
        try:
            self.live.set_level(level_v)
        except UtterCalmError as problem:
            self.caution(str(problem))
        self._renew_level()

    def _live_started(self) -> None:
        self.middle.setCurrentWidget(self.live_pane)
        self.readings.setVisible("readings" not in self._folded)
        self.readings.show_empty("listening …")
        self._renew_running()
        self._renew_level()

    def _live_readings(self, view: PanelView | None) -> None:
        if view is None:
            self.readings.show_empty("No line of the mains stands out.")
        else:
            self.readings.show_view(view, "lines of the mains" if self.desk.hum is not None else "live", None)

    def _live_stopped(self) -> None:
        self.show_place(NAMES[self.place_buttons.checkedId()])
        self._renew_chosen()
        self._renew_running()
        self._renew_level()

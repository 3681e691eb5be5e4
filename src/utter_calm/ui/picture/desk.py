"""Which picture of the shown takes is drawn, over what, with which channels; and what can be read off it or taken away."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import AxisRange, Step
from utter_calm.job.facts import Shown
from utter_calm.job.take import FLOOR, Take, TakeSummary
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.pictures import Over, PlotSpec
from utter_calm.present.picture.across import laid_over
from utter_calm.present.picture.compose import has_variants, plot_view
from utter_calm.present.picture.over import usable_overs
from utter_calm.present.picture.ranged import has_ranges, range_for
from utter_calm.present.picture.smoothing import CHOICES, can_be_smoothed
from utter_calm.present.picture.view import empty_plot
from utter_calm.quantities import si_text
from utter_calm.ui.picture.finder import finder_form
from utter_calm.ui.picture.pane import PlotPane
from utter_calm.ui.picture.range_form import range_form
from utter_calm.ui.state.edits import with_step
from utter_calm.ui.state.session import JobSession

_NOT_YET = "Nothing was measured here yet. Press Space to take it, or M to measure all that is missing."
_NOT_PLANNED = "Not planned for this. Press Space to take it all the same."


class PlotDesk(QObject):
    """Composes the picture and hands it to the pane.

    ``wanted`` asks for the pane to be shown; ``told`` carries words for the message line.
    """

    wanted = Signal()
    told = Signal(str)

    def __init__(self, session: JobSession, pane: PlotPane, full: Callable[[TakeSummary], Take]) -> None:
        super().__init__(session)
        self._session, self.pane, self._full = session, pane, full
        self.spec_by_kind: dict[str, str] = {}
        self._over: dict[str, str] = {}
        self._channels: frozenset[int] | None = None
        self._smoothing = 0
        self._tried: Shown | None = None
        session.trial.shown.connect(self._show_tried)
        pane.canvas.edge_dragged.connect(self._drag)
        pane.canvas.edge_released.connect(self._drag)
        pane.keep.clicked.connect(session.keep_trial)

    def _drag(self, name: str, place: float) -> None:
        """An edge of the band is held somewhere else: ask what the take would say then."""
        takes = self._session.shown_takes()
        view = self.pane.canvas.view
        if not takes or takes[-1].id in self._session.guests or view is None:
            return
        try:
            self._session.trial.try_settings(takes[-1], **{name: float(f"{place * view.x.factor:.4g}")})
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))

    def _show_tried(self, tried: Shown | None) -> None:
        self._tried = tried
        words = ""
        if tried is not None:
            fields = {f.name: f for f in setting_fields(kind_of(tried.facts.kind).settings_type)}
            was = self._session.trial.take.settings if self._session.trial.take else {}
            now = tried.facts.settings or {}
            moved = [f"{fields[n].label.lower()} {si_text(float(v), fields[n].unit, digits=4)}" for n, v in now.items()
                     if v != was.get(n) and not isinstance(v, str)]  # fmt: skip
            words = f"Tried, not stored: {', '.join(moved) or 'as it was'}."
        self.pane.show_trial(words)
        self.renew()

    def toggle_difference(self) -> None:
        """Show several takes as differences to the first, or as they are."""
        self._session.difference = not self._session.difference
        self.renew()

    def choose_spec(self, key: str) -> None:
        """Show another picture of the same takes."""
        step = self._session.step
        takes = self._session.shown_takes()
        kind = takes[-1].kind if takes else step.kind if step else None
        if kind is not None:
            self.spec_by_kind[kind] = key
            self.wanted.emit()
            self.renew()

    def choose_spec_number(self, number: int) -> None:
        """Show the n-th picture of the step, counted from 0."""
        step = self._session.step
        if step is not None and number < len(step.measure.plots):
            self.choose_spec(step.measure.plots[number].key)

    def next_over(self) -> None:
        """Draw the same curves over the next thing that they can be drawn over."""
        usable = self._scales()
        if len(usable) > 1:
            keys = [s.key for s in usable]
            key = self._over.get(self._kind_shown(), keys[0])
            at = keys.index(key) if key in keys else 0
            self._over[self._kind_shown()] = keys[(at + 1) % len(keys)]
            self.renew()

    def _kind_shown(self) -> str:
        takes = self._session.shown_takes()
        return takes[-1].kind if takes else ""

    def _scales(self) -> list[Over]:
        """What the picture on the screen can be drawn over."""
        spec = self._spec_shown()
        if spec is None:
            return []
        shown = [self._session.shown(self._full(t)) for t in self._session.shown_takes() if t.kind == self._kind_shown()]
        return usable_overs(spec, shown)

    def _spec_shown(self) -> PlotSpec | None:
        """The picture on the screen; None where nothing is measured."""
        kind = self._kind_shown()
        if not kind:
            return None
        plots = kind_of(kind).plots
        return next((p for p in plots if p.key == self.spec_by_kind.get(kind, plots[0].key)), plots[0])

    def next_smoothing(self) -> None:
        """Smooth curves over frequency over the next part of an octave, or not at all."""
        spec = self._spec_shown()
        if spec is None or not can_be_smoothed(spec):
            self.told.emit("This picture holds no curves over frequency to be smoothed.")
            return
        self._smoothing = CHOICES[(CHOICES.index(self._smoothing) + 1) % len(CHOICES)]
        self.told.emit("")
        self.renew()

    def copy_numbers(self) -> None:
        """Put the shown curves on the clipboard as a table."""
        QGuiApplication.clipboard().setText(self.pane.numbers())
        self.told.emit("Copied: the shown curves, as a table.")

    def copy_picture(self) -> None:
        """Put the picture on the clipboard."""
        QGuiApplication.clipboard().setPixmap(self.pane.grab())
        self.told.emit("Copied: the picture.")

    def find_place(self) -> None:
        """Ask for an x to go to, or for a height to look for on the curve in focus."""
        finder_form(self.pane).open_under(self.pane.title)

    def type_range(self) -> None:
        """Ask for the ranges of the axes; they are kept with the step."""
        spec, step, view = self._spec_shown(), self._step_shown(), self.pane.canvas.view
        if spec is None or step is None or view is None or not has_ranges(view) or self._session.difference:
            self.told.emit("Ranges are typed for a picture of curves: choose a cell that was measured.")
            return
        wanted = range_for(step.ranges, spec.key, self._over.get(step.kind, ""))

        def keep(new: AxisRange) -> None:
            self._session.edit_plan(f"axes of {step.title}", with_step(self._session.plan, step.with_range(new)))

        range_form(self.pane, view, wanted, keep).open_under(self.pane.title)

    def _step_shown(self) -> Step | None:
        """The step of the take in focus, where the job has it still."""
        takes = self._session.shown_takes()
        known = {s.id: s for s in self._session.plan.steps}
        return known.get(takes[-1].step) if takes else None

    def find_peak(self) -> None:
        """Go to the highest peak, then to the next."""
        if not self.pane.find_peak():
            self.told.emit("There is no peak in view.")

    def next_channels(self) -> None:
        """Show channel 1, then 2, then all."""
        order: list[frozenset[int] | None] = [None, frozenset({1}), frozenset({2})]
        self._channels = order[(order.index(self._channels) + 1) % len(order)]
        self.renew()

    def main_trace(self) -> str | None:
        """Name of the trace that the picture on the screen is mainly about."""
        spec = self._spec_shown()
        return None if spec is None or not spec.traces else spec.traces[0]

    def renew(self) -> None:
        """Draw the shown takes again."""
        step = self._session.step
        if step is None:
            self.pane.set_specs((), "")
            self.pane.show_view(empty_plot("Nothing planned", "Add a step with “+ step” under the coverage."))
            return
        summaries = self._session.shown_takes()
        try:
            takes = [self._full(t) for t in summaries]
            kind = takes[-1].summary.kind if takes else step.kind
            specs = kind_of(kind).plots
            chosen = self.spec_by_kind.get(kind, specs[0].key)
            self.pane.set_specs(specs, chosen)
            if not takes:
                self.pane.show_over("")
                self.pane.show_view(empty_plot(step.title, _NOT_YET if self._is_planned(step) else _NOT_PLANNED))
                return
            last = takes[-1].summary
            tried = self._tried if self._tried is not None and self._session.trial.take is last else None
            shown = self._laid_over(takes, tried)
            under = None if last.id in self._session.guests else self._session.job.floor_of(last)
            floor = self._session.shown(under) if under is not None and all(t.summary.role != FLOOR for t in takes) else None
            document = self._session.document
            claims = [c for t in takes for c in document.claims_for(t.summary.step, t.summary.setup)]
            reference = 0 if self._session.difference and len(shown) > 1 else None
            view = plot_view(
                shown,
                chosen,
                floor=floor,
                claims=list({c.id: c for c in claims}.values()),
                reference=reference,
                channels=self._channels_for(kind, chosen, shown),
                over=self._over.get(kind, ""),
                smoothing=self._smoothing,
                ranges=() if (own := self._step_shown()) is None else own.ranges,
            )
            self.pane.show_over(f"over {view.x.label}" if len(self._scales()) > 1 else "")
            self.pane.show_view(view, keep_range=tried is not None)
        except (UtterCalmError, ValueError) as problem:
            self.pane.show_view(empty_plot(step.title, str(problem)))

    def _is_planned(self, step: Step) -> bool:
        """Whether any of what is chosen is among what the plan asks for."""
        plan = self._session.plan
        return any(c.role == FLOOR or c.setup in plan.setups_of(step) for c in self._session.selected) or not self._session.selected

    def _laid_over(self, takes: list[Take], tried: Shown | None) -> list[Shown]:
        """The shown takes as they stand in one picture; what has no curve for it is said."""
        spec = self._spec_shown()
        shown = [self._session.shown(t) for t in takes[:-1]] + [tried or self._session.shown(takes[-1])]
        if spec is None:
            return shown
        titles = {s.id: s.title for plan in self._session.document.plans for s in plan.steps}
        names = [titles.get(t.summary.step, kind_of(t.summary.kind).title) for t in takes]
        out = laid_over(list(zip(shown, names, strict=True)), spec)
        if len(out) < len(shown):
            self.told.emit(f"{len(shown) - len(out)} of {len(shown)} takes have no curve of this kind over the same axis.")
        return out

    def _channels_for(self, kind: str, spec_key: str, takes: list[Shown]) -> frozenset[int] | None:
        """Channels to show: where one picture holds many orders, or spectra of several signals, one at a time, unless asked."""
        alone = len(self._session.shown_takes()) == 1
        spec = next((p for p in kind_of(kind).plots if p.key == spec_key), None)
        many = spec is not None and len(spec.traces) > 2 and (spec.dense or alone)
        many = many or (spec is not None and spec.dense and any(has_variants(t, spec.traces[0]) for t in takes))
        return frozenset({1}) if many and self._channels is None else self._channels

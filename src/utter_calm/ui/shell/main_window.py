"""The window: menus and keys, and either the start page or an open job."""

from __future__ import annotations

import functools
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QSettings, QSize, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence, QShowEvent
from PySide6.QtWidgets import QFileDialog, QWidget

from utter_calm.job.recent import recent_jobs
from utter_calm.ui.look.theme import set_theme
from utter_calm.ui.shell.about import AboutDialog
from utter_calm.ui.shell.actions import MENUS, Act
from utter_calm.ui.shell.exports import export_shown
from utter_calm.ui.shell.faults import FaultCatcher, show_fault
from utter_calm.ui.shell.job_files import FILTER, JobFiles

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    pass

_LOOK_MS, _AT_ONCE_MS = 50, 200
_FRAMED_MS = 300
"""By then a window manager has put its frame around the window."""


class MainWindow(JobFiles):
    """Menus, keys, files."""

    def __init__(self, demo_folder: Path) -> None:
        super().__init__(demo_folder)
        self._leaving, self._leave = False, QTimer(self)
        self._leave.timeout.connect(self._left)
        room = self.screen().availableGeometry()
        self.resize(min(1280, room.width()), min(800, room.height()))
        # on a small or much enlarged screen the window is as small as that
        self.setMinimumSize(min(1000, room.width()), min(640, room.height()))
        self._job_actions: list[QAction] = []
        self._build_menus()
        self.faults = FaultCatcher(self)
        self.faults.caught.connect(self.show_fault)
        self.start_page.new_job.connect(self.new_job)
        self.start_page.open_job.connect(self.choose_job)
        self.start_page.open_demo.connect(self.open_demo)
        self.start_page.open_path.connect(self.open_path)
        self.renew()

    def showEvent(self, event: QShowEvent) -> None:
        """Come to be seen; what frames it must fit on the screen as well, or the transport stands below its edge."""
        super().showEvent(event)
        QTimer.singleShot(_FRAMED_MS, self, self._fit_with_frame)

    def _fit_with_frame(self) -> None:
        room, framed = self.screen().availableGeometry(), self.frameGeometry()
        over = QSize(max(0, framed.width() - room.width()), max(0, framed.height() - room.height()))
        on_purpose = room.size().expandedTo(self.size()) != room.size() or self.isMaximized() or self.isFullScreen()
        if not over.isNull() and not on_purpose:
            self.resize(self.size() - over)

    def hush(self) -> None:
        """Mute where sound is on; Esc does it wherever the keys are."""
        space = self.workspace
        if space is not None and (space.live.running or space.session.running or space.session.counting):
            space.mute()

    def lowest_row(self) -> QWidget | None:
        """What no form may cover: a form that is open is fitted in again when it moves."""
        return None if self.workspace is None else self.workspace.transport

    def lowest_for_forms(self) -> int:
        """The lowest place on the screen that a form may cover: Mute and the transport stay in reach."""
        space = self.workspace
        return self.geometry().bottom() if space is None else space.transport.mapToGlobal(QPoint(0, 0)).y()

    # --- menus ----------------------------------------------------------------------------------------------------

    def _build_menus(self) -> None:
        for title, acts in MENUS:
            menu = self.menuBar().addMenu(title)
            for act in acts:
                if act.gap:
                    menu.addSeparator()
                if act.name == "recent":
                    self._recent_menu = menu.addMenu(act.text)
                    self._recent_menu.aboutToShow.connect(self._fill_recent)
                else:
                    menu.addAction(self._action(act))

    def _action(self, act: Act) -> QAction:
        action = QAction(act.text, self)
        action.setShortcut(QKeySequence(act.key))  # of the whole window, as Qt has it
        if act.toggle is not None:
            action.setCheckable(True)
            action.setChecked(act.toggle)
            action.toggled.connect(lambda on: self.with_job(lambda w: act.switch(w, on) if act.switch else None))
        else:
            action.triggered.connect(lambda *_: self._do(act))
        self.actions_by_name[act.name] = action
        if act.job is not None:
            self._job_actions.append(action)
        return action

    def _do(self, act: Act) -> None:
        if act.window is not None:
            act.window(self)
        elif act.job is not None:
            self.with_job(act.job)

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        paths = recent_jobs()
        for path in paths:
            self._recent_menu.addAction(str(path), functools.partial(self.open_path, path))
        if not paths:
            self._recent_menu.addAction("none yet").setEnabled(False)

    # --- what leaves, and what is laid beside ------------------------------------------------------------------------

    def choose_report(self, *, appendix: bool = False) -> None:
        """Ask for a name and write the report, off the window's thread."""
        name, _ = QFileDialog.getSaveFileName(self, "Write the report", self.near(".pdf"), "PDF (*.pdf);;HTML (*.html)")
        if name:
            self.write_report(Path(name), appendix=appendix)

    def write_report(self, path: Path, *, appendix: bool = False) -> None:
        """Write the report in the background; say so when it is done."""
        from utter_calm.report.write import write_report
        from utter_calm.ui.state.worker import Computation

        workspace = self.workspace
        if workspace is None:
            return
        status = workspace.transport.status
        before, writing = status.text(), "writing the report …"
        status.setText(writing)

        def write() -> Path:
            write_report(workspace.session.job, path, appendix=appendix)
            return path

        computation = Computation(write, workspace.session)
        computation.done.connect(lambda done: workspace.tell(f"The report was written to {done}."))

        def over() -> None:
            # whatever came of it; what was said there meanwhile stays, and the job may have been closed
            if self.workspace is workspace and status.text() == writing:
                status.setText(before)

        computation.finished.connect(over)
        workspace.session.start(computation)

    def choose_guests(self) -> None:
        """Ask for another job and bring its takes along."""
        name, _ = QFileDialog.getOpenFileName(self, "Lay another job's takes beside", self.near(), FILTER)
        if name:
            self.attempt(lambda: self.bring(Path(name)))

    def choose_curve(self) -> None:
        """Ask for a curve of somebody else, and lay it under what is shown."""
        kinds = "Curves (*.frd *.zma *.txt *.csv)"
        name, _ = QFileDialog.getOpenFileName(self, "Lay a curve under what is shown", self.near(), kinds)
        if name and self.workspace is not None:
            space = self.workspace
            self.attempt(lambda: space.session.told.emit(space.session.lay_under(Path(name))))

    def soak(self) -> None:
        """Ask how the chosen step is to be taken again and again."""
        from utter_calm.ui.shell.soak_form import soak_form

        space = self.workspace
        if space is not None and not space.live.running and not space.session.running:
            self.attempt(lambda: soak_form(space.session, space).open_under(space.plot.title))

    def write_away(self) -> None:
        """Ask where to write the chosen cell's file, to be played elsewhere, with its page of instructions."""
        space = self.workspace
        if space is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "Write a file to play elsewhere", self.near(" play this.wav"), "Sound (*.wav *.flac)"
        )
        if name:
            self.attempt(lambda: space.session.write_away(Path(name)))

    def take_away(self) -> None:
        """Ask for the recording of that file, and take the chosen cell from it."""
        space = self.workspace
        if space is None:
            return
        sounds = "Sound (*.wav *.flac *.aiff *.caf)"
        name, _ = QFileDialog.getOpenFileName(self, "The recording of what was played", self.near(), sounds)
        if name:
            self.attempt(lambda: space.session.take_away(Path(name)))

    def bring(self, path: Path) -> None:
        """Bring another job's takes along and show the list."""
        if self.workspace is not None:
            brought = self.workspace.session.bring(path)
            self.workspace.show_place("takes")
            kinds = {take.kind for take in self.workspace.session.shown_takes()}
            alike = [take for take in brought if take.kind in kinds]
            fits = f", {len(alike)} of them of the kind that is shown" if kinds and len(alike) != len(brought) else ""
            self.workspace.tell(f"{len(brought)} takes of {path.stem} were brought{fits}: choose them together with ours.")

    def choose_readings(self) -> None:
        """Ask for a name and write all readings of all newest takes."""
        from utter_calm.job.export import export_readings

        name, _ = QFileDialog.getSaveFileName(self, "Export all readings", self.near(" readings.csv"), "CSV (*.csv);;JSON (*.json)")
        workspace = self.workspace
        if name and workspace is not None:
            self.attempt(lambda: export_readings(workspace.session.job, Path(name)))

    def choose_export(self) -> None:
        """Ask for a name and write the shown take."""
        from utter_calm.job.export import ENDINGS, READINGS_ENDING

        workspace = self.workspace
        takes = workspace.session.shown_takes() if workspace else ()
        if workspace is None or not takes:
            self.with_job(lambda w: w.tell("There is no take on the plot. Choose one first."))
            return
        kinds = ";;".join(f"{ending[1:].upper()} (*{ending})" for ending in (*ENDINGS, READINGS_ENDING, ".svg", ".png"))
        name, _ = QFileDialog.getSaveFileName(self, "Export the shown take", self.near(f" take {takes[-1].id}.csv"), kinds)
        if name:
            view = workspace.plot.canvas.view
            trace = None if view is None or view.empty else workspace.plots.main_trace()
            self.attempt(lambda: export_shown(workspace, Path(name), trace))

    # --- the rest -------------------------------------------------------------------------------------------------

    def show_fault(self, problem: Exception) -> None:
        """Show an error that nobody foresaw."""
        show_fault(self, problem)

    def toggle_theme(self) -> None:
        """Change between light and dark."""
        set_theme("light" if QSettings().value("theme", "light") == "dark" else "dark")
        self.with_job(lambda w: w.apply_palette())

    def show_about(self) -> None:
        """Show what this is."""
        AboutDialog(self).open()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Silence first, then what is computed, then the file, then the window; whoever closes twice waits for nothing."""
        workspace = self.workspace
        if workspace is not None:
            workspace.stop()
            if workspace.session.busy and not self._leaving:
                self._leaving = True
                workspace.tell("Stopping what is still computed … Ctrl+Q again leaves at once; all finished takes are stored.")
                self._leave.start(_LOOK_MS)
                event.ignore()
                return
        self._leave.stop()
        self.close_job(wait_ms=_AT_ONCE_MS)
        super().closeEvent(event)

    def _left(self) -> None:
        if self.workspace is None or not self.workspace.session.busy:
            self.close()

    def renew(self) -> None:
        """Look again at what is open."""
        workspace = self.workspace
        asking = self.unit_page is not None
        for action in self._job_actions:
            action.setEnabled(workspace is not None and not asking)
        if self.unit_page is not None:
            self.stack.setCurrentWidget(self.unit_page)
            return
        if workspace is None:
            self.stack.setCurrentWidget(self.start_page)
            self.setWindowTitle("Utter Calm")
            return
        self.stack.setCurrentWidget(workspace)
        undo = workspace.session.undo
        self.actions_by_name["undo"].setEnabled(undo.canUndo())
        self.actions_by_name["redo"].setEnabled(undo.canRedo())
        self.actions_by_name["undo"].setText(f"&Undo: {undo.undoText()}" if undo.canUndo() else "&Undo")
        self.actions_by_name["redo"].setText(f"&Redo: {undo.redoText()}" if undo.canRedo() else "&Redo")
        job = workspace.session.job
        mode = " (reading only)" if job.read_only else ""
        self.setWindowTitle(f"{job.document.title}{mode} – {job.path.name} – Utter Calm")

"""The window: menus and keys, and either the start page or an open job."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence
from PySide6.QtWidgets import QFileDialog, QMainWindow, QMessageBox, QStackedWidget

from utter_calm.errors import UtterCalmError
from utter_calm.job.recent import recent_jobs
from utter_calm.ui.look.theme import set_theme
from utter_calm.ui.places.names import SUFFIX
from utter_calm.ui.shell.about import AboutDialog
from utter_calm.ui.shell.actions import MENUS, Act
from utter_calm.ui.shell.exports import export_shown
from utter_calm.ui.shell.faults import FaultCatcher, show_fault
from utter_calm.ui.shell.start_page import StartPage

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    from utter_calm.job.job import Job
    from utter_calm.ui.shell.workspace import Workspace

_FILTER = f"Jobs (*{SUFFIX})"


class MainWindow(QMainWindow):
    """Menus, keys, files."""

    def __init__(self, demo_folder: Path) -> None:
        super().__init__()
        self._demo_folder = demo_folder
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self.stack = QStackedWidget()
        self.setCentralWidget(self.stack)
        self.start_page = StartPage()
        self.stack.addWidget(self.start_page)
        self.workspace: Workspace | None = None
        self.actions_by_name: dict[str, QAction] = {}
        self._job_actions: list[QAction] = []
        self._build_menus()
        self.faults = FaultCatcher(self)
        self.faults.caught.connect(self.show_fault)
        self.start_page.new_job.connect(self.new_job)
        self.start_page.open_job.connect(self.choose_job)
        self.start_page.open_demo.connect(self.open_demo)
        self.start_page.open_path.connect(self.open_path)
        self._renew()

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
            action.toggled.connect(lambda on: self._with(lambda w: act.switch(w, on) if act.switch else None))
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
            self._with(act.job)

    def _with(self, what: Callable[[Workspace], object]) -> None:
        if self.workspace is not None:
            what(self.workspace)

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        paths = recent_jobs()
        for path in paths:
            self._recent_menu.addAction(str(path), functools.partial(self.open_path, path))
        if not paths:
            self._recent_menu.addAction("none yet").setEnabled(False)

    # --- files ----------------------------------------------------------------------------------------------------

    def new_job(self) -> None:
        """Ask for a name and start a job."""
        from utter_calm.job.job import job_path

        name, _ = QFileDialog.getSaveFileName(self, "Start a new job", f"job{SUFFIX}", _FILTER)
        if name:
            self._try(lambda: self._start(job_path(name)))

    def _start(self, path: Path) -> None:
        from utter_calm.job.document.fresh import new_document
        from utter_calm.job.job import Job

        self._show(Job.create(path, new_document(path.stem)))

    def choose_job(self) -> None:
        """Ask for a file and open it."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a job", "", _FILTER)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a job; an error is shown and leaves everything as it was."""
        from utter_calm.job.job import Job

        return self._try(lambda: self._show(Job.open(path)))

    def open_demo(self) -> None:
        """Open the demo job; the first time it is made, and measured while one looks on."""
        from utter_calm.demo import demo_document
        from utter_calm.job.job import Job

        path = self._demo_folder / f"planetarium{SUFFIX}"
        fresh = not path.exists()

        def start() -> None:
            self._demo_folder.mkdir(parents=True, exist_ok=True)
            if fresh:
                Job.create(path, demo_document()).close()
            self._show(Job.open(path))

        if self._try(start) and fresh:
            self.run_missing()

    def run_missing(self) -> None:
        """Measure all that is missing of every unit, the rig switching by itself."""
        QTimer.singleShot(0, self, lambda: self._with(lambda w: w.take_missing(everywhere=True, auto=True)))

    def save_as(self) -> None:
        """Ask for a name and go on there."""
        from utter_calm.job.job import job_path

        name, _ = QFileDialog.getSaveFileName(self, "Save under another name", "", _FILTER)
        if name:
            self._try(lambda: self._with(lambda w: w.session.save_as(job_path(name))))
            self._renew()

    def choose_report(self) -> None:
        """Ask for a name and write the report, off the window's thread."""
        name, _ = QFileDialog.getSaveFileName(self, "Write the report", "report.pdf", "PDF (*.pdf);;HTML (*.html)")
        if name:
            self.write_report(Path(name))

    def write_report(self, path: Path) -> None:
        """Write the report in the background; say so when it is done."""
        from utter_calm.report.write import write_report
        from utter_calm.ui.state.worker import Computation

        workspace = self.workspace
        if workspace is None:
            return
        workspace.transport.status.setText("writing the report …")

        def write() -> Path:
            write_report(workspace.session.job, path)
            return path

        computation = Computation(write, workspace.session)
        computation.done.connect(lambda done: workspace.tell(f"The report was written to {done}."))
        workspace.session.start(computation)

    def choose_guests(self) -> None:
        """Ask for another job and bring its takes along."""
        name, _ = QFileDialog.getOpenFileName(self, "Lay another job's takes beside", "", _FILTER)
        if name:
            self._try(lambda: self.bring(Path(name)))

    def bring(self, path: Path) -> None:
        """Bring another job's takes along and show the list."""
        if self.workspace is not None:
            brought = self.workspace.session.bring(path)
            self.workspace.show_place("takes")
            self.workspace.tell(f"{len(brought)} takes of {path.stem} stand among the takes now; choose them together with ours.")

    def choose_readings(self) -> None:
        """Ask for a name and write all readings of all newest takes."""
        from utter_calm.job.export import export_readings

        name, _ = QFileDialog.getSaveFileName(self, "Export all readings", "readings.csv", "CSV (*.csv);;JSON (*.json)")
        workspace = self.workspace
        if name and workspace is not None:
            self._try(lambda: export_readings(workspace.session.job, Path(name)))

    def choose_export(self) -> None:
        """Ask for a name and write the shown take."""
        from utter_calm.job.export import ENDINGS

        workspace = self.workspace
        takes = workspace.session.shown_takes() if workspace else ()
        if workspace is None or not takes:
            self._with(lambda w: w.tell("There is no take on the plot. Choose one first."))
            return
        kinds = ";;".join(f"{ending[1:].upper()} (*{ending})" for ending in (*ENDINGS, ".svg", ".png"))
        name, _ = QFileDialog.getSaveFileName(self, "Export the shown take", f"take-{takes[-1].id}.csv", kinds)
        if name:
            view = workspace.plot.canvas.view
            trace = None if view is None or view.empty else workspace.plots.main_trace()
            self._try(lambda: export_shown(workspace, Path(name), trace))

    def close_job(self) -> None:
        """Close the job and go back to the start page."""
        if self.workspace is not None:
            self.workspace.shut()
            self.stack.removeWidget(self.workspace)
            self.workspace.deleteLater()
            self.workspace = None
        self.start_page.renew()
        self._renew()

    def _show(self, job: Job) -> None:
        from utter_calm.ui.shell.workspace import Workspace

        self.close_job()
        self.workspace = Workspace(job)
        self.workspace.session.auto_rig = self.actions_by_name["auto"].isChecked()
        self.workspace.session.check_leads = self.actions_by_name["check_leads"].isChecked()
        undo = self.workspace.session.undo
        undo.canUndoChanged.connect(lambda _on: self._renew())
        undo.canRedoChanged.connect(lambda _on: self._renew())
        self.workspace.session.document_changed.connect(self._renew)
        self.stack.addWidget(self.workspace)
        self.stack.setCurrentWidget(self.workspace)
        self.workspace.coverage.table.setFocus()
        self._renew()

    def _try(self, what: Callable[[], object]) -> bool:
        try:
            what()
        except UtterCalmError as problem:
            self._warn(problem)
            return False
        return True

    def _warn(self, problem: UtterCalmError) -> None:
        """Say what went wrong: in the job's window where there is one, else in a box."""
        if self.workspace is not None:
            self.workspace.tell(str(problem))
            return
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Utter Calm", problem.what, QMessageBox.StandardButton.Ok, self)
        box.setInformativeText(problem.hint)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    # --- the rest -------------------------------------------------------------------------------------------------

    def show_fault(self, problem: Exception) -> None:
        """Show an error that nobody foresaw."""
        show_fault(self, problem)

    def toggle_theme(self) -> None:
        """Change between light and dark."""
        set_theme("light" if QSettings().value("theme", "light") == "dark" else "dark")
        self._with(lambda w: w.apply_palette())

    def show_about(self) -> None:
        """Show what this is."""
        AboutDialog(self).open()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Silence first, then the file, then the window."""
        self.close_job()
        super().closeEvent(event)

    def _renew(self) -> None:
        for action in self._job_actions:
            action.setEnabled(self.workspace is not None)
        workspace = self.workspace
        if workspace is None:
            self.stack.setCurrentWidget(self.start_page)
            self.setWindowTitle("Utter Calm")
            return
        undo = workspace.session.undo
        self.actions_by_name["undo"].setEnabled(undo.canUndo())
        self.actions_by_name["redo"].setEnabled(undo.canRedo())
        self.actions_by_name["undo"].setText(f"&Undo: {undo.undoText()}" if undo.canUndo() else "&Undo")
        self.actions_by_name["redo"].setText(f"&Redo: {undo.redoText()}" if undo.canRedo() else "&Redo")
        job = workspace.session.job
        mode = " (reading only)" if job.read_only else ""
        self.setWindowTitle(f"{job.document.title}{mode} – {job.path.name} – Utter Calm")

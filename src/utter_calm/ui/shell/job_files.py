"""The window and its files: jobs that begin, are opened, go on elsewhere and close."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QMainWindow, QMessageBox, QStackedWidget

from utter_calm.errors import UtterCalmError
from utter_calm.job.recent import recent_jobs
from utter_calm.ui.places.names import SUFFIX
from utter_calm.ui.shell.start_page import StartPage

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    from utter_calm.job.job import Job
    from utter_calm.ui.shell.unit_page import Answers, UnitPage
    from utter_calm.ui.shell.workspace import Workspace

FILTER = f"Jobs (*{SUFFIX})"
CLOSING_MS = 5_000

_SAID = 3


class JobFiles(QMainWindow):
    """Which job is open, and how it came to be."""

    def __init__(self, demo_folder: Path) -> None:
        super().__init__()
        self._demo_folder = demo_folder
        self.stack = QStackedWidget()
        self.setCentralWidget(self.stack)
        self.start_page = StartPage()
        self.stack.addWidget(self.start_page)
        self.workspace: Workspace | None = None
        self.unit_page: UnitPage | None = None
        self.actions_by_name: dict[str, QAction] = {}

    def renew(self) -> None:
        """Look again at what is open."""
        raise NotImplementedError

    def with_job(self, what: Callable[[Workspace], object]) -> None:
        """Do something with the open job, if there is one."""
        if self.workspace is not None:
            what(self.workspace)

    def near(self, ending: str = "") -> str:
        """Where a file dialogue begins: beside the open job, or where the last one was; with an ending, the job's name with it."""
        path = self.workspace.session.job.path if self.workspace is not None else next(iter(recent_jobs()), None)
        if path is None:
            return ending
        return str(path.with_name(f"{path.stem}{ending}") if ending else path.parent)

    def new_job(self) -> None:
        """Ask what is under test, and start a job with it."""
        self._ask_unit(for_new_job=True)

    def add_unit(self) -> None:
        """Ask what else is under test in the open job."""
        workspace = self.workspace
        if workspace is None:
            return
        if workspace.live.running or workspace.session.running:
            workspace.tell("Sound is on: press Esc first, then add the unit.")
            return
        self._ask_unit(for_new_job=False)

    def _ask_unit(self, *, for_new_job: bool) -> None:
        from utter_calm.ui.shell.unit_page import UnitPage

        self.leave_unit_page()
        self.unit_page = UnitPage(for_new_job=for_new_job)
        self.unit_page.left.connect(self.leave_unit_page)
        self.unit_page.begun.connect(self._begin if for_new_job else self._join)
        self.stack.addWidget(self.unit_page)
        self.renew()
        self.unit_page.kinds.setFocus()

    def leave_unit_page(self) -> None:
        """Go back to what was there before."""
        if self.unit_page is not None:
            self.stack.removeWidget(self.unit_page)
            self.unit_page.deleteLater()
            self.unit_page = None
            self.renew()

    def _begin(self, answers: Answers) -> None:
        from utter_calm.job.document.fresh import new_document
        from utter_calm.job.job import Job, job_path

        try:
            path = job_path(answers.path)
            job = Job.create(path, new_document(path.stem, answers.unit, answers.start, answers.varied))
        except UtterCalmError as problem:
            if self.unit_page is not None:
                self.unit_page.show_problem(problem)
            return
        self.leave_unit_page()
        self.show_job(job)

    def _join(self, answers: Answers) -> None:
        self.leave_unit_page()
        self.with_job(lambda w: w.session.add_unit(answers.unit, answers.start, answers.varied))

    def choose_job(self) -> None:
        """Ask for a file and open it."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a job", self.near(), FILTER)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a job; an error is shown and leaves everything as it was."""
        from utter_calm.job.job import Job

        return self.attempt(lambda: self.show_job(Job.open(path)))

    def take_over(self) -> None:
        """Write the open job from here on; another program that has it only reads."""
        from utter_calm.job.job import Job

        workspace = self.workspace
        if workspace is None or not workspace.session.job.is_elsewhere:
            self.with_job(lambda w: w.tell("No other program has this job."))
            return
        path = workspace.session.job.path
        self.attempt(lambda: self.show_job(Job.open(path, take_over=True)))

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
            self.show_job(Job.open(path))

        if self.attempt(start) and fresh:
            self.run_missing()

    def run_missing(self) -> None:
        """Measure all that is missing of every unit, the rig switching by itself."""
        QTimer.singleShot(0, self, lambda: self.with_job(lambda w: w.take_missing(everywhere=True, auto=True)))

    def save_as(self) -> None:
        """Ask for a name and go on there."""
        from utter_calm.job.job import job_path

        name, _ = QFileDialog.getSaveFileName(self, "Save under another name", self.near(f" 2{SUFFIX}"), FILTER)
        if name:
            self.attempt(lambda: self.with_job(lambda w: w.session.save_as(job_path(name))))
            self.renew()

    def close_job(self, *, wait_ms: int = CLOSING_MS) -> None:
        """Close the job and go back to the start page; what is computed is waited for so long."""
        if self.workspace is not None:
            self.workspace.shut(wait_ms)
            self.stack.removeWidget(self.workspace)
            self.workspace.deleteLater()
            self.workspace = None
        self.start_page.renew()
        self.renew()

    def show_job(self, job: Job) -> None:
        """Show an open job in place of what was there."""
        from utter_calm.ui.shell.workspace import Workspace

        self.leave_unit_page()
        self.close_job()
        self.workspace = Workspace(job)
        self.workspace.session.auto_rig = self.actions_by_name["auto"].isChecked()
        self.workspace.session.check_leads = self.actions_by_name["check_leads"].isChecked()
        undo = self.workspace.session.undo
        # methods, not functions: Qt lets go of them with the window
        undo.canUndoChanged.connect(self._undo_changed)
        undo.canRedoChanged.connect(self._undo_changed)
        self.workspace.session.document_changed.connect(self.renew)
        self.workspace.coverage.add_unit.connect(self.add_unit)
        self.stack.addWidget(self.workspace)
        self.stack.setCurrentWidget(self.workspace)
        self.workspace.coverage.table.setFocus()
        self.renew()
        if job.spoilt:
            more = f" And {len(job.spoilt) - _SAID} more." if len(job.spoilt) > _SAID else ""
            self.workspace.caution(" ".join(job.spoilt[:_SAID]) + more)

    def _undo_changed(self, _on: bool) -> None:
        self.renew()

    def attempt(self, what: Callable[[], object]) -> bool:
        """Do something that may fail; say what went wrong, and give whether it went well."""
        try:
            what()
        except UtterCalmError as problem:
            self._warn(problem)
            return False
        return True

    def _warn(self, problem: UtterCalmError) -> None:
        """Say what went wrong: in the job's window where there is one, else in a box."""
        if self.workspace is not None:
            self.workspace.caution(str(problem))
            return
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Utter Calm", problem.what, QMessageBox.StandardButton.Ok, self)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setInformativeText(problem.hint)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

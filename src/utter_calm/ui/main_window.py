"""The window: menus and keys, and either the start page or an open job."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QSettings, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence
from PySide6.QtWidgets import QFileDialog, QMainWindow, QMenu, QMessageBox, QStackedWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.recent import recent_jobs
from utter_calm.ui.about import AboutDialog
from utter_calm.ui.place_names import PLACES, SUFFIX
from utter_calm.ui.start_page import StartPage
from utter_calm.ui.theme import set_theme

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    from utter_calm.job.job import Job
    from utter_calm.ui.workspace import Workspace

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
        self.start_page.new_job.connect(self.new_job)
        self.start_page.open_job.connect(self.choose_job)
        self.start_page.open_demo.connect(self.open_demo)
        self.start_page.open_path.connect(self.open_path)
        self._renew()

    # --- menus ----------------------------------------------------------------------------------------------------

    def _build_menus(self) -> None:
        bar = self.menuBar()
        job = bar.addMenu("&Job")
        self._add(job, "new", "&New…", "Ctrl+N", self.new_job, always=True)
        self._add(job, "open", "&Open…", "Ctrl+O", self.choose_job, always=True)
        self._recent_menu = job.addMenu("&Lately open")
        self._recent_menu.aboutToShow.connect(self._fill_recent)
        self._add(job, "demo", "Open the &demo job", "", self.open_demo, always=True)
        job.addSeparator()
        self._add(job, "save_as", "Save under another name…", "Ctrl+Shift+S", self.save_as)
        self._add(job, "report", "Write &report…", "Ctrl+P", self.choose_report)
        self._add(job, "export", "&Export the shown take…", "Ctrl+E", self.choose_export)
        self._add(job, "readings", "Export all rea&dings…", "", self.choose_readings)
        self._add(job, "bring", "Lay another &job's takes beside…", "", self.choose_guests)
        self._add(job, "close", "&Close", "Ctrl+W", self.close_job)
        job.addSeparator()
        self._add(job, "quit", "&Quit", "Ctrl+Q", self.close, always=True)

        edit = bar.addMenu("&Edit")
        self._add(
            edit, "undo", "&Undo", QKeySequence.StandardKey.Undo, lambda: self._with(lambda w: w.session.undo.undo())
        )
        self._add(
            edit, "redo", "&Redo", QKeySequence.StandardKey.Redo, lambda: self._with(lambda w: w.session.undo.redo())
        )
        edit.addSeparator()
        for key, title in (("signal", "Signal"), ("output", "Output"), ("unit", "Unit"), ("load", "Load"),
                           ("pickup", "Pickup"), ("input", "Input")):  # fmt: skip
            number = ["signal", "output", "unit", "load", "pickup", "input"].index(key) + 1
            self._add(edit, f"edit_{key}", f"{title} of the chain", f"Alt+{number}",
                      lambda key=key: self._with(lambda w: w.chain.links[key].click()))  # fmt: skip

        edit.addSeparator()
        self._add(
            edit, "copy", "&Copy the numbers", "Ctrl+Shift+C", lambda: self._with(lambda w: w.plots.copy_numbers())
        )
        self._add(
            edit, "copy_picture", "Copy the &picture", "Ctrl+C", lambda: self._with(lambda w: w.plots.copy_picture())
        )
        edit.addSeparator()
        for name, text, key, what in (
            ("add_step", "Add a &step…", "Ctrl+J", lambda w: w.coverage.step_button.click()),
            ("add_condition", "Vary a &condition…", "Ctrl+K", lambda w: w.coverage.condition_button.click()),
            ("add_claim", "Add a c&laim…", "Ctrl+L", lambda w: w.claims.add.click()),
            ("again", "Compute the shown take a&gain…", "Ctrl+R", lambda w: w.compute_again()),
        ):
            self._add(edit, name, text, key, lambda what=what: self._with(what))

        measure = bar.addMenu("&Measure")
        self._add(measure, "mute", "&Mute", "Esc", lambda: self._with(lambda w: w.mute()))
        self._add(measure, "take", "&Take the chosen cells", "Space", lambda: self._with(lambda w: w.take_chosen()))
        self._add(
            measure, "family", "Take the row as a &family", "Shift+Space", lambda: self._with(lambda w: w.take_row())
        )
        self._add(measure, "missing", "Measure what is m&issing", "M", lambda: self._with(lambda w: w.take_missing()))
        self._add(
            measure,
            "everything",
            "Measure what is missing of &every unit",
            "Ctrl+M",
            lambda: self._with(lambda w: w.take_missing(everywhere=True)),
        )
        self._add(measure, "floor", "Measure the &rig alone", "Shift+R", lambda: self._with(lambda w: w.take_floor()))
        self._add(
            measure, "resume", "Go &on with the interrupted run", "Shift+M", lambda: self._with(lambda w: w.resume())
        )
        self._add(
            measure, "repeat", "Take the chosen cells fi&ve times", "5", lambda: self._with(lambda w: w.repeat_chosen())
        )
        measure.addSeparator()
        self._add(
            measure, "effect", "Level by its &effect…", "Ctrl+G", lambda: self._with(lambda w: w.level_by_effect())
        )
        self._add(measure, "live", "&Live", "L", lambda: self._with(lambda w: w.toggle_live()))
        self._add(measure, "hum", "&Hum hunt", "H", lambda: self._with(lambda w: w.toggle_hum()))
        self._add(measure, "event", "&Note what was done…", "N", lambda: self._with(lambda w: w.note_event()))
        self._add(measure, "keep", "&Keep the live view as a take", "K", lambda: self._with(lambda w: w.keep_live()))
        self._add(
            measure,
            "freeze",
            "&Freeze the live spectrum",
            "F",
            lambda: self._with(lambda w: w.live_pane.toggle_freeze()),
        )
        self._add(measure, "average", "Live &average", "A", lambda: self._with(lambda w: w.live_pane.next_average()))
        measure.addSeparator()
        for name, text, key, step in (
            ("up", "Level up 1 dB", "Ctrl+Up", 1.0), ("down", "Level down 1 dB", "Ctrl+Down", -1.0),
            ("up_fine", "Level up 0.1 dB", "Ctrl+Shift+Up", 0.1), ("down_fine", "Level down 0.1 dB", "Ctrl+Shift+Down", -0.1),
        ):  # fmt: skip
            self._add(measure, name, text, key, lambda step=step: self._with(lambda w: w.change_level(step)))
        measure.addSeparator()
        auto = self._add(measure, "auto", "The rig switches &by itself", "", lambda: None)
        auto.setCheckable(True)
        auto.toggled.connect(lambda on: self._with(lambda w: setattr(w.session, "auto_rig", on)))
        check = self._add(measure, "check_leads", "&Check the leads before a new setup", "", lambda: None)
        check.setCheckable(True)
        check.setChecked(True)
        check.toggled.connect(lambda on: self._with(lambda w: setattr(w.session, "check_leads", on)))

        view = bar.addMenu("&View")
        for number, name in enumerate(PLACES):
            self._add(view, f"place_{name}", name.capitalize(), f"F{number + 2}",
                      lambda name=name: self._with(lambda w: w.show_place(name)))  # fmt: skip
        self._add(view, "next_unit", "Next &unit", "PgDown", lambda: self._with(lambda w: w.next_unit(1)))
        self._add(view, "last_unit", "Unit &before", "PgUp", lambda: self._with(lambda w: w.next_unit(-1)))
        self._add(view, "calculator", "&Volts and watts", "F6", lambda: self._with(lambda w: w.show_calculator()))
        view.addSeparator()
        self._add(
            view, "detail", "Zoom to the &detail", "D", lambda: self._with(lambda w: w.plot.canvas.toggle_detail())
        )
        self._add(view, "octave", "Zoom to an &octave", "O", lambda: self._with(lambda w: w.plot.canvas.zoom_octave()))
        self._add(view, "whole", "Show the &whole", "R", lambda: self._with(lambda w: w.plot.canvas.set_whole_range()))
        self._add(
            view,
            "difference",
            "As &difference to the first",
            "-",
            lambda: self._with(lambda w: w.plots.toggle_difference()),
        )
        self._add(view, "over", "&Over something else", "X", lambda: self._with(lambda w: w.plots.next_over()))
        self._add(view, "smooth", "&Smooth, or not", "S", lambda: self._with(lambda w: w.plots.next_smoothing()))
        self._add(view, "find", "&Read the curve at…", "=", lambda: self._with(lambda w: w.plots.find_place()))
        self._add(view, "peak", "&Peak, and the next", "P", lambda: self._with(lambda w: w.plots.find_peak()))
        self._add(view, "channels", "Next &channel, or all", "C", lambda: self._with(lambda w: w.plots.next_channels()))
        for number in range(4):
            self._add(view, f"picture_{number + 1}", f"Picture {number + 1}", f"Ctrl+{number + 1}",
                      lambda number=number: self._with(lambda w: w.plots.choose_spec_number(number)))  # fmt: skip
        view.addSeparator()
        self._add(view, "theme", "&Dark or light", "Ctrl+T", self.toggle_theme, always=True)

        self._add(bar.addMenu("&Help"), "about", "&About Utter Calm", "F1", self.show_about, always=True)

    def _add(
        self, menu: QMenu, name: str, text: str, key: str | QKeySequence.StandardKey, slot: Callable[[], object], *,
        always: bool = False,
    ) -> QAction:  # fmt: skip
        action = QAction(text, self)
        action.setShortcut(QKeySequence(key))
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        action.triggered.connect(lambda *_: slot())
        menu.addAction(action)
        self.actions_by_name[name] = action
        if not always:
            self._job_actions.append(action)
        return action

    def _with(self, what: Callable[[Workspace], object]) -> None:
        if self.workspace is not None:
            what(self.workspace)

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        paths = recent_jobs()
        for path in paths:
            self._recent_menu.addAction(str(path), lambda path=path: self.open_path(path))
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
        from utter_calm.job.demo import new_document
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
        from utter_calm.job.demo import demo_document
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
        from utter_calm.ui.worker import Computation

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
            self.workspace.tell(
                f"{len(brought)} takes of {path.stem} stand among the takes now; choose them together with ours."
            )

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
            self._try(lambda: self._export(workspace, Path(name), trace))

    @staticmethod
    def _export(workspace: Workspace, path: Path, trace: str | None) -> None:
        """Write the shown take, or for .svg and .png the picture as it stands on the screen."""
        from utter_calm.formats.tables import write_bytes, write_text
        from utter_calm.job.export import export_take
        from utter_calm.report.svg import plot_svg

        view = workspace.plot.canvas.view
        ending = path.suffix.lower()
        sheet = view.sheet if view is not None else None
        if sheet is not None and ending in (".csv", ".svg"):
            if ending == ".svg":
                raise InputError("A table is no drawing.", hint="Export it as .csv or .png.")
            write_text(path, sheet.as_text(","))
        elif ending == ".svg" and view is not None:
            write_text(path, plot_svg(view))
        elif ending == ".png":
            buffer = QBuffer()
            workspace.plot.grab().save(buffer, "PNG")
            write_bytes(path, buffer.data().data())
        else:
            export_take(workspace.session.job, workspace.session.shown_takes()[-1], path, trace=trace)
        workspace.tell(f"Written: {path}")

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
        from utter_calm.ui.workspace import Workspace

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
        workspace = self.workspace
        for action in self._job_actions:
            action.setEnabled(workspace is not None)
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

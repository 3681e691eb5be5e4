"""All that can be done from the menus and the keyboard, as one table; menus, keys and tooltips follow from it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtGui import QKeySequence

from utter_calm.ui.places.names import NAMES

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    from utter_calm.ui.shell.main_window import MainWindow
    from utter_calm.ui.shell.workspace import Workspace

    OnWindow = Callable[[MainWindow], object]
    OnJob = Callable[[Workspace], object]

Key = str | QKeySequence.StandardKey


@dataclass(frozen=True, slots=True)
class Act:
    """One line of a menu.

    Parameters
    ----------
    name
        For machines and tests.
    text, key
        In the menu; the key may be empty.
    window, job
        What it does: with the window, always; or with the open job, only while there is one.
    toggle
        Whether it is on or off, and how it begins; then ``switch`` is called with the state.
    gap
        Whether a line is drawn before it.
    """

    name: str
    text: str
    key: Key = ""
    window: OnWindow | None = None
    job: OnJob | None = None
    toggle: bool | None = None
    switch: Callable[[Workspace, bool], object] | None = None
    gap: bool = False


_LINKS = ("signal", "output", "unit", "load", "pickup", "input")
_LEVELS = (
    ("up", "Level up 1 dB", "Ctrl+Up", 1.0), ("down", "Level down 1 dB", "Ctrl+Down", -1.0),
    ("up_fine", "Level up 0.1 dB", "Ctrl+Shift+Up", 0.1), ("down_fine", "Level down 0.1 dB", "Ctrl+Shift+Down", -0.1),
)  # fmt: skip


def _job_menu() -> Iterator[Act]:
    yield Act("new", "&New…", "Ctrl+N", window=lambda w: w.new_job())
    yield Act("open", "&Open…", "Ctrl+O", window=lambda w: w.choose_job())
    yield Act("recent", "&Lately open")
    yield Act("demo", "Open the &demo job", window=lambda w: w.open_demo())
    yield Act("save_as", "Save under another name…", "Ctrl+Shift+S", window=lambda w: w.save_as(), job=_nothing, gap=True)
    yield Act("report", "Write &report…", "Ctrl+P", window=lambda w: w.choose_report(), job=_nothing)
    yield Act("report_all", "Write report with every step…", window=lambda w: w.choose_report(appendix=True), job=_nothing)
    yield Act("export", "&Export the shown take…", "Ctrl+E", window=lambda w: w.choose_export(), job=_nothing)
    yield Act("readings", "Export all rea&dings…", window=lambda w: w.choose_readings(), job=_nothing)
    yield Act("curve", "Lay a c&urve under it…", "Ctrl+Shift+U", window=lambda w: w.choose_curve(), job=_nothing)
    yield Act("bring", "Lay another &job's takes beside…", window=lambda w: w.choose_guests(), job=_nothing)
    yield Act("take_over", "Take this job o&ver", window=lambda w: w.take_over(), job=_nothing)
    yield Act("close", "&Close", "Ctrl+W", window=lambda w: w.close_job(), job=_nothing)
    yield Act("quit", "&Quit", "Ctrl+Q", window=lambda w: w.close(), gap=True)


def _nothing(_workspace: Workspace) -> None:
    """Only there while a job is open, and done by the window."""


def _link(key: str) -> OnJob:
    return lambda w: w.chain.links[key].click()


def _level(step_db: float) -> OnJob:
    return lambda w: w.change_level(step_db)


def _place(name: str) -> OnJob:
    return lambda w: w.show_place(name)


def _picture(number: int) -> OnJob:
    return lambda w: w.plots.choose_spec_number(number)


def _edit_menu() -> Iterator[Act]:
    yield Act("undo", "&Undo", QKeySequence.StandardKey.Undo, job=lambda w: w.session.undo.undo())
    yield Act("redo", "&Redo", QKeySequence.StandardKey.Redo, job=lambda w: w.session.undo.redo())
    for number, key in enumerate(_LINKS, start=1):
        yield Act(f"edit_{key}", f"{key.capitalize()} of the chain", f"Alt+{number}", job=_link(key), gap=number == 1)
    yield Act("bench", "What stands at the &bench…", "B", job=lambda w: w.show_bench())
    yield Act("copy", "&Copy the numbers", "Ctrl+Shift+C", job=lambda w: w.plots.copy_numbers(), gap=True)
    yield Act("copy_picture", "Copy the &picture", "Ctrl+C", job=lambda w: w.plots.copy_picture())
    yield Act("new_unit", "Add a &unit…", "Ctrl+Shift+N", window=lambda w: w.add_unit(), job=_nothing, gap=True)
    yield Act("add_unit", "Another unit of this &kind", job=lambda w: w.session.add_unit_like())
    yield Act("copy_unit", "Copy this unit with its plan", job=lambda w: w.session.copy_unit())
    yield Act("remove_unit", "Remove this unit", job=lambda w: w.session.remove_unit())
    yield Act("add_step", "Add a &step…", "Ctrl+J", job=lambda w: w.coverage.step_button.click(), gap=True)
    yield Act("add_condition", "Vary a &condition…", "Ctrl+K", job=lambda w: w.coverage.condition_button.click())
    yield Act("add_claim", "Add a c&laim…", "Ctrl+L", job=lambda w: w.claims.add.click())
    yield Act("again", "Compute the shown take a&gain…", "Ctrl+R", job=lambda w: w.compute_again())
    yield Act("keep_trial", "Keep what is &tried on it", "Ctrl+Return", job=lambda w: w.session.keep_trial())


def _measure_menu() -> Iterator[Act]:
    yield Act("mute", "&Mute", "Esc", job=lambda w: w.mute())
    yield Act("take", "&Take the chosen cells", "Space", job=lambda w: w.take_chosen())
    yield Act("family", "Take the row as a &family", "Shift+Space", job=lambda w: w.take_row())
    yield Act("missing", "Measure what is m&issing", "M", job=lambda w: w.take_missing())
    yield Act("everything", "Measure what is missing of &every unit", "Ctrl+M", job=lambda w: w.take_missing(everywhere=True))
    yield Act("floor", "Measure the &rig alone", "Shift+R", job=lambda w: w.take_floor())
    yield Act("renew", "Rene&w what is stale", "Ctrl+U", job=lambda w: w.session.renew_stale())
    yield Act("resume", "Go &on with the interrupted run", "Shift+M", job=lambda w: w.resume())
    yield Act("repeat", "Take the chosen cells fi&ve times", "5", job=lambda w: w.repeat_chosen())
    yield Act("calibrate", "Cali&brate impedance or microphone…", "Ctrl+I", job=lambda w: w.calibrate())
    yield Act("soak", "S&oak…", window=lambda w: w.soak(), job=_nothing)
    yield Act("write_away", "Write its file, to play else&where…", window=lambda w: w.write_away(), job=_nothing)
    yield Act("take_away", "Take it from a re&cording…", window=lambda w: w.take_away(), job=_nothing)
    yield Act("effect", "Level by its &effect…", "Ctrl+G", job=lambda w: w.level_by_effect(), gap=True)
    yield Act("live", "&Live", "L", job=lambda w: w.toggle_live())
    yield Act("hum", "&Hum hunt", "H", job=lambda w: w.toggle_hum())
    yield Act("event", "&Note what was done…", "N", job=lambda w: w.note_event())
    yield Act("keep", "&Keep the live view as a take", "K", job=lambda w: w.keep_live())
    yield Act("freeze", "&Freeze the live spectrum", "F", job=lambda w: w.live_pane.toggle_freeze())
    yield Act("average", "Live &average", "A", job=lambda w: w.live_pane.next_average())
    for name, text, key, step in _LEVELS:
        yield Act(name, text, key, job=_level(step), gap=name == "up")
    yield Act("auto", "The rig switches &by itself", job=_nothing, toggle=False, gap=True,
              switch=lambda w, on: setattr(w.session, "auto_rig", on))  # fmt: skip
    yield Act("check_leads", "&Check the leads before a new setup", job=_nothing, toggle=True,
              switch=lambda w, on: setattr(w.session, "check_leads", on))  # fmt: skip


def _view_menu() -> Iterator[Act]:
    for number, name in enumerate(NAMES, start=2):
        yield Act(f"place_{name}", name.capitalize(), f"F{number}", job=_place(name))
    yield Act("next_unit", "Next &unit", "PgDown", job=lambda w: w.next_unit(1))
    yield Act("last_unit", "Unit &before", "PgUp", job=lambda w: w.next_unit(-1))
    yield Act("fold_coverage", "Fold the c&overage", "[", job=lambda w: w.fold("coverage"), gap=True)
    yield Act("fold_readings", "Fold the r&eadings", "]", job=lambda w: w.fold("readings"))
    yield Act("alone", "The plot &alone", "\\", job=lambda w: w.fold("coverage", "readings"))
    yield Act("calculator", "&Volts and watts", "F12", job=lambda w: w.show_calculator())
    yield Act("detail", "Zoom to the &detail", "D", job=lambda w: w.plot.canvas.toggle_detail(), gap=True)
    yield Act("octave", "Zoom to an &octave", "O", job=lambda w: w.plot.canvas.zoom_octave())
    yield Act("whole", "Show the &whole", "R", job=lambda w: w.plot.canvas.set_whole_range())
    yield Act("difference", "As &difference to the first", "-", job=lambda w: w.plots.toggle_difference())
    yield Act("over", "&Over something else", "X", job=lambda w: w.plots.next_over())
    yield Act("smooth", "&Smooth, or not", "S", job=lambda w: w.plots.next_smoothing())
    yield Act("range", "Range of the a&xes…", "Y", job=lambda w: w.plots.type_range())
    yield Act("find", "&Read the curves at…", "=", job=lambda w: w.plots.find_place())
    yield Act("peak", "&Peak, and the next", "P", job=lambda w: w.plots.find_peak())
    yield Act("channels", "Next &channel, or all", "C", job=lambda w: w.plots.next_channels())
    for number in range(4):
        yield Act(f"picture_{number + 1}", f"Picture {number + 1}", f"Ctrl+{number + 1}", job=_picture(number))
    yield Act("theme", "&Dark or light", "Ctrl+T", window=lambda w: w.toggle_theme(), gap=True)


def _help_menu() -> Iterator[Act]:
    yield Act("about", "&About Utter Calm", "F1", window=lambda w: w.show_about())


MENUS: tuple[tuple[str, tuple[Act, ...]], ...] = (
    ("&Job", tuple(_job_menu())),
    ("&Edit", tuple(_edit_menu())),
    ("&Measure", tuple(_measure_menu())),
    ("&View", tuple(_view_menu())),
    ("&Help", tuple(_help_menu())),
)

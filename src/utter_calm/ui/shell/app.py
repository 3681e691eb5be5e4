"""Starting the window."""

from __future__ import annotations

import logging
import os
import sys
import threading
from importlib import resources
from pathlib import Path

import platformdirs
from PySide6.QtCore import QCoreApplication, QTimer
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QApplication

from utter_calm import __version__
from utter_calm.memory import keep_freed_memory
from utter_calm.ui.look.theme import apply_theme, load_fonts
from utter_calm.ui.shell.main_window import MainWindow
from utter_calm.ui.state.outliving import all_over

_LONGEST_MS = 3_000
SWITCH_S = 0.0005
"""How long a computing thread may keep the interpreter from the window; the usual 5 ms cost the live view half its frames."""


def make_application(arguments: list[str]) -> QApplication:
    """Give the application, dressed."""
    QCoreApplication.setOrganizationName("utter-calm")
    QCoreApplication.setApplicationName("utter-calm")
    QCoreApplication.setApplicationVersion(__version__)
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(arguments)
    application.setDesktopFileName("utter-calm")
    load_fonts()
    apply_theme(application)
    icon = QPixmap()
    icon.loadFromData((resources.files("utter_calm") / "assets" / "utter-calm-256.png").read_bytes())
    application.setWindowIcon(QIcon(icon))
    return application


def make_window(folder: Path | None = None) -> MainWindow:
    """Give the window, not yet shown."""
    return MainWindow(folder or Path(platformdirs.user_data_dir("utter-calm")))


def run_window(path: Path | None, *, run_missing: bool = False) -> int:
    """Open the window, on a job or on the start page, and run until it is closed."""
    logging.basicConfig(level=logging.WARNING)
    sys.setswitchinterval(SWITCH_S)
    keep_freed_memory()
    application = make_application(sys.argv[:1])
    window = make_window(path.parent if path is not None and run_missing else None)
    if path is not None:
        window.open_path(path)
    window.faults.install()
    window.show()
    # the analysis needs parts of SciPy that take a second to load: have them loaded while the eye finds its way
    QTimer.singleShot(0, lambda: threading.Thread(target=preload, name="preload", daemon=True).start())
    if run_missing:
        window.run_missing()
    status = application.exec()
    if not all_over(_LONGEST_MS) or not _helpers_ended(_LONGEST_MS / 1000):
        os._exit(status)  # what is left computes only; all that was finished is stored
    return status


def _helpers_ended(wait_s: float) -> bool:
    """Wait for the second processes of runs; whether all have ended. Where none was begun, not even what begins them is loaded."""
    beside = sys.modules.get("utter_calm.measure.beside")
    return beside is None or bool(beside.all_ended(wait_s))


def preload() -> None:
    """Load what the analysis needs, if it is not there yet."""
    import scipy.fft
    import scipy.ndimage
    import scipy.optimize
    import scipy.signal  # noqa: F401

"""Errors that nobody foresaw: shown, never lost in a thread, with a way to copy what would help to mend them."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable
from types import TracebackType

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QMessageBox, QWidget

from utter_calm import __version__


def details_of(problem: BaseException) -> str:
    """All that helps to mend it: version and traceback."""
    lines = traceback.format_exception(type(problem), problem, problem.__traceback__)
    return f"Utter Calm {__version__}, Python {sys.version.split()[0]}\n\n{''.join(lines)}"


def show_fault(parent: QWidget, problem: BaseException) -> QMessageBox:
    """Show an error that nobody foresaw; the window stays usable."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.NoIcon)
    box.setWindowTitle("Utter Calm")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText("Something went wrong that the program did not foresee.")
    box.setInformativeText(
        f"{type(problem).__name__}: {problem}\n\nWhat was stored before is safe; the window can be used on. "
        "Please copy the details and send them along."
    )
    box.setDetailedText(details_of(problem))
    copy = box.addButton("Copy the details", QMessageBox.ButtonRole.ActionRole)
    box.addButton(QMessageBox.StandardButton.Close)
    # the button of a message box closes it: copy and let it close, the words are on the clipboard
    copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(details_of(problem)))
    box.setModal(False)
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
    return box


Hook = Callable[[type[BaseException], BaseException, TracebackType | None], object]


class FaultCatcher(QObject):
    """Takes errors that no one else takes, in the window's own thread: they are shown instead of printed into nowhere."""

    caught = Signal(object)

    def install(self) -> Hook:
        """Stand in for the interpreter's own hook; give the one before."""
        before: Hook = sys.excepthook

        def hook(kind: type[BaseException], problem: BaseException, trace: TracebackType | None) -> None:
            before(kind, problem, trace)
            if isinstance(problem, Exception):
                self.caught.emit(problem)

        sys.excepthook = hook
        return before

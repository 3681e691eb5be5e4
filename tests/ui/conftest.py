"""The real window, offscreen, on jobs of one's own."""

from __future__ import annotations

import threading
import time

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QSettings

from utter_calm.ui.look.theme import set_theme
from utter_calm.ui.shell.app import make_application, make_window


@pytest.fixture
def window(qtbot, qapp, tmp_path):
    """An open window without a job; must leave no thread of the program's behind."""
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(tmp_path))
    QSettings().clear()
    make_application([])
    set_theme("light")
    made = make_window(tmp_path / "demo")
    qtbot.addWidget(made, before_close_func=lambda w: w.close_job())
    made.show()
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow, timeout=10_000)  # shortcuts belong to the active window
    yield made
    made.close()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    end = time.monotonic() + 5
    ours = ("live", "measuring", "computing")
    while time.monotonic() < end and any(t.name.startswith(ours) for t in threading.enumerate()):
        time.sleep(0.02)
    assert not [t.name for t in threading.enumerate() if t.name.startswith(ours)]


def begin_job(window, path, kind="Power amplifier", behind="", **texts):
    """Begin a new job as a hand would: the kind, what stands behind it, and what is typed into which field."""
    window.new_job()
    page = window.unit_page
    page.kinds.setCurrentRow([page.kinds.item(k).text() for k in range(page.kinds.count())].index(kind))
    if behind:
        page.behind.setCurrentIndex(page.behind.findText(behind))
    page.path.setText(str(path))
    for name, text in texts.items():
        getattr(page, name).setText(text)
    page.begin.click()


@pytest.fixture
def measured_window(window, measured_path, tmp_path):
    """The window on a measured demo job of one's own."""
    path = tmp_path / "mine.calm"
    path.write_bytes(measured_path.read_bytes())
    assert window.open_path(path)
    return window


@pytest.fixture
def fresh_window(window, tmp_path):
    """The window on a demo job without takes."""
    from tests.conftest import small_demo
    from utter_calm.job.job import Job

    Job.create(tmp_path / "fresh.calm", small_demo()).close()
    assert window.open_path(tmp_path / "fresh.calm")
    return window

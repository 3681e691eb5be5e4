"""Once on a real screen: the program is started as a person starts it, under Xvfb."""

import os
import shutil
import subprocess
import sys
import textwrap
from pathlib import Path

import pytest


@pytest.mark.screen
@pytest.mark.timeout(180)
def test_the_demo_opens_measures_and_closes_on_a_real_screen(tmp_path):
    server = shutil.which("Xvfb")
    assert server, "tools/setup dev installs Xvfb; run ./check"
    read, write = os.pipe()
    screen = subprocess.Popen(
        [server, "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    try:
        os.close(write)
        with os.fdopen(read) as pipe:
            display = f":{pipe.readline().strip()}"
        script = tmp_path / "drive.py"
        script.write_text(
            textwrap.dedent(
                """
                import sys
                from PySide6.QtCore import QTimer
                from PySide6.QtWidgets import QApplication
                from utter_calm.cli import window
                from utter_calm.ui.shell import main_window

                import utter_calm.demo
                from tests.conftest import small_demo
                utter_calm.demo.demo_document = small_demo  # the whole delivery takes minutes; its parts are tested one by one

                made = []
                first = main_window.MainWindow.__init__
                def remember(self, *a):
                    first(self, *a); made.append(self)
                main_window.MainWindow.__init__ = remember

                def look():
                    space = made[0].workspace if made else None
                    if space is None or space.session.running or space.coverage.model.view.missing():
                        QTimer.singleShot(200, look); return
                    picture = QApplication.primaryScreen().grabWindow(0)
                    picture.save(sys.argv[1])
                    made[0].close()

                import utter_calm.ui.shell.app as app
                real = app.make_application
                def start(arguments):
                    application = real(arguments); QTimer.singleShot(500, look); return application
                app.make_application = start
                sys.exit(window.show_demo(None))
                """
            )
        )
        picture = tmp_path / "screen.png"
        root = str(Path(__file__).parent.parent.parent)
        environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb", "PYTHONPATH": root}
        done = subprocess.run([sys.executable, str(script), str(picture)], env=environment, check=False, timeout=150)
        assert done.returncode == 0
        from PySide6.QtGui import QImage

        image = QImage(str(picture))
        assert (image.width(), image.height()) == (1280, 800)
        colours = {image.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 16)}
        assert len(colours) > 8
    finally:
        screen.terminate()
        screen.wait(10)

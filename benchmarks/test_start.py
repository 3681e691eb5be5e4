"""The first painted window against its bare imports, each in a process of its own."""

import subprocess
import sys

IMPORTS = "import numpy; from PySide6.QtWidgets import QApplication"
WINDOW = (
    "from utter_calm.ui.shell.app import make_application, make_window\n"
    "app = make_application([]); w = make_window(); w.show(); app.processEvents(); w.grab()"
)


def start(code):
    subprocess.run([sys.executable, "-c", code], check=True, stderr=subprocess.DEVNULL)


def test_start_reference(benchmark):
    benchmark.group = "window start"
    benchmark.pedantic(lambda: start(IMPORTS), rounds=7, warmup_rounds=1)


def test_start_subject(benchmark):
    benchmark.group = "window start"
    benchmark.pedantic(lambda: start(WINDOW), rounds=7, warmup_rounds=1)

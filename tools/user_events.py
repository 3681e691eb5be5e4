"""What the random user can do at the window."""

from __future__ import annotations

import random
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QFileDialog, QLineEdit, QMessageBox, QSlider, QWidget

from utter_calm.demo import demo_document
from utter_calm.job.bench import BenchState, relevant
from utter_calm.job.job import Job
from utter_calm.job.run.one_take import Playing
from utter_calm.rig.simulated import SimulatedDevice, SimulatedStream
from utter_calm.ui.shell.app import make_application, make_window
from utter_calm.ui.state.outliving import all_over

_KEYS = (Qt.Key.Key_Space, Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_M, Qt.Key.Key_L, Qt.Key.Key_H, Qt.Key.Key_D,
         Qt.Key.Key_Tab, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageDown, Qt.Key.Key_S,
         Qt.Key.Key_Minus, Qt.Key.Key_X, Qt.Key.Key_P, Qt.Key.Key_F, Qt.Key.Key_K, Qt.Key.Key_R)  # fmt: skip
_WORDS = ("", "1", "0", "-3", "4 ohm", "1e9", "nan", "8 ohm, 4 ohm", "0,5 V", "[red]x", "<b>", "1,000 V", "ünï", "30 dB", "none")
_NEVER = {"quit", "report", "report_all"}
_LONGEST_S = 30.0


class RandomUser:
    """Somebody who tries everything."""

    def __init__(self, chance: random.Random, folder: Path) -> None:
        self.chance, self.folder = chance, folder
        self.application = make_application([])
        self.path = folder / "job.calm"
        Job.create(self.path, _short_job()).close()
        self.window = make_window(folder / "demo")
        self.window.resize(1280, 800)
        self.unforeseen: list[BaseException] = []
        self._changes_at_play = 0
        self.window.faults.caught.connect(self.unforeseen.append)
        self.window.faults.install()
        self._answer_dialogs()
        self._watch_the_ceiling()
        self._watch_the_bench()

    def _watch_the_ceiling(self) -> None:
        """Whatever is done, no output is told to give more than its rig's ceiling."""
        inner = SimulatedStream.exchange

        def exchange(stream: SimulatedStream, samples: np.ndarray) -> object:
            rig = stream._device.rig  # noqa: SLF001
            highest = rig.output_peak_v * float(np.max(np.abs(samples), initial=0.0))
            if not highest <= rig.highest_v * np.sqrt(2) * (1 + 1e-6):
                self.unforeseen.append(AssertionError(f"{highest:.4g} V at the peak, above the ceiling of {rig.highest_v:.4g} V"))
            return inner(stream, samples)

        SimulatedStream.exchange = exchange

    def _watch_the_bench(self) -> None:
        """Whatever is done, what a take says of its bench is what stood there when it was stored, or it says that it moved."""
        inner = Job.append

        def append(job: Job, *given: object, **more: object) -> object:
            bench, space = more.get("bench"), self.window.workspace
            device = space.session.bench.device if space is not None else None
            if isinstance(bench, BenchState) and isinstance(device, SimulatedDevice) and space.session.running:
                stands = relevant(device.standing)
                apart = bench.apart(stands)
                moved = any(t.code == "bench_moved" for t in given[2].trust)
                if apart and not moved and device.changes == self._changes_at_play:
                    self.unforeseen.append(AssertionError(f"stored {bench}, stood {stands}"))
            return inner(job, *given, **more)

        played = Playing.play

        def play(playing: Playing, job: Job, document: object, cell: object, bench: object, *given: object) -> object:
            out = played(playing, job, document, cell, bench, *given)
            self._changes_at_play = getattr(bench.device, "changes", 0)
            return out

        Job.append, Playing.play = append, play

    def _answer_dialogs(self) -> None:
        def save(*_: object) -> tuple[str, str]:
            return self.chance.choice(["", str(self.folder / f"out-{self.chance.randrange(5)}.csv"), str(self.path)]), ""

        QFileDialog.getSaveFileName = staticmethod(save)
        QFileDialog.getOpenFileName = staticmethod(lambda *_: (self.chance.choice(["", str(self.path)]), ""))
        QFileDialog.getExistingDirectory = staticmethod(lambda *_: self.chance.choice(["", str(self.path.parent)]))

    def live(self, events: int) -> int:
        """Do so many things; 0 where nothing went wrong that nobody foresaw."""
        self.window.show()
        self.window.open_path(self.path)
        ways = (self.act, self.act, self.press_key, self.choose_cell, self.press_button, self.fill_form, self.slide, self.drag,
                self.theme, self.reopen, self.answer, self.wait, self.wait)  # fmt: skip
        for number in range(events):
            way = self.chance.choice(ways)
            print(number, way.__name__, flush=True)
            began = time.monotonic()
            way()
            self.pump(self.chance.choice((0.0, 0.0, 0.01, 0.05)))
            if time.monotonic() - began > _LONGEST_S:
                print(f"{way.__name__} took {time.monotonic() - began:.0f} s")
                return 3
            if self.unforeseen:
                print("not foreseen:", repr(self.unforeseen[0]))
                return 2
        self.window.close()  # while something runs this waits, with a word; a run ends at its next block or analysis
        began = time.monotonic()
        while self.window.isVisible() and time.monotonic() - began < _LONGEST_S:
            self.pump(0.05)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.pump(0.1)
        if self.window.isVisible() or not all_over(round(1000 * _LONGEST_S)):
            print("closing did not end")
            return 4
        return 0

    def pump(self, seconds: float) -> None:
        """Let the window work."""
        end = time.monotonic() + seconds
        self.application.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        while time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.002)

    # --- what it does -----------------------------------------------------------------------------------------------

    def act(self) -> None:
        """Choose something from the menus."""
        name, action = self.chance.choice(sorted(self.window.actions_by_name.items()))
        if name not in _NEVER and name != "demo" and action.isEnabled():
            print("   ", name)
            action.trigger()

    def press_key(self) -> None:
        """Press a key where the focus is."""
        target = QApplication.focusWidget() or self.window
        QTest.keyClick(target, self.chance.choice(_KEYS))

    def choose_cell(self) -> None:
        """Choose cells of a row."""
        space = self.window.workspace
        if space is not None and space.coverage.model.rowCount():
            columns = space.coverage.model.columnCount()
            chosen = [self.chance.randrange(columns) for _ in range(self.chance.choice((1, 1, 2)))]
            space.coverage.choose(self.chance.randrange(space.coverage.model.rowCount()), chosen)

    def press_button(self) -> None:
        """Press any button that is seen."""
        seen = [b for b in self._seen(QAbstractButton) if b.isEnabled()]
        if seen:
            QTest.mouseClick(self.chance.choice(seen), Qt.MouseButton.LeftButton)

    def fill_form(self) -> None:
        """Type something into a field, or choose from a box."""
        fields = [*self._seen(QLineEdit), *self._seen(QComboBox)]
        if not fields:
            return
        field = self.chance.choice(fields)
        if isinstance(field, QComboBox):
            if field.count():
                field.setCurrentIndex(self.chance.randrange(field.count()))
                field.activated.emit(field.currentIndex())
        elif field.isEnabled() and not field.isReadOnly():
            field.setText(self.chance.choice(_WORDS))
            field.textEdited.emit(field.text())

    def slide(self) -> None:
        """Move a slider."""
        for slider in self._seen(QSlider)[:1]:
            slider.setValue(self.chance.randint(slider.minimum(), slider.maximum()))

    def drag(self) -> None:
        """Drag across the picture."""
        space = self.window.workspace
        if space is None or not space.plot.canvas.isVisible():
            return
        canvas = space.plot.canvas
        a, b = (QPoint(self.chance.randrange(max(1, canvas.width())), self.chance.randrange(max(1, canvas.height()))) for _ in "ab")
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=a)
        QTest.mouseMove(canvas, b)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=b)

    def theme(self) -> None:
        """Change the theme."""
        self.window.toggle_theme()

    def reopen(self) -> None:
        """Close the job at whatever moment, and open it again; now and then a new one."""
        if self.chance.random() < 0.5:
            self.window.close_job()
            self.pump(self.chance.choice((0.0, 0.02)))
        self.window.open_path(self.path)

    def answer(self) -> None:
        """Answer what is asked."""
        space = self.window.workspace
        if space is not None and space.prompt.isVisible():
            self.chance.choice(list(space.prompt.buttons.values())).click()

    def wait(self) -> None:
        """Let it work for a moment."""
        self.pump(self.chance.choice((0.05, 0.2, 0.5)))

    def _seen(self, kind: type[QWidget]) -> list[QWidget]:
        for box in QApplication.topLevelWidgets():
            if isinstance(box, QMessageBox) and box.isVisible():
                box.close()
        top = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
        popups = [w for w in top if w is not self.window and w.property("role") == "popup"]
        return [w for t in (popups or top) for w in t.findChildren(kind) if w.isVisibleTo(t)]


def _short_job():  # noqa: ANN202
    """The demo's first two units with steps that sound short."""
    document = demo_document()
    plans = []
    for plan in document.plans[:2]:
        steps = []
        for step in plan.steps:
            if step.kind in ("first_look", "response", "noise", "multitone", "impedance", "power_series"):
                values = dict(step.settings)
                if "duration_s" in values:
                    values["duration_s"] = 0.4
                steps.append(replace(step, settings=values))
        ids = {s.id for s in steps}
        plans.append(replace(plan, steps=tuple(steps), claims=tuple(c for c in plan.claims if c.step in ids)))
    return replace(document, units=document.units[:2], plans=tuple(plans))


if __name__ == "__main__":
    sys.exit("Run tools/random-user.")

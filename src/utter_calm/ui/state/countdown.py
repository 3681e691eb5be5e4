"""Three seconds of warning before something loud sounds; whoever mutes meanwhile has stopped it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, QTimer

from utter_calm.job.document import Cell, JobDocument
from utter_calm.measure.kind import StepKind
from utter_calm.quantities import si_text
from utter_calm.rig import Rig

SECONDS = 3
_EVERY_MS = 1000


class Countdown(QObject):
    """Counts down by words, then does what was asked for."""

    def __init__(self, say: Callable[[str], None], parent: QObject) -> None:
        super().__init__(parent)
        self._say = say
        self._left, self._what = 0, ""
        self._then: Callable[[], None] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def running(self) -> bool:
        """Whether it counts."""
        return self._then is not None

    def start(self, what: str, then: Callable[[], None]) -> None:
        """Count from three; ``what`` is told with each second."""
        self._left, self._what, self._then = SECONDS, what, then
        self._tell()
        self._timer.start()

    def stop(self) -> bool:
        """Stop it; whether it had been counting."""
        was, self._then = self.running, None
        self._timer.stop()
        return was

    def _tell(self) -> None:
        self._say(f"{self._what} in {self._left}… Esc stops it.")

    def _tick(self) -> None:
        self._left -= 1
        if self._left > 0:
            self._tell()
            return
        then = self._then
        self.stop()
        if then is not None:
            then()


def loud_words(document: JobDocument, cells: Iterable[Cell]) -> str:
    """What is loud about some cells on a real device; empty where nothing is."""
    loudest = 0.0
    for cell in cells:
        plan, step = document.plan_of(cell.step), document.step(cell.step)
        kind, limit = step.measure, plan.rig.protection.loud_v
        if not isinstance(kind, StepKind) or limit is None or plan.rig.sound is None:
            continue
        level = kind.highest_level(plan.settings_of(step, cell.setup)) or 0.0
        loudest = max(loudest, level if level >= limit else 0.0)
    return _words(loudest) if loudest else ""


def loud_tone(rig: Rig, level_v: float) -> str:
    """The same of a tone that begins at a level; what it is turned up to afterwards comes gliding."""
    limit = rig.protection.loud_v
    return _words(level_v) if rig.sound is not None and limit is not None and level_v >= limit else ""


def _words(level_v: float) -> str:
    return f"Loud: up to {si_text(level_v, 'V', digits=3)} at the outputs"

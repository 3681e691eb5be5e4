"""A frozen question for another thread, and the newest answer: of what is asked again and again only the last counts."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QThread, Signal


@dataclass(frozen=True, slots=True)
class Question:
    """All that an answer needs, frozen; called on any thread, it reads and writes nothing else."""

    number: int
    ask: Callable[[], object]


class _Asker(QThread):
    """Answers the newest question that it was given; older ones that were not begun are let go."""

    answered = Signal(int, object)
    failed = Signal(int, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.setObjectName("computing newest")
        self._next: Question | None = None
        self._there = threading.Condition()
        self._over = False

    def put(self, question: Question) -> None:
        """Give a question in place of the one that waits."""
        with self._there:
            self._next = question
            self._there.notify()

    def end(self) -> None:
        """Answer no more."""
        with self._there:
            self._over, self._next = True, None
            self._there.notify()

    def run(self) -> None:
        """Answer until it is ended; called by Qt on the new thread."""
        while True:
            with self._there:
                while self._next is None and not self._over:
                    self._there.wait()
                if self._over:
                    return
                question, self._next = self._next, None
            if question is None:
                continue
            try:
                answer = question.ask()
            except Exception as problem:  # noqa: BLE001 - carried back to who asked
                self.failed.emit(question.number, problem)
                continue
            self.answered.emit(question.number, answer)


class Newest(QObject):
    """Asks on a thread of its own; ``answered`` carries only the answer to the last question that was asked."""

    answered = Signal(object)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._number = 0
        self._asker: _Asker | None = None
        self._over = False

    def ask(self, function: Callable[[], object]) -> int:
        """Ask; give the number of the question. Once it was told to end nothing is asked any more: nobody would end that."""
        if self._over:
            return self._number
        if self._asker is None:
            self._asker = _Asker(self)
            self._asker.answered.connect(self._answer)
            self._asker.failed.connect(self._fail)
            self._asker.start()
        self._number += 1
        self._asker.put(Question(self._number, function))
        return self._number

    def forget(self) -> None:
        """Want no answer to what was asked so far."""
        self._number += 1

    def end(self) -> QThread | None:
        """Tell the thread to end, and give it to be waited for; an answer on its way is not shown."""
        self.forget()
        self._over = True
        asker, self._asker = self._asker, None
        if asker is not None:
            asker.end()
        return asker

    def close(self) -> None:
        """End the thread, and wait for it."""
        asker = self.end()
        if asker is not None:
            asker.wait()

    def _answer(self, number: int, answer: object) -> None:
        if number == self._number:
            self.answered.emit(answer)

    def _fail(self, number: int, problem: object) -> None:
        if number == self._number:
            self.failed.emit(problem)

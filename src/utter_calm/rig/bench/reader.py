"""Reads what the instruments show while a take plays: rails and currents under load, not at rest."""

from __future__ import annotations

import threading
from types import TracebackType
from typing import Self

import numpy as np

from utter_calm.errors import UtterCalmError
from utter_calm.quantities import Measured
from utter_calm.rig.bench.control import BenchControl

Shown = tuple[tuple[str, Measured], ...]
_EVERY_S = 0.25


class BenchReader:
    """Reads on a thread of its own for as long as the ``with`` lasts; what is told is the median of the readings.

    An instrument that fails meanwhile does not end the sound: ``problem`` says afterwards what it was.
    """

    def __init__(self, control: object) -> None:
        self._control = control if isinstance(control, BenchControl) else None
        self._over = threading.Event()
        self._seen: dict[str, list[float]] = {}
        self._units: dict[str, str] = {}
        self._thread: threading.Thread | None = None
        self.problem: UtterCalmError | None = None

    def __enter__(self) -> Self:
        if self._control is not None and self._control.readable:
            self._thread = threading.Thread(target=self._read, name="measuring the bench", daemon=True)
            self._thread.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None) -> None:
        self._over.set()
        if self._thread is not None:
            self._thread.join()

    @property
    def shown(self) -> Shown:
        """What was read, in the order of the instruments."""
        return tuple((factor, Measured(float(np.median(values)), self._units[factor])) for factor, values in self._seen.items())

    def _read(self) -> None:
        assert self._control is not None, "started with one"
        while not self._over.is_set():
            for factor in self._control.readable:
                try:
                    value = self._control.read(factor)
                except UtterCalmError as problem:
                    self.problem = problem
                    return
                if value is not None:
                    self._seen.setdefault(factor, []).append(value.value)
                    self._units[factor] = value.unit
            self._over.wait(_EVERY_S)

"""Deductions of a run, computed by the helper ahead of their turn while this process computes and stores others."""

from __future__ import annotations

import contextlib
from typing import Any

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, JobDocument
from utter_calm.job.job import GivenGroups, Job
from utter_calm.measure.aside import Aside, Coming
from utter_calm.measure.deduction import Deduction
from utter_calm.measure.result import Result

_Key = tuple[str, Any, tuple[tuple[str, tuple[int, ...]], ...]]


class DeducedAhead:
    """Results that were asked for early. What was asked for with other settings or older takes is left alone, and computed anew."""

    def __init__(self, aside: Aside | None) -> None:
        self._aside, self._begun = aside, dict[_Key, Coming[Result]]()

    def begin(self, job: Job, document: JobDocument, cells: list[Cell]) -> None:
        """Have the helper begin with cells whose takes are all stored; those that lack some say so in their own turn."""
        if self._aside is None:
            return
        for cell in cells:
            with contextlib.suppress(UtterCalmError):
                kind, settings, takes = job.wanted_by(cell, None, document)
                given = job.all_given(takes)
                key = _key(kind, settings, given)
                if key not in self._begun:
                    self._begun[key] = self._aside.deduce(kind, settings, given)

    def __call__(self, kind: Deduction[Any], settings: Any, given: GivenGroups) -> Result:  # noqa: ANN401 - of any kind
        """Give a result: what the helper has, or what is computed here; errors as in ``Deduction.deduce``."""
        coming = self._begun.pop(_key(kind, settings, given), None)
        if coming is None:
            return kind.deduce(settings, given)
        if not coming.compute_here():
            for later in reversed([*self._begun.values()]):  # who waits computes what nobody has begun
                if coming.is_there:
                    break
                later.compute_here()
        return coming()


def _key(kind: Deduction[Any], settings: Any, given: GivenGroups) -> _Key:  # noqa: ANN401
    return kind.key, settings, tuple((need, tuple(take.take for take in takes)) for need, takes in given.items())

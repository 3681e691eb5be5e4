"""The kinds of step that there are. A new one is listed here."""

from __future__ import annotations

from typing import Any

from utter_calm.errors import InputError
from utter_calm.measure.first_look import FirstLook
from utter_calm.measure.kind import StepKind
from utter_calm.measure.response import Response

KINDS: dict[str, StepKind[Any]] = {kind.key: kind for kind in (FirstLook(), Response())}


def kind_of(key: str) -> StepKind[Any]:
    """Find a kind by its key.

    Raises
    ------
    InputError
        This version of the program does not know it.
    """
    if key not in KINDS:
        raise InputError(f"This version does not know the kind of step “{key}”.", hint=f"It knows {', '.join(KINDS)}.")
    return KINDS[key]

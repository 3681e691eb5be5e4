"""How a reading is named, shown and defined. Each kind of step declares the readings that it adds."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Definition:
    """How a reading is named, shown and defined.

    Parameters
    ----------
    title
        Short, as on the screen; ``{}`` stands for the number in the name of a family such as ``harmonic_#``.
    shown
        ``"si"`` in its own unit; ``"db"`` as 20 lg; ``"percent"`` as per cent with dB beside it; ``"volts"`` with dBV beside
        it.
    text
        The definition, with its source where there is one.
    better
        ``"low"`` or ``"high"``: which of two values is the better one; empty where neither is.
    floored
        Whether the rig alone sets a floor to it.
    """

    title: str
    shown: str
    text: str
    better: str = ""
    floored: bool = False

"""What a claim may be about, and its bounds as they are typed and said back."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from utter_calm.errors import InputError
from utter_calm.measure.declare import Declared, Role, find
from utter_calm.measure.kind import Kind
from utter_calm.quantities import FULL_SCALE_UNIT, Scale, View, dbfs_to_volts, parse_quantity, quantity, si_text, volts_to_dbfs
from utter_calm.quantities.text import fixed, typed_text

_FULL_SCALE = "dBFS"


def bound_text(known: Declared, unit: str, value: float | None) -> str:
    """Show a bound as it is typed, in the first view of its quantity."""
    if value is None:
        return ""
    if unit == FULL_SCALE_UNIT:
        return f"{fixed(volts_to_dbfs(value, 1.0), 6).rstrip('0').rstrip('.')} {_FULL_SCALE}".replace("−", "-")
    view = known.what(unit).first
    if view.scale in (Scale.DECIBELS, Scale.PERCENT):
        return f"{fixed(float(view.place(value)), 6).rstrip('0').rstrip('.')} {view.label}".replace("−", "-")
    return typed_text(value, unit)


def parse_bound(known: Declared, unit: str, text: str) -> float | None:
    """Read a bound; empty is none. A bare number is in dB where one thinks in dB; per cent or a ratio is asked back.

    In dBFS it is a part of a full-scale sine.

    Raises
    ------
    InputError
        No such quantity, or a bare number that may be per cent or a ratio.
    """
    if not text.strip():
        return None
    if in_full_scale(known, text):
        return dbfs_to_volts(parse_quantity(text.replace(_FULL_SCALE, "dB"), "dB", what=known.title), 1.0)
    bare, scale = text.strip()[-1].isdigit(), known.what(unit).first.scale
    if bare and scale is Scale.DECIBELS:
        text += " dB"
    elif bare and scale is Scale.PERCENT:
        hint = f"Type {text.strip()} % for per cent, or dB, as in -80 dB for 0.01 %."
        raise InputError(f"“{text.strip()}” for {known.title} may be per cent or a ratio.", hint=hint)
    return parse_quantity(text, unit, what=known.title)


def in_full_scale(known: Declared, text: str) -> bool:
    """Whether a bound is typed in dBFS, and is one on a level."""
    return text.strip().endswith(_FULL_SCALE) and unit_of(known) == "V"


def understood(known: Declared, unit: str, low: float | None, high: float | None) -> str:
    """Say a bound back as it was understood, in the first two views of its quantity."""
    first, *others = known.what("V" if unit == FULL_SCALE_UNIT else unit).views

    def shown(view: View, value: float) -> str:
        if view.scale in (Scale.DECIBELS, Scale.PERCENT):
            return f"{fixed(float(view.place(value)), 6).rstrip('0').rstrip('.')} {view.label}"
        return f"a factor of {value:.6g}" if unit == "1" else str(si_text(value, unit, digits=4))

    def side(value: float) -> str:
        if unit == FULL_SCALE_UNIT:
            return f"{bound_text(known, unit, value)} (full scale: a sine that just fills the input)"
        beside = next((v for v in others if Scale.DECIBELS in (v.scale, first.scale) and v.scale is not first.scale), None)
        return shown(first, value) + (f" ({shown(beside, value)})" if beside is not None else "")

    sides = (("at least", low), ("at most", high))
    return " and ".join(f"{words} {side(value)}" for words, value in sides if value is not None)


def claimable(kind: Kind[Any], taken: Iterable[str] = ()) -> dict[str, Declared]:
    """What of a kind a claim may be about, its readings: families by those that were taken, else by their usual members.

    Where something was ``taken`` (names of readings of the step's takes), what its takes do not have is left out unless it is one
    of the main readings. What tells of the recording and not of the unit is none.
    """
    out: dict[str, Declared] = {}
    had = set(taken)
    for name in had:
        known = find(kind.readings, name)
        if known is not None and known.quantity and known.role is not Role.HIDDEN and not known.of_record:
            out[name] = kind.declared(name)
    for name, known in kind.readings.items():
        if known.role is Role.HIDDEN or not known.quantity or known.of_record or (had and known.role is Role.OTHER):
            continue
        for member in [name] if "#" not in name else [name.replace("#", one) for one in _members(name)]:
            out[member] = kind.declared(member)
    return dict(sorted(out.items(), key=lambda item: _place(kind, item[0])))


def _place(kind: Kind[Any], name: str) -> tuple[int, list[int]]:
    """Where a reading stands among those of its kind; members of a family by their numbers."""
    order = next((k for k, known in enumerate(kind.readings) if find({known: kind.readings[known]}, name)), 0)
    return order, [int(number) for number in re.findall(r"\d+", name)]


def claim_title(kind: Kind[Any], known: Declared) -> str:
    """Name a reading where nothing around it tells what it is of: “response at 20 Hz”."""
    bare = known.title.startswith(("at ", "in ", "between "))
    return f"{kind.title.lower()} {known.title}" if bare else known.title


def _members(family: str) -> tuple[str, ...]:
    """Usual numbers in a family of names."""
    if "percent" in family:
        return ("0_1", "1", "10")
    return tuple(str(k) for k in range(2, 11)) if family.startswith("harmonic") else ("1", "2", "3")


def maskable(kind: Kind[Any]) -> dict[str, Declared]:
    """Curves over frequency that a mask may bound: the main ones of its pictures."""
    names = [
        p.traces[0] for p in kind.plots if p.traces and not p.dense and not p.surface and not p.polar and quantity(p.x).unit == "Hz"
    ]
    return {name: kind.declared_trace(name) for name in dict.fromkeys(names)}


def unit_of(known: Declared) -> str:
    """SI unit in which it is bounded."""
    return quantity(known.quantity).unit if known.quantity else "1"

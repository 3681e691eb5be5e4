"""A rig's microphone: what its sensitivity is, since when, and how far it drifted."""

from __future__ import annotations

import math
from dataclasses import replace

from utter_calm.rig.calibrated import Calibrated
from utter_calm.rig.channel import MICROPHONE, Channel
from utter_calm.rig.rig import CAPSULE, Part, Rig

_KEPT = 50


def microphone_of(rig: Rig) -> tuple[int, Channel] | None:
    """Index and channel of the input that a microphone is on; None where there is none."""
    return next(((k, c) for k, c in enumerate(rig.inputs) if c.role == MICROPHONE), None)


def capsule_of(rig: Rig) -> Part | None:
    """The microphone before that input; None where nothing is known of it."""
    found = microphone_of(rig)
    if found is None:
        return None
    return next((p for p in rig.parts if p.kind == CAPSULE and found[1].number in (p.channels or (found[1].number,))), None)


def in_volts(rig: Rig) -> Rig:
    """The rig as if its microphone gave a volt per pascal and were flat: its input then tells volts."""
    parts = tuple(replace(p, value=1.0, correction=None) if p.kind == CAPSULE else p for p in rig.parts)
    return replace(rig, parts=parts)


def with_sensitivity(rig: Rig, made: Calibrated) -> Rig:
    """The rig with its microphone calibrated; what was known before stays in the history."""
    found, part = microphone_of(rig), capsule_of(rig)
    if found is None:
        return rig
    if part is None:
        new = Part(CAPSULE, made.value, channels=(found[1].number,), u_value=made.u, history=(made,))
        return replace(rig, parts=(*rig.parts, new))
    changed = replace(part, value=made.value, u_value=made.u, history=(*part.history, made)[-_KEPT:])
    return replace(rig, parts=tuple(changed if p is part else p for p in rig.parts))


def drift_db(part: Part | None, made: Calibrated) -> float | None:
    """Decibels by which a calibration is off the one before; None where there was none."""
    if part is None or not part.history:
        return None
    return 20 * math.log10(made.value / part.history[-1].value)

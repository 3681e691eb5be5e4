"""What belongs to a rig belongs to its channels: all plans that are measured with the same rig have it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from utter_calm.job.document.document import JobDocument
from utter_calm.rig import Channel, Part, Rig
from utter_calm.rig.rig import DIVIDES

_FACTS = ("full_scale", "u_level", "u_flatness", "correction", "calibrated", "how", "history", "days")
"""What is known of a channel, whatever hangs on it."""


def same_rig(one: Rig, other: Rig) -> bool:
    """Whether two plans are measured with the same channels."""
    return (one.name, one.device, one.sound) == (other.name, other.device, other.sound)


def as_known(document: JobDocument, rig: Rig) -> Rig:
    """A rig that joins a job with what its channels are known to be there; a ceiling that is lower there holds as well."""
    for plan in document.plans:
        if same_rig(plan.rig, rig):
            rig = _with_channels(rig, plan.rig.outputs, plan.rig.inputs)
            rig = _with_parts(rig, plan.rig.parts)
            if plan.rig.impedance is not None and plan.rig.bound == rig.bound:
                rig = replace(rig, impedance=plan.rig.impedance)
            if plan.rig.ceiling_typed:
                rig = replace(rig, ceiling_v=plan.rig.ceiling_v, ceiling_typed=True)
    return rig


def shared(before: JobDocument, after: JobDocument) -> JobDocument:
    """Give an edited document in which what was changed of a plan's rig is changed in all plans of the same rig."""
    known = {plan.id: plan.rig for plan in before.plans}
    for plan in after.plans:
        old, new = known.get(plan.id), plan.rig
        if old is None or old == new or not same_rig(old, new):
            continue
        outputs, inputs = (_changed(a, b) for a, b in ((old.outputs, new.outputs), (old.inputs, new.inputs)))
        parts = [p for p in new.parts if p not in old.parts]
        for other in after.plans:
            if other.id == plan.id or not same_rig(other.rig, new):
                continue
            rig = _with_parts(_with_channels(other.rig, outputs, inputs), parts)
            if old.impedance != new.impedance and rig.bound == new.bound:
                rig = replace(rig, impedance=new.impedance)
            if old.ceiling_v != new.ceiling_v:
                rig = replace(rig, ceiling_v=new.ceiling_v, ceiling_typed=True)
            if rig != other.rig:
                after = after.with_plan(replace(other, rig=rig))
        if old.ceiling_v != new.ceiling_v and not new.ceiling_typed:
            after = after.with_plan(replace(plan, rig=replace(new, ceiling_typed=True)))
    return after


def _changed(old: tuple[Channel, ...], new: tuple[Channel, ...]) -> tuple[Channel, ...]:
    before = {c.number: c for c in old}
    return tuple(c for c in new if c.number in before and _facts(c) != _facts(before[c.number]))


def _facts(channel: Channel) -> dict[str, object]:
    return {name: getattr(channel, name) for name in _FACTS}


def _with_channels(rig: Rig, outputs: Iterable[Channel], inputs: Iterable[Channel]) -> Rig:
    """The rig with what is known of channels of the same number."""
    sides = []
    for own, known in ((rig.outputs, outputs), (rig.inputs, inputs)):
        by_number = {c.number: c for c in known}
        sides.append(tuple(replace(c, **_facts(by_number[c.number])) if c.number in by_number else c for c in own))  # type: ignore[arg-type]
    return replace(rig, outputs=sides[0], inputs=sides[1])


def _with_parts(rig: Rig, known: Iterable[Part]) -> Rig:
    """The rig with what is known of the same parts: a microphone, a resistor, an amplifier; a divider is the plan's."""
    by_place = {(p.kind, p.side, p.channels): p for p in known if p.kind not in DIVIDES}
    return replace(rig, parts=tuple(by_place.get((p.kind, p.side, p.channels), p) for p in rig.parts))

"""What trust in a take rests on: grounds that were looked at, each held or not. Clean is what comes of it, never a default."""

from __future__ import annotations

import enum
from collections.abc import Iterable
from dataclasses import dataclass

from utter_calm.errors import InputError
from utter_calm.job.document import FLOOR
from utter_calm.job.job import Job
from utter_calm.job.take import DEDUCED, IMPORTED, MODELLED, TakeSummary
from utter_calm.job.verdict import is_rig_limited
from utter_calm.measure.kind import StepKind
from utter_calm.measure.kinds import is_floored, kind_of
from utter_calm.measure.result import Result
from utter_calm.quantities import amplitude_to_db
from utter_calm.quantities.text import fixed
from utter_calm.rig import CURRENT, LOOPBACK, MICROPHONE, VOLTAGE, Rig
from utter_calm.rig.microphone import capsule_of

_DEEPEST = 4
_LEVEL = frozenset({"overload", "noisy", "no_tone"})
_COMPLETE = frozenset({
    "lost_blocks", "interrupted", "dropout", "clicks", "repeated", "truncated", "ends_too_soon", "channel_unusable",
})  # fmt: skip
_STEADY = frozenset({"unsteady_level", "drift", "unsettled", "delay_moved", "gain_moved", "loose_contact", "unstable"})
_WINDOW = frozenset({"gate_short", "no_direct_sound", "room_heard", "window_over_reflection"})
_BENCH = frozenset({"bench_unlike_plan", "bench_moved", "distance_contradicted", "condition_doubtful"})
_CALIBRATION = frozenset({"calibration_old", "calibration_foreign", "channel_calibration_old"})
_KNOWN = _LEVEL | _COMPLETE | _STEADY | _WINDOW | _BENCH | _CALIBRATION


class State(enum.Enum):
    """Whether a ground was looked at, and held."""

    HELD = "held"
    NOT_HELD = "not held"
    NOT_LOOKED = "not looked at"


@dataclass(frozen=True, slots=True)
class Ground:
    """One thing that trust rests on: what it is, how it stands, what was found, and which key looks at it."""

    name: str
    state: State
    found: str = ""
    key: str = ""


def is_clean(grounds: Iterable[Ground]) -> bool:
    """Whether all that applies was looked at and held."""
    return all(ground.state is State.HELD for ground in grounds)


def grounds_of(job: Job, take: TakeSummary, *, depth: int = 0) -> tuple[Ground, ...]:
    """The grounds that apply to a take."""
    if take.origin == IMPORTED:
        return (Ground("how it was taken", State.NOT_LOOKED, "nobody here knows"),)
    said = {t.code: t.text for t in take.trust}
    grave = [t for t in take.trust if t.grave and t.code not in _KNOWN]
    other = Ground("no other doubt", State.NOT_HELD if grave else State.HELD, grave[0].text if grave else "")
    if take.origin in (DEDUCED, MODELLED):
        return (_sources(job, take, depth), other)
    kind = kind_of(take.kind)
    out = [
        _calibrated(take, said), *_floor(job, take), _by_codes("level in range", said, _LEVEL),
        _by_codes("complete", said, _COMPLETE), _by_codes("steady", said, _STEADY),
    ]  # fmt: skip
    if any("gate_stop_s" in (plot.edges or ()) for plot in kind.plots):
        out.append(_by_codes("window valid", said, _WINDOW))
    return (*out, _bench(take, said), other)


def trust_words(grounds: Iterable[Ground]) -> str:
    """In a sentence or two: clean, or what was not held and what was not looked at, with the key that looks."""
    grounds = tuple(grounds)
    if is_clean(grounds):
        return "Trust: clean."
    parts = []
    for state, head in ((State.NOT_HELD, "Not held"), (State.NOT_LOOKED, "Not looked at")):
        named = [g for g in grounds if g.state is state]
        if named:
            parts.append(f"{head}: {'; '.join(_named(g) for g in named)}.")
    return " ".join(parts)


def _named(ground: Ground) -> str:
    words = f"{ground.name}, {ground.found}" if ground.found else ground.name
    return f"{words.rstrip('.')} ({ground.key})" if ground.key else words.rstrip(".")


def _by_codes(name: str, said: dict[str, str], codes: frozenset[str]) -> Ground:
    found = next((text for code, text in said.items() if code in codes), "")
    return Ground(name, State.NOT_HELD if found else State.HELD, found)


def _bench(take: TakeSummary, said: dict[str, str]) -> Ground:
    if take.bench is None:
        return Ground("bench as planned", State.NOT_LOOKED, "nobody knows what stood there")
    return _by_codes("bench as planned", said, _BENCH)


def _calibrated(take: TakeSummary, said: dict[str, str]) -> Ground:
    """By what the channels that were heard are known, and since when."""
    name = "calibration"
    text = next((said[code] for code in said if code in _CALIBRATION), "")
    if text:
        return Ground(name, State.NOT_HELD, text, "Ctrl+I")
    rig = take.rig
    if rig is None:
        return Ground(name, State.NOT_LOOKED, "whoever recorded it is not known")
    never = [c.title for c in rig.inputs if c.role in (VOLTAGE, CURRENT, LOOPBACK) and not c.calibrated]
    if never:
        return Ground(name, State.NOT_LOOKED, f"never: {', '.join(never)}", "F6")
    if any(c.role == MICROPHONE for c in rig.inputs):
        return _microphone(rig)
    if rig.senses_impedance and rig.impedance is None:
        return Ground(name, State.NOT_LOOKED, "the impedance of this rig never was", "Ctrl+I")
    days = sorted(c.calibrated for c in rig.inputs if c.calibrated)
    return Ground(name, State.HELD, days[0] if days else "")


def _microphone(rig: Rig) -> Ground:
    part = capsule_of(rig)
    if part is None or not part.history:
        return Ground("calibration", State.NOT_LOOKED, "the microphone is known by its data sheet", "Ctrl+I")
    return Ground("calibration", State.HELD, f"{part.history[-1].how}, {part.history[-1].day}")


def _floor(job: Job, take: TakeSummary) -> tuple[Ground, ...]:
    """How far the rig's own floor lies below; none where the rig alone can tell nothing."""
    kind = kind_of(take.kind)
    if take.role == FLOOR or not isinstance(kind, StepKind) or not _has_floor(job, take, kind):
        return ()
    names = [n for n in kind.main_readings if is_floored(n, take.kind)]
    told: Result = job.with_floor(take)
    main = [r for r in told.readings if r.name in names]
    if not main:
        return ()
    if take.floor is None:
        return (Ground("the rig's own floor", State.NOT_LOOKED, "", "Shift+R"),)
    limited = [r for r in main if is_rig_limited(r)]
    if limited:
        return (Ground("the rig's own floor below", State.NOT_HELD, "what is read is the rig's as much as the unit's"),)
    below = [amplitude_to_db(r.value / r.floor) for r in main if r.floor and r.value > 0]
    return (Ground("the rig's own floor below", State.HELD, f"{fixed(min(below), 0)} dB" if below else ""),)


def _has_floor(job: Job, take: TakeSummary, kind: StepKind) -> bool:  # type: ignore[type-arg]
    try:
        return job.document.plan_of(take.step).has_floor(job.document.step(take.step))
    except InputError:  # a step that is gone
        return kind.has_floor


def _sources(job: Job, take: TakeSummary, depth: int) -> Ground:
    """Whether all that it was deduced from is clean."""
    name, known = "what it comes from", {t.id: t for t in job.takes}
    found = [known[s.take] for s in take.sources if s.take in known and s.take != take.id]
    if depth >= _DEEPEST or not found:
        return Ground(name, State.NOT_LOOKED)
    each = [(one, grounds_of(job, one, depth=depth + 1)) for one in found]
    for state in (State.NOT_HELD, State.NOT_LOOKED):
        for one, grounds in each:
            weak = next((g for g in grounds if g.state is state), None)
            if weak is not None:
                return Ground(name, state, f"take {one.id}: {_named(weak)}")
    return Ground(name, State.HELD)

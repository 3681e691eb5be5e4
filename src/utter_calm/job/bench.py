"""The bench as one value: what stands there at a moment, what a cell of the plan wants there, and how the two differ."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import msgspec

from utter_calm.job.document import FLOOR, LOAD, Cell, JobDocument, Plan, Setup, Step, Unit
from utter_calm.measure.acoustic_settings import CLOSE, IN_ROOM, ON_FLOOR
from utter_calm.measure.result import Trust
from utter_calm.quantities import NONE, Conditions, Measured, Value, number_of, value_text
from utter_calm.rig import normal_of

UNIT_FACTOR, PICKUP_FACTOR = "unit", "pickup"
LEFT_OUT = "cable"
SITUATION, DISTANCE, HEIGHT, MICROPHONE_HEIGHT, ANGLE, POSITION = (
    "situation", "distance", "height", "microphone height", "angle", "position",
)  # fmt: skip
PLACE = (SITUATION, DISTANCE, HEIGHT, MICROPHONE_HEIGHT, ANGLE, POSITION)
"""Factors that say where a loudspeaker and a microphone stand."""
OF_THE_RIG = (PICKUP_FACTOR, LOAD, "series resistor", "pre-filter")
"""Factors that stay as they are when another unit is put on the bench."""
BEFORE_IT = "before it"
ABSENT: Conditions = (
    ("series resistor", Measured(0.0, "ohm")), ("pre-filter", "out"), (LOAD, NONE), (POSITION, BEFORE_IT),
)  # fmt: skip
"""What is not there unless somebody put it there, and how that is called."""
_SETS = {"situation": SITUATION, "distance_m": DISTANCE, "source_m": HEIGHT, "microphone_m": MICROPHONE_HEIGHT}
"""Fields of a step's settings that say how something stands."""


@dataclass(frozen=True, slots=True)
class Apart:
    """A factor that stands otherwise on two benches."""

    factor: str
    here: Value
    there: Value

    @property
    def words(self) -> str:
        """As in ``bass: boost, not flat``."""
        return f"{self.factor}: {value_text(self.here)}, not {value_text(self.there)}"


@dataclass(frozen=True, slots=True)
class BenchState:
    """All that stands at the bench at a moment.

    Parameters
    ----------
    factors
        (factor, value) pairs: unit, load, pickup, what is in the path, where everything stands, every knob. What nobody knows
        is not among them.
    words
        How the unit's switches stand, as somebody noted it.
    """

    factors: Conditions = ()
    words: str = ""

    def value(self, factor: str) -> Value | None:
        """How a factor stands; None where nobody knows."""
        return dict(self.factors).get(factor)

    def apart(self, other: BenchState | Conditions) -> tuple[Apart, ...]:
        """What stands otherwise there; what is not known of either cannot be told."""
        there = dict(other.factors if isinstance(other, BenchState) else other)
        return tuple(
            Apart(factor, value, there[factor]) for factor, value in self.factors if factor in there and there[factor] != value
        )

    def without(self, factors: Collection[str]) -> BenchState:
        """Give it without some factors: those that a step varies by itself."""
        return replace(self, factors=tuple((f, v) for f, v in self.factors if f not in factors)) if factors else self

    def unlike(self, other: BenchState) -> bool:
        """Whether takes under the two are no repeats of each other."""
        return bool(self.apart(other)) or self.words != other.words


def same_bench(one: BenchState | None, other: BenchState | None) -> bool:
    """Whether two takes were made on the same bench; of takes of which nobody knows it all are taken to be."""
    return one is other if one is None or other is None else not one.unlike(other)


def relevant(factors: Conditions) -> Conditions:
    """What of a bench can be heard: close to a cone no distance counts, and a seat says all of its place."""
    known = dict(factors)
    if known.get(POSITION, BEFORE_IT) != BEFORE_IT:
        left = {SITUATION, DISTANCE, HEIGHT, MICROPHONE_HEIGHT, ANGLE}
    elif known.get(SITUATION) in CLOSE:
        left = {DISTANCE, HEIGHT, MICROPHONE_HEIGHT, ANGLE}
    elif known.get(SITUATION) not in (None, IN_ROOM, ON_FLOOR):
        left = {HEIGHT, MICROPHONE_HEIGHT}
    else:
        left = set()
    return tuple((factor, value) for factor, value in factors if factor not in left)


def bench_name(document: JobDocument, unit_id: str) -> str:
    """How a unit is called on the bench: its stand-in, or itself where the rig is a real one."""
    unit = document.unit(unit_id)
    return unit.title if document.plan(unit.plan).rig.sound is not None else unit.stand_in or unit.title


def normal_positions(document: JobDocument, unit: Unit) -> Conditions:
    """Where each factor of a unit stands when a setup does not name it: as the plan says, else as its stand-in is made."""
    plan = document.plan(unit.plan)
    own = () if plan.rig.sound is not None else normal_of(unit.stand_in)
    stated = dict(plan.normal)
    if own:
        return tuple((factor, stated.get(factor, value)) for factor, value in own)
    return tuple((factor, value) for factor, value in plan.normal if factor not in PLACE or plan.rig.hears_sound)


def wanted(document: JobDocument, cell: Cell, standing: Conditions = ()) -> Conditions:
    """(factor, value) pairs that the bench must have for a cell: what its setup names, and all else in its normal position.

    What a step's settings do by themselves is not among them. What ``standing`` still has in the path from another unit's plan is
    taken out again: it would falsify whatever follows.
    """
    plan, now = document.plan_of(cell.step), dict(standing)
    if cell.role == FLOOR:  # without the divider the rig brings its own input to the level that it sees behind the unit
        out = tuple((f, v) for f, v in ABSENT if f in OF_THE_RIG and f != LOAD and now.get(f, v) != v)
        return (*out, (PICKUP_FACTOR, Measured(1.0, "1")), (UNIT_FACTOR, LEFT_OUT))
    by_program = {f.name for f in plan.factors if f.by_program}
    named = tuple((f, v) for f, v in cell.setup.conditions if f not in by_program)
    normal = dict(normal_positions(document, document.unit(cell.unit)))
    whole: dict[str, Value] = {f: v for f, v in ABSENT if now.get(f, v) != v}
    whole[PICKUP_FACTOR] = Measured(plan.rig.pickup_ratio, "1")
    whole[UNIT_FACTOR] = bench_name(document, cell.unit)
    whole |= {f: v for f, v in normal.items() if f not in PLACE}
    if plan.rig.hears_sound:
        whole |= _place(plan, document.step(cell.step), cell.setup, normal, simulated=plan.rig.sound is None)
    return relevant(tuple((whole | dict(named)).items()))


def named_by(cell: Cell, factor: str) -> bool:
    """Whether a cell says itself how a factor stands; else it is only to be in its normal position."""
    return cell.role == FLOOR or factor in (UNIT_FACTOR, PICKUP_FACTOR) or cell.setup.value(factor) is not None


def _place(plan: Plan, step: Step, setup: Setup, normal: dict[str, Value], *, simulated: bool) -> dict[str, Value]:
    """Where loudspeaker and microphone stand: as the setup or a step's settings say, else normally."""
    typed = _stated_by(plan, step, setup)
    out: dict[str, Value] = {}
    for factor in PLACE:
        value = typed.get(factor, normal.get(factor))
        if value is None and factor == ANGLE and not simulated:
            value = Measured(0.0, "rad")
        if value is not None and (not simulated or factor in normal):
            out[factor] = value
    if MICROPHONE_HEIGHT not in typed and HEIGHT in typed and (MICROPHONE_HEIGHT in out or not simulated):
        out[MICROPHONE_HEIGHT] = typed[HEIGHT]
    return out


def _stated_by(plan: Plan, step: Step, setup: Setup) -> dict[str, Value]:
    """How everything stands by the settings of a step that has such, or else of the first of the plan that has."""
    for one in (step, *plan.steps):
        known: dict[str, Any] = {f: getattr(one.measure.settings_type(), f, None) for f in _SETS}
        if known["distance_m"] is None or known["situation"] is None:
            continue
        known |= {f: v for f, v in msgspec.to_builtins(one.settings).items() if f in _SETS}
        for factor in plan.factors:
            value = setup.value(factor.name)
            if factor.sets in _SETS and value is not None:
                number = number_of(value, "m")
                known[factor.sets] = value if number is None else number
        lengths = {f: known[f] for f in _SETS if f != "situation" and known[f]}  # 0 is not known
        stated: dict[str, Value] = {_SETS[f]: Measured(float(v), "m") for f, v in lengths.items()}
        return {SITUATION: str(known["situation"]), **stated}
    return {}


def unlike_plan(document: JobDocument, cell: Cell, state: BenchState) -> tuple[Trust, ...]:
    """Say where the bench of a take is not what its cell and the plan say."""
    apart = state.apart(relevant(wanted(document, cell, state.factors)))
    return tuple(Trust("bench_unlike_plan", f"The bench was not as planned. It stood at {a.words}.") for a in apart)


def moved_meanwhile(before: BenchState, after: BenchState) -> tuple[Trust, ...]:
    """Say what at the bench was changed while a take played."""
    apart = before.apart(after)
    words = (f"While it played the {a.factor} went from {value_text(a.here)} to {value_text(a.there)}." for a in apart)
    return tuple(Trust("bench_moved", text) for text in words)


def place_words(place: Conditions) -> str:
    """Where everything is to stand, as a hand wants to hear it: ``microphone 1 m before the loudspeaker, 1.2 m high, ...``."""
    known = dict(place)
    seat = known.get(POSITION, BEFORE_IT)
    if seat != BEFORE_IT:
        return f"the microphone at {value_text(seat)}"
    situation = known.get(SITUATION)
    if situation in CLOSE:
        return f"the microphone {situation}"
    parts = []
    if DISTANCE in known:
        parts.append(f"the microphone {value_text(known[DISTANCE])} before the loudspeaker")
    heights = [known.get(f) for f in (HEIGHT, MICROPHONE_HEIGHT)]
    if heights[1] is not None and heights[1] == heights[0]:
        parts.append(f"both {value_text(heights[1])} high")
    else:
        parts += [f"the {what} {value_text(h)} high" for what, h in zip(("loudspeaker", "microphone"), heights, strict=True) if h]
    if ANGLE in known:
        parts.append(f"the loudspeaker turned to {value_text(known[ANGLE])}")
    return ", ".join([*parts, *([value_text(situation)] if situation is not None else [])])


__all__ = [
    "ABSENT", "PLACE", "Apart", "BenchState", "bench_name", "named_by", "normal_positions", "place_words", "relevant",
    "unlike_plan", "wanted",
]  # fmt: skip

"""The chain: what is connected to what, with live values, and what changed since the take on the plot."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace

from utter_calm.errors import UtterCalmError
from utter_calm.job.bench import ABSENT, PICKUP_FACTOR, UNIT_FACTOR, BenchState
from utter_calm.job.document import LOAD, NO_SETUP, Plan, Setup, Step, Unit
from utter_calm.job.facts import POWER_MATTERS_OHM
from utter_calm.job.gain import Gain, gain_of
from utter_calm.job.job import Job
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.quantities import NONE, Value, amplitude_to_db, number_of, si_text, value_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Channel, Rig
from utter_calm.rig.microphone import capsule_of

_NOMINAL_OHM = 8.0


@dataclass(frozen=True, slots=True)
class LinkView:
    """One link.

    Parameters
    ----------
    key, title
        For machines and for people.
    main, sub
        Its two lines.
    badge
        What it was in the take on the plot, when that differs; empty otherwise.
    warning
        What is dangerous or cannot work, in words.
    simulated
        Whether a stand-in is behind it.
    """

    key: str
    title: str
    main: str
    sub: str
    badge: str = ""
    warning: str = ""
    simulated: bool = False


def chain_view(
    plan: Plan, unit: Unit, step: Step | None, standing_load: Value | None, shown: TakeSummary | None, *, simulated: bool,
    standing_unit: Value | None = None, next_load: Value | None = None, gain: Gain | None = None, bench: BenchState | None = None,
    setup: Setup = NO_SETUP,
) -> tuple[LinkView, ...]:  # fmt: skip
    """Look at the chain as it stands now.

    Parameters
    ----------
    step
        The step that would be taken next.
    standing_load
        The load that is switched on.
    shown
        The take on the plot.
    standing_unit
        What is on the bench, where that is known.
    gain
        Of the unit; None where it is not known: then nothing can be said beforehand.
    bench
        All that stands there now, for the unit's knobs and its place.
    next_load
        The load under which the step would be taken; the one that is switched on when left out.
    setup
        The conditions under which it would be taken.
    """
    rig = plan.rig
    behind = unit.title if rig.sound is not None else unit.stand_in or unit.title
    signal_main, signal_sub, signal_badge = _signal(step, level_of(plan, step, setup), shown)
    load_text = "not set" if standing_load is None else "no load" if standing_load == NONE else value_text(standing_load)
    was = shown.setup.value(LOAD) if shown is not None and shown.role != FLOOR else None
    level = level_of(plan, step, setup)
    too_high = level is not None and level > rig.highest_v
    return (
        LinkView("signal", "signal", signal_main, signal_sub, signal_badge,
                 "above the ceiling: will not be played" if too_high else ""),
        LinkView("output", "output", _numbers(rig.outputs), f"{_device(rig)}ceiling {si_text(rig.ceiling_v, 'V', digits=3)}",
        simulated=simulated),
        LinkView("unit", "unit", unit.title, _knobs(unit, bench, behind),
                 f"on the bench: {standing_unit}" if standing_unit not in (None, behind) else
                 f"was {shown.unit_title}" if shown and shown.role != FLOOR and shown.unit_title != unit.title else
                 _knob_badge(shown, bench),
                 simulated=simulated and bool(unit.stand_in)),
        LinkView("load", "load", "the unit itself", "" if rig.hears_sound else "it hangs on the leads")
        if rig.senses_impedance or rig.hears_sound else
        LinkView("load", "load", load_text, f"up to {rig.load_power_w:g} W",
                 f"was {value_text(was)}" if was and was != standing_load else "",
                 "" if step is not None and step.measure.limits_itself else
                 _load_warning(level, gain, next_load or standing_load, rig.load_power_w)),
        _pickup_link(rig, step, shown),
        LinkView("input", "input", _numbers(rig.inputs), f"full scale {si_text(rig.input_full_scale_v, 'V', digits=3)}",
        simulated=simulated),
    )  # fmt: skip


_CLIPS_CLEARLY, _DISTORTS = 1.02, 0.1
_ELSEWHERE = (UNIT_FACTOR, PICKUP_FACTOR, LOAD)
"""Factors that other links of the chain tell."""


def _knobs(unit: Unit, bench: BenchState | None, behind: str) -> str:
    """How the unit's knobs stand and where it is, and what somebody noted of its switches."""
    standing = [] if bench is None or bench.value(UNIT_FACTOR) != behind else [
        f"{f} {value_text(v)}" for f, v in bench.factors if f not in _ELSEWHERE and (f, v) not in ABSENT
    ]  # fmt: skip
    return ", ".join([*([unit.settings] if unit.settings else []), *standing]) or "settings not noted"


def _knob_badge(shown: TakeSummary | None, bench: BenchState | None) -> str:
    """What stood otherwise for the take on the plot."""
    if shown is None or shown.role == FLOOR or shown.bench is None or bench is None:
        return ""
    apart = [a for a in shown.bench.apart(bench) if a.factor not in _ELSEWHERE]
    more = f", and {len(apart) - 1} more" if len(apart) > 1 else ""
    return f"was {apart[0].factor} {value_text(apart[0].here)}{more}" if apart else ""


def _known_to(u: float) -> str:
    return f"± {fixed(200 * u, 2)} % (k = 2)" if u else "levels never calibrated"


def _device(rig: Rig) -> str:
    """The device that plays, where it is a real one."""
    return "" if rig.sound is None else f"{rig.sound.output or 'nothing plays'} · "


def level_of(plan: Plan, step: Step | None, setup: Setup = NO_SETUP) -> float | None:
    """Level at the rig's output at which a step is taken under a setup; None where it has none.

    A condition of the plan rules before the plan's reference, and that before what is typed in the step: as it is played.
    """
    if step is None:
        return None
    try:
        level = getattr(plan.settings_of(step, setup), "level_v", None)
    except UtterCalmError:  # told where it is to be played
        level = step.settings.get("level_v")
    return level if isinstance(level, float | int) else None


def level_ruled_by(plan: Plan, step: Step | None, setup: Setup) -> str:
    """What rules the level of a step under a setup, before what is typed in it; empty where nothing does."""
    if step is None:
        return ""
    own = next((f for f in plan.factors if f.sets == "level_v" and setup.value(f.name) is not None), None)
    if own is not None:
        return f"{value_text(setup.value(own.name) or NONE)} by the plan's {own.name}"
    if step.relative is not None and plan.reference is not None:
        relative = fixed(amplitude_to_db(step.relative), 1)
        return f"{relative} dB re the plan's reference of {si_text(plan.reference.level_v, 'V', digits=3)}"
    return ""


def _signal(step: Step | None, level: float | None, shown: TakeSummary | None) -> tuple[str, str, str]:
    if step is None:
        return "nothing chosen", "add a step", ""
    try:
        main = step.measure.signal(step.typed_settings())
    except UtterCalmError:
        main = step.title
    badge = ""
    was = shown.settings.get("level_v") if shown is not None and shown.step == step.id and shown.role != FLOOR else None
    if isinstance(was, float | int) and was != level:
        badge = f"was {si_text(was, 'V', digits=3)}"
    if level is None:
        return main, "", badge
    text = str(si_text(level, "V", digits=3))
    if step.relative is not None:
        text += f", {fixed(amplitude_to_db(step.relative), 1)} dB re reference"
    return main, text, badge


def _load_warning(level: float | None, gain: Gain | None, load: Value | None, limit_w: float) -> str:
    """Say it beforehand when the load would get more than it can take."""
    ohm = number_of(load, "ohm")
    if not level or not ohm or gain is None:
        return ""
    watts = (level * gain.ratio) ** 2 / ohm
    return f"about {si_text(watts, 'W', digits=2)}: more than the load can take" if watts > limit_w else ""


def _ohms(value: float) -> str:
    number, _, unit = str(si_text(value, "ohm", digits=4)).partition(" ")
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {unit}"


def _pickup(rig: Rig) -> str:
    """How the inputs hear the unit."""
    if rig.senses_impedance:
        return f"sense resistor {_ohms(rig.sense_ohm)}"
    return "direct" if rig.pickup_ratio == 1 else f"divider by {rig.pickup_ratio:g}"


def _pickup_link(rig: Rig, step: Step | None, shown: TakeSummary | None) -> LinkView:
    """The pickup; of a rig that hears a current, with what its calibration is worth."""
    main = _pickup(rig)
    if rig.hears_sound:
        return _microphone_link(rig)
    if not rig.senses_impedance:
        return LinkView("pickup", "pickup", main, _known_to(rig.u_level), _rig_badge(shown, rig.pickup_ratio))
    known = rig.impedance
    if known is None:
        return LinkView("pickup", "pickup", main, _known_to(rig.u_impedance(0)), "never calibrated")
    rate = step.settings.get("rate_hz", known.rate_hz) if step is not None else known.rate_hz
    foreign = known.foreign(rig.bound, int(rate))
    old = rig.on_day(dt.datetime.now(dt.UTC).date()).impedance
    if foreign:
        return LinkView("pickup", "pickup", main, "", "", "not calibrated: rig changed" if "rig" in foreign else "not at this rate")
    if old is not None and old.expired:
        return LinkView("pickup", "pickup", main, "", "", f"calibrated {known.made}: too old")
    return LinkView("pickup", "pickup", main, f"{_ohms(known.known_ohm)} reads {percent_off(known.proof or 0.0)}")


def _microphone_link(rig: Rig) -> LinkView:
    """A microphone, its sensitivity, and since when that is known."""
    part = capsule_of(rig)
    if part is None:
        return LinkView("pickup", "pickup", "microphone", "levels are not known", "never calibrated")
    spread = f"± {fixed(amplitude_to_db(1 + 2 * part.u_value), 2)} dB"
    main = str(si_text(part.value, "V/Pa", digits=4))
    if not part.history:
        return LinkView("pickup", "pickup", main, f"microphone, {spread}", "by its data sheet")
    return LinkView("pickup", "pickup", main, f"{spread}, {part.history[-1].day}")


def percent_off(part: float) -> str:
    """How far a proof is off, with its sign."""
    return f"{'+' if part > 0 else ''}{fixed(100 * part, 3)} %"


def _rig_badge(shown: TakeSummary | None, ratio: float) -> str:
    if shown is None or shown.rig is None or shown.rig.pickup_ratio == ratio:
        return ""
    return f"was by {shown.rig.pickup_ratio:g}"


@dataclass(frozen=True, slots=True)
class LevelView:
    """The level in the unit that matters, with its equivalent beside it."""

    main: str
    beside: str


def level_view(
    job: Job, unit: Unit, step: Step | None, load: Value | None, level_v: float | None = None, setup: Setup = NO_SETUP
) -> LevelView:
    """Give the level at the unit's output, as watts where there is a load, and at the rig's output.

    ``level_v`` is one that is being tried; left out, it is that of the step under ``setup``, and what rules it is said.
    """
    plan = job.document.plan(unit.plan)
    level = level_of(plan, step, setup) if level_v is None else level_v
    ruled = level_ruled_by(plan, step, setup) if level_v is None else ""
    view = _level_view(job, plan, unit, step, load, level)
    return replace(view, beside=f"{view.beside} · {ruled}") if ruled and level else view


def _level_view(job: Job, plan: Plan, unit: Unit, step: Step | None, load: Value | None, level: float | None) -> LevelView:
    if not level:
        return LevelView("no signal", "")
    if plan.rig.hears_sound:
        watts = si_text(level**2 / _NOMINAL_OHM, "W", digits=2)
        return LevelView(f"{si_text(level, 'V', digits=3)} at the loudspeaker", f"{watts} into {_NOMINAL_OHM:g} Ω")
    if plan.rig.senses_impedance:
        return _behind_resistor(level, plan.rig.sense_ohm)
    if step is not None and step.measure.limits_itself:
        return LevelView(f"up to {si_text(level, 'V', digits=3)} out", "rises from below and stops by itself")
    gain = gain_of(job, unit)
    if gain is None:
        return LevelView(f"{si_text(level, 'V', digits=3)} out", "the unit's gain is not known yet: take it, or press Alt+3")
    return _behind_unit(level, gain, load, clips_from(job, unit, load))


def clips_from(job: Job, unit: Unit, load: Value | None) -> float | None:
    """Volts from which a unit was measured to clip, or to distort as if it did, in a load; None where that was not seen."""
    seen = list[float]()
    for take in job.takes:
        if take.cell.unit != unit.id or take.role == FLOOR or take.superseded_by is not None or take.setup.value(LOAD) != load:
            continue
        onset, level, thd_n = (take.reading(name, 1) for name in ("clipping_onset", "level", "thd_n"))
        if onset is not None:
            seen.append(onset.value)
        if level is not None and thd_n is not None and thd_n.value > _DISTORTS:
            seen.append(level.value)
    return min(seen, default=None)


def _behind_resistor(level: float, ohm: float) -> LevelView:
    """What hangs on the leads takes the most where it matches the resistor: V^2 / 4 R."""
    most = si_text(level**2 / (4 * ohm), "W", digits=2)
    return LevelView(f"{si_text(level, 'V', digits=3)} out", f"behind {_ohms(ohm)}: at most {most} in the unit")


def _behind_unit(level: float, gain: Gain, load: Value | None, clips: float | None = None) -> LevelView:
    volts = level * gain.ratio
    ohm = number_of(load, "ohm")
    if clips is not None and volts > _CLIPS_CLEARLY * clips:
        most = f"{si_text(clips**2 / ohm, 'W', digits=3)} into {value_text(load or NONE)}" if ohm else si_text(clips, "V", digits=3)
        return LevelView(f"clips above {most}", f"{si_text(level, 'V', digits=3)} out is more than was measured to come through")
    at_unit = str(si_text(volts, "V", digits=3))
    beside = f"{si_text(level, 'V', digits=3)} out, gain {fixed(amplitude_to_db(gain.ratio), 1)} dB {gain.words}"
    if ohm:
        watts = f"{si_text(volts * volts / ohm, 'W', digits=3)} into {value_text(load or NONE)}"
        if ohm > POWER_MATTERS_OHM:  # a line, not a load that anything is driven into
            return LevelView(at_unit, f"{beside} · {watts}")
        return LevelView(watts, f"{at_unit} · {beside}")
    return LevelView(at_unit, beside)


def _numbers(channels: tuple[Channel, ...]) -> str:
    """Which channels: ``1 + 2``, or how many of them."""
    if len(channels) > 4:
        return f"{len(channels)} channels"
    return " + ".join(c.name or str(c.number) for c in channels) or "none"

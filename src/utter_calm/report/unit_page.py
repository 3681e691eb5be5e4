"""A unit's page: pictures, those that its claims rest on first, its main readings, conditions, calibration, trust and notes."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice
from typing import TYPE_CHECKING, cast

from utter_calm.job.document import Cell, Plan, Step, Unit
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kind import PlotSpec, StepKind
from utter_calm.present.coverage import setup_title
from utter_calm.present.palette import LIGHT
from utter_calm.present.panel import panel_view
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.drawing import Drawing
from utter_calm.present.picture.view import PlotView
from utter_calm.present.room import room_drawing, setup_words
from utter_calm.quantities import si_text, value_text
from utter_calm.report.sections import values_text
from utter_calm.rig import Rig
from utter_calm.rig.microphone import capsule_of

if TYPE_CHECKING:
    from utter_calm.measure.acoustic_settings import LoudspeakerSettings

_FEW, _TWO_ROWS, _MOST_PICTURES = 2, 4, 6
"""Pictures: with fewer others are shown as well, until they fill two rows."""
_MOST_READINGS = 3


@dataclass(frozen=True, slots=True)
class StepReadings:
    """Main readings of one step: their titles, and for each setup their values."""

    title: str
    names: tuple[str, ...]
    rows: tuple[tuple[str, tuple[str, ...]], ...]


@dataclass(frozen=True, slots=True)
class UnitPage:
    """Values of a unit's page, each text ready to be read."""

    title: str
    settings: str
    pictures: tuple[PlotView, ...]
    readings: tuple[StepReadings, ...]
    facts: tuple[tuple[str, str], ...]
    trust: tuple[str, ...]
    notes: tuple[str, ...]
    setup: tuple[str, ...] = ()
    sketch: Drawing | None = None
    scores: tuple[tuple[str, str, str], ...] = ()


def unit_page(job: Job, unit: Unit) -> UnitPage | None:
    """Gather the page of a unit; None where nothing of it was measured."""
    plan = job.document.plan(unit.plan)
    measured = [(step, takes) for step in plan.steps if (takes := _newest(job, unit, step))]
    if not measured:
        return None
    stood = [s for step, takes in measured for s in _stood(job, step, takes)]
    claimed = {claim.step for claim in plan.claims}
    held = [one for one in measured if one[0].id in claimed]
    pictures = [picture for step, takes in held for picture in _pictures(job, plan, step, takes)]
    if len(pictures) < _FEW:
        others = [one for one in measured if one not in held]
        if held:  # what is deduced tells more than what it is deduced from
            others.sort(key=lambda one: isinstance(one[0].measure, StepKind))
        more = (picture for step, takes in others for picture in _pictures(job, plan, step, takes))
        pictures += islice(more, (_TWO_ROWS if held else _MOST_PICTURES) - len(pictures))
    trust = [f"{step.title}, {setup_title(plan, t.setup)}: {item.text}"
             for step, takes in measured for t in takes for item in t.trust if item.grave]  # fmt: skip
    stale = [f"{step.title}: {words}" for step, takes in measured for t in takes for words in [job.stale(t)] if words]
    notes = [unit.notes, *(f"{step.title}: {t.note}" for step, takes in measured for t in takes if t.note)]
    return UnitPage(
        title=unit.title,
        settings=unit.settings,
        pictures=tuple(pictures[:_MOST_PICTURES]),
        readings=tuple(r for step, takes in measured if (r := _readings(job, plan, step, takes)).names),
        facts=_facts(plan),
        trust=tuple(dict.fromkeys((*stale, *trust))),
        notes=tuple(note for note in notes if note),
        setup=tuple(dict.fromkeys(setup_words(s) for s in stood)),
        sketch=next((room_drawing(s.layout, 260, 130, LIGHT) for s in stood if s.layout.source_m), None),
        scores=tuple((s.heading, f"{s.value:g} of {s.most:g}", s.note) for s in unit.scores),
    )


def _stood(job: Job, step: Step, takes: list[TakeSummary]) -> list[LoudspeakerSettings]:
    """How loudspeakers stood for the takes of a step."""
    if step.kind != "loudspeaker":
        return []
    return [cast("LoudspeakerSettings", job.settings_of(t)) for t in takes]


def _newest(job: Job, unit: Unit, step: Step) -> list[TakeSummary]:
    takes = (job.current(Cell(unit.id, step.id, setup)) for setup in job.document.plan(unit.plan).setups_of(step))
    return [take for take in takes if take is not None]


def _pictures(job: Job, plan: Plan, step: Step, takes: list[TakeSummary]) -> list[PlotView]:
    """The pictures that the claims of a step rest on: that of a bounded curve, else its first one."""
    claims = [claim for claim in plan.claims if claim.step == step.id]
    specs: dict[str, PlotSpec] = {}
    for claim in claims:
        shows = [spec for spec in step.measure.plots if claim.mask and claim.name in spec.traces]
        for spec in shows[:1] or step.measure.plots[:1]:
            specs.setdefault(spec.key, spec)
    if not specs and step.measure.plots:
        specs[step.measure.plots[0].key] = step.measure.plots[0]
    full = [Shown(job.full(t).result, facts_of(t), t.origin) for t in takes]
    under = job.floor_of(takes[-1])
    floor = Shown(under.result, facts_of(under.summary)) if under is not None else None
    held = job.document.claims_for(step.id, takes[-1].setup)
    out = []
    for spec in specs.values():
        crowded = spec.dense or len(spec.traces) > 1
        shown = full[:1] if spec.dense and spec.unwanted else full
        channels = frozenset({1}) if crowded else None
        out.append(plot_view(shown, spec.key, floor=floor, claims=held, channels=channels, ranges=step.ranges))
    return out


def _readings(job: Job, plan: Plan, step: Step, takes: list[TakeSummary]) -> StepReadings:
    wanted = list(step.measure.main_readings)
    views = [{v.name: v for v in panel_view(Shown(job.with_floor(t), facts_of(t), t.origin), ()).main} for t in takes]
    names = [name for name in wanted if any(name in view for view in views)][:_MOST_READINGS]
    titles = tuple(next(view[name].title for view in views if name in view) for name in names)
    rows = tuple(
        (setup_title(plan, t.setup), tuple(values_text(view.get(name)) for name in names))
        for t, view in zip(takes, views, strict=True)
    )
    return StepReadings(step.title, titles, rows)


def _pickup(rig: Rig) -> str:
    capsule = capsule_of(rig)
    if capsule is None:
        return "direct" if rig.pickup_ratio == 1 else f"divider by {rig.pickup_ratio:g}"
    known = f"calibrated {capsule.history[-1].day} by {capsule.history[-1].how}" if capsule.history else "by its data sheet"
    return f"microphone, {si_text(capsule.value, 'V/Pa', digits=4)}, {known}"


def _facts(plan: Plan) -> tuple[tuple[str, str], ...]:
    rig = plan.rig
    return (
        *((f.name, ", ".join(value_text(v) for v in f.values)) for f in plan.factors),
        ("rig", f"{rig.name} ({rig.device}), calibrated {rig.calibrated}"),
        ("full scale", f"output {si_text(rig.output_full_scale_v, 'V')}, input {si_text(rig.input_full_scale_v, 'V')}"),
        ("pickup", _pickup(rig)),
        ("ceiling", str(si_text(rig.ceiling_v, "V"))),
        ("uncertainty of levels (k = 2)", f"{2 * 100 * rig.u_level:.2g} % ({2 * 8.686 * rig.u_level:.2g} dB)"),
    )

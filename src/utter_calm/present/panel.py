"""The readings panel: few, large, with the rig's floor, the claim and the trust beside them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

from utter_calm.job.compare import compare
from utter_calm.job.compare_readings import Spread, spread_of, values_in
from utter_calm.job.facts import Shown as ShownResult
from utter_calm.job.grounds import Ground, State, trust_words
from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import RIG_LIMITED, Outcome, Verdict, is_rig_limited
from utter_calm.measure.declare import Role
from utter_calm.measure.kinds import declared, declared_trace, kind_of
from utter_calm.measure.result import Identity, Reading
from utter_calm.present.values import beside_text, floor_value, phase_text, reading_text, reading_texts
from utter_calm.present.words import label
from utter_calm.quantities import Conditions, Scale, Shown, part_text, quantity, si_text, values_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Channel

_POWER = "power"


@dataclass(frozen=True, slots=True)
class ReadingView:
    """One reading of one or more channels.

    Parameters
    ----------
    title
        What it is.
    values
        One for each channel that has it.
    beside
        The first channel's in the other unit, and its uncertainty.
    floor
        What the rig alone gives, in words; empty when unknown.
    limited
        Whether the value says more about the rig than about the unit.
    definition
        How it was computed.
    key, at
        The reading's name, and its coordinates.
    family
        Of several results that are shown together, what each is called and its values; empty for one result.
    """

    name: str
    title: str
    values: tuple[Shown, ...]
    channels: tuple[int, ...]
    beside: str
    floor: str
    limited: bool
    definition: str
    key: str = ""
    at: Conditions = ()
    family: tuple[tuple[str, tuple[Shown, ...]], ...] = ()

    @property
    def shown(self) -> tuple[Shown, ...]:
        """The values as they are written: one where all channels read the same."""
        return self.values[:1] if len({str(v) for v in self.values}) == 1 else self.values

    @property
    def heading(self) -> str:
        """The title, and for which channels one value stands."""
        several = len(self.shown) < len(self.values)
        return f"{self.title}, ch {', '.join(map(str, self.channels))}" if several else self.title


@dataclass(frozen=True, slots=True)
class ClaimView:
    """One line of the claimed-against-measured table."""

    outcome: Outcome
    text: str
    measured: str
    margin: str


@dataclass(frozen=True, slots=True)
class PanelView:
    """All that stands beside a plot; ``heard_by`` says whose each of a row's values is, where its channels are of unlike roles."""

    main: tuple[ReadingView, ...]
    others: tuple[ReadingView, ...]
    claims: tuple[ClaimView, ...]
    trust: tuple[str, ...]
    trust_is_grave: bool
    grounds: str = ""
    """What trust rests on, in words; empty for what is no take."""
    heard_by: tuple[str, ...] = ()


def panel_view(
    take: ShownResult, verdicts: Sequence[Verdict], repeats: Sequence[TakeSummary] = (), grounds: Sequence[Ground] | None = None
) -> PanelView:
    """Look at a result and its verdicts.

    ``repeats`` are the takes made alike, itself among them, for the spread; ``grounds`` are what trust in it rests on, None for
    what is no take.
    """
    kind = kind_of(take.facts.kind)
    hidden = {name for name, known in kind.readings.items() if known.role is Role.HIDDEN}
    keys = list(dict.fromkeys((r.name, r.at) for r in take.result.readings if r.name not in hidden))
    main = [k for name in kind.main_readings for k in keys if k[0] == name]
    if take.facts.is_line:
        main.sort(key=lambda k: declared(k[0], take.facts.kind).quantity == _POWER)
    others = [k for k in keys if k not in main]
    grave, found = [t.text for t in take.result.trust if t.grave], values_in(repeats)
    channels = take.facts.rig.recorded if take.facts.rig is not None else ()
    full_scale = channels[0].full_scale if channels else None
    return PanelView(
        main=tuple(reading_view(take, *key, found, full_scale) for key in main),
        others=tuple(reading_view(take, *key, found, full_scale) for key in others),
        claims=tuple(claim_view(v, take.facts.kind) for v in verdicts),
        trust=tuple(grave or [t.text for t in take.result.trust]),
        trust_is_grave=bool(grave) or any(g.state is State.NOT_HELD for g in grounds or ()),
        grounds="" if grounds is None else trust_words(grounds),
        heard_by=_heard_by(take, channels),
    )


def _heard_by(take: ShownResult, channels: Sequence[Channel]) -> tuple[str, ...]:
    """Roles of the channels whose readings stand side by side, where these differ: a current beside a sound."""
    numbers = sorted({r.channel for r in take.result.readings if 0 < r.channel <= len(channels)})
    roles = tuple(channels[n - 1].role for n in numbers)
    return roles if len(set(roles)) > 1 else ()


def with_family(view: PanelView, shown: Sequence[ShownResult]) -> PanelView:
    """Put the readings of several results of one kind side by side, each called by what sets it apart."""
    if len(shown) < 2:
        return view
    known = compare([one.facts for one in shown])
    kind = shown[0].facts.kind
    names = [label(known, number, kind) or one.facts.name for number, one in enumerate(shown)]

    def beside(row: ReadingView) -> ReadingView:
        found = [reading_texts([r for r in one.result.readings if (r.name, r.at) == (row.key, row.at)], kind) for one in shown]
        return replace(row, family=tuple((name, values) for name, values in zip(names, found, strict=True) if values))

    return replace(view, main=tuple(map(beside, view.main)), others=tuple(map(beside, view.others)))


def reading_view(
    take: ShownResult, name: str, at: Conditions = (), found: Mapping[Identity, Sequence[float]] = MappingProxyType({}),
    full_scale: float | None = None,
) -> ReadingView:  # fmt: skip
    """Look at one reading over its channels; of several coordinates one.

    ``found`` is what repeats read, ``full_scale`` the level at the first input that reads 0 dBFS.
    """
    kind = take.facts.kind
    readings = [r for r in take.result.readings if r.name == name and r.at == at]
    first = readings[0]
    shown = reading_texts(readings, kind)
    other_unit = shown[0].unit != reading_text(first, kind).unit  # for the sake of another channel: then both stand in it
    aside = "" if other_unit else beside_text(first, kind, full_scale)
    spread = shown[0].spread
    again = spread_of(first, found)
    alike = "" if again is None or not first.value else _alike_text(again, first.value)
    sure = f"± {spread} {shown[0].unit}".strip() if spread else ""
    return ReadingView(
        name=f"{name}, {values_text(at)}" if at else name,
        key=name,
        at=at,
        title=f"{declared(name, kind).title}{f', {first.label}' if first.label else ''}",
        values=shown,
        channels=tuple(r.channel for r in readings),
        beside=" · ".join(t for t in (sure, alike, aside, phase_text(first)) if t),
        floor=_doubt_text(readings) or floor_text(first, kind),
        limited=any(is_rig_limited(r) or r.doubt for r in readings),
        definition=_full_definition(take, name),
    )


def _alike_text(again: Spread, value: float) -> str:
    if not again.deviation:  # as a polarity
        return f"{again.count} takes, all the same"
    return f"{again.count} takes ± {part_text(again.deviation / abs(value))}"


def _doubt_text(readings: Sequence[Reading]) -> str:
    """Say which channels' values say less than they seem to, and why."""
    doubtful = [r for r in readings if r.doubt]
    if not doubtful:
        return ""
    where = f"ch {', '.join(str(r.channel) for r in doubtful)} " if len(doubtful) < len(readings) else ""
    return f"{where}in doubt: {doubtful[0].doubt}"


def floor_text(reading: Reading, kind: str = "") -> str:
    """What the rig alone gives for a reading, in words."""
    text = floor_value(reading, kind)
    if not text:
        return ""
    return f"rig alone {text}: limited by the rig" if is_rig_limited(reading) else f"rig alone {text}"


def _full_definition(take: ShownResult, name: str) -> str:
    known = declared(name, take.facts.kind)
    text, settings = known.text, take.facts.settings or {}
    if {"band_low_hz", "band_high_hz"} <= set(settings) and (known.floored or known.quantity in ("bits", "gain")):
        text += f"\nBand {settings['band_low_hz']:g} to {settings['band_high_hz']:g} Hz."
    return text + "\nUncertainty is expanded, k = 2."


def claim_view(verdict: Verdict, kind: str = "") -> ClaimView:
    """Put a verdict into words."""
    if verdict.value is None or verdict.bound is None:
        return ClaimView(verdict.outcome, verdict.claim.text, "–", verdict.doubt or "not measured yet")
    name = verdict.claim.name
    known = declared_trace(name, kind) if verdict.claim.mask else declared(name, kind)
    measured = str(known.shown(verdict.value, verdict.unit, verdict.uncertainty))
    if verdict.at is not None:
        measured += f" at {si_text(verdict.at, 'Hz', digits=3)}"
    return ClaimView(verdict.outcome, verdict.claim.text, measured, _margin(verdict, kind))


def _margin(verdict: Verdict, kind: str) -> str:
    """Distance to the bound in the unit in which people think of it, and why nothing could be decided."""
    if verdict.value is None or verdict.bound is None:
        return ""
    value, bound, name = verdict.value, verdict.bound, verdict.claim.name
    what = declared(name, kind).what(verdict.unit)
    looked = what.views if verdict.unit == "1" else (what.first,)
    if any(v.scale is Scale.DECIBELS for v in looked) and value > 0 and bound > 0:
        decibels = abs(float(quantity("gain").view("db").place(value / bound)))
        far = f"{fixed(decibels, 1 if decibels > 3 else 3)} dB"
    elif what.first.scale is Scale.PERCENT:
        far = f"{fixed(100 * abs(value - bound), 2)} %"
    elif verdict.unit == "1":
        far = f"{fixed(100 * abs(value / bound - 1), 1)} %" if bound else ""
    else:
        far = str(si_text(abs(value - bound), verdict.unit, digits=3))
    if verdict.doubt:
        return f"in doubt: {verdict.doubt}"
    if verdict.outcome in (Outcome.MET, Outcome.MISSED):
        return f"by {far}"
    if verdict.outcome is Outcome.UNDECIDED:
        return f"{far} from the bound, within the uncertainty"
    if verdict.floor is None or value >= RIG_LIMITED * verdict.floor:
        return "no more than noise: record longer"
    return f"the rig alone gives {declared(name, kind).shown(verdict.floor, verdict.unit)}"

"""The readings panel: few, large, with the rig's floor, the claim and the trust beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from utter_calm.job.compare_readings import spread_of
from utter_calm.job.take import Take, TakeSummary
from utter_calm.job.verdict import RIG_LIMITED, Outcome, Verdict, is_rig_limited
from utter_calm.measure.kinds import definition, kind_of
from utter_calm.measure.result import Reading
from utter_calm.present.values import beside_text, phase_text, reading_text, value_text
from utter_calm.quantities import Shown, amplitude_to_db, si_text
from utter_calm.quantities.text import fixed


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
    """

    name: str
    title: str
    values: tuple[Shown, ...]
    channels: tuple[int, ...]
    beside: str
    floor: str
    limited: bool
    definition: str


@dataclass(frozen=True, slots=True)
class ClaimView:
    """One line of the claimed-against-measured table."""

    outcome: Outcome
    text: str
    measured: str
    margin: str


@dataclass(frozen=True, slots=True)
class PanelView:
    """All that stands beside a plot."""

    main: tuple[ReadingView, ...]
    others: tuple[ReadingView, ...]
    claims: tuple[ClaimView, ...]
    trust: tuple[str, ...]
    trust_is_grave: bool


def panel_view(take: Take, verdicts: Sequence[Verdict], repeats: Sequence[TakeSummary] = ()) -> PanelView:
    """Look at a take and its verdicts; ``repeats`` are the takes made alike, itself among them, for the spread."""
    kind = kind_of(take.summary.kind)
    keys = list(dict.fromkeys((r.name, r.variant if _parts_rows(r) else "") for r in take.result.readings))
    main = [k for name in kind.main_readings for k in keys if k[0] == name]
    others = [k for k in keys if k not in main]
    grave = [t.text for t in take.result.trust if t.grave]
    return PanelView(
        main=tuple(reading_view(take, *key, repeats) for key in main),
        others=tuple(reading_view(take, *key, repeats) for key in others),
        claims=tuple(claim_view(v) for v in verdicts),
        trust=tuple(grave or [t.text for t in take.result.trust]),
        trust_is_grave=bool(grave),
    )


def _parts_rows(reading: Reading) -> bool:
    """Whether the variant sets rows apart (a setup, a position), or is only a word on the value (a kinship, a bound)."""
    return not reading.name.startswith("idle_tone") and reading.variant != "at most"


def reading_view(take: Take, name: str, variant: str = "", repeats: Sequence[TakeSummary] = ()) -> ReadingView:
    """Look at one reading over its channels; of several variants one."""
    readings = [r for r in take.result.readings if r.name == name and (not _parts_rows(r) or r.variant == variant)]
    first = readings[0]
    word = variant if _parts_rows(first) else first.variant
    shown = tuple(reading_text(r) for r in readings)
    rig = take.summary.rig
    beside = beside_text(name, first.value, first.unit, rig.input_full_scale_v * rig.pickup_ratio)
    spread = shown[0].spread
    again = spread_of(first.name, first.channel, first.variant, repeats)
    alike = (
        ""
        if again is None or not first.value
        else f"{again.count} takes ± {100 * again.deviation / abs(first.value):.2g} %"
    )
    return ReadingView(
        name=f"{name}, {variant}" if variant else name,
        title=f"{definition(name).title}{f', {word}' if word else ''}",
        values=shown,
        channels=tuple(r.channel for r in readings),
        beside=" · ".join(
            t for t in (f"± {spread} {shown[0].unit}".strip() if spread else "", alike, beside, phase_text(first)) if t
        ),
        floor=floor_text(first),
        limited=any(is_rig_limited(r) for r in readings),
        definition=_full_definition(take, name),
    )


def floor_text(reading: Reading) -> str:
    """What the rig alone gives for a reading, in words."""
    if reading.floor is None:
        return ""
    text = str(value_text(reading.name, reading.floor, reading.unit))
    if is_rig_limited(reading):
        return f"rig alone {text}: limited by the rig"
    return f"rig alone {text}"


def _full_definition(take: Take, name: str) -> str:
    text = definition(name).text
    settings = take.summary.settings
    if "band_low_hz" in settings and name in ("thd", "thd_n", "sinad", "noise", "enob"):
        text += f"\nBand {settings['band_low_hz']:g} to {settings['band_high_hz']:g} Hz."
    return text + "\nUncertainty is expanded, k = 2."


def claim_view(verdict: Verdict) -> ClaimView:
    """Put a verdict into words."""
    if verdict.value is None or verdict.bound is None:
        return ClaimView(verdict.outcome, verdict.claim.text, "–", "not measured yet")
    name = verdict.claim.name
    shown = value_text(name, verdict.value, verdict.unit, verdict.uncertainty)
    if verdict.claim.mask:
        shown = Shown(fixed(amplitude_to_db(verdict.value), 3), "dB")
    measured = str(shown)
    if verdict.at is not None:
        measured += f" at {si_text(verdict.at, 'Hz', digits=3)}"
    return ClaimView(verdict.outcome, verdict.claim.text, measured, _margin(verdict))


def _margin(verdict: Verdict) -> str:
    """Distance to the bound in the unit in which people think of it, and why nothing could be decided."""
    assert verdict.value is not None
    assert verdict.bound is not None
    value, bound, name = verdict.value, verdict.bound, verdict.claim.name
    if verdict.unit == "1" and value > 0 and bound > 0:
        decibels = abs(amplitude_to_db(value / bound))
        far = f"{fixed(decibels, 1 if decibels > 3 else 3)} dB"
    else:
        far = str(si_text(abs(value - bound), verdict.unit, digits=3))
    if verdict.outcome is Outcome.MET:
        return f"by {far}"
    if verdict.outcome is Outcome.MISSED:
        return f"by {far}"
    if verdict.outcome is Outcome.UNDECIDED:
        return f"{far} from the bound, within the uncertainty"
    if verdict.floor is None or value >= RIG_LIMITED * verdict.floor:
        return "no more than noise: record longer"
    return f"the rig alone gives {value_text(name, verdict.floor, verdict.unit)}"

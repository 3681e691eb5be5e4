"""Two takes beside each other, for the screen and the command line: readings, curves, and a sentence on both."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from utter_calm.job.compare import compare
from utter_calm.job.compare_readings import CurvePair, ReadingPair
from utter_calm.job.facts import Facts
from utter_calm.measure.kinds import declared, kind_of
from utter_calm.present.picture.compose import trace_words
from utter_calm.present.values import reading_text
from utter_calm.present.words import label
from utter_calm.quantities import Scale, amplitude_to_db, si_text
from utter_calm.quantities.text import fixed


@dataclass(frozen=True, slots=True)
class ComparisonRow:
    """One reading of two takes in words."""

    title: str
    first: str
    second: str
    decibels: str
    percent: str
    real: str
    spread: str


@dataclass(frozen=True, slots=True)
class ComparisonView:
    """The whole comparison."""

    titles: tuple[str, str]
    rows: tuple[ComparisonRow, ...]
    sentences: tuple[str, ...]


def comparison_view(takes: tuple[Facts, Facts], readings: Sequence[ReadingPair], curves: Sequence[CurvePair]) -> ComparisonView:
    """Put pairs into words."""
    known = compare(takes)
    titles = tuple(label(known, index, takes[0].kind) or takes[index].name for index in range(2))
    main = kind_of(takes[0].kind).main_readings
    order = sorted(readings, key=lambda p: main.index(p.first.name) if p.first.name in main else len(main))
    sentences = tuple(curve_sentence(pair, titles) for pair in curves if pair.name in _main_traces(takes[0].kind))
    return ComparisonView((titles[0], titles[1]), tuple(_row(pair, takes[0].kind) for pair in order), sentences)


def _main_traces(kind: str) -> set[str]:
    return {plot.traces[0] for plot in kind_of(kind).plots if plot.traces and not plot.dense}


def _row(pair: ReadingPair, kind: str) -> ComparisonRow:
    one, two = pair.first, pair.second
    channel = f", ch {one.channel}" if one.channel else ""
    known, label_text = declared(one.name, kind), one.label
    variant = f", {label_text}" if label_text else ""
    has_level = any(v.scale is Scale.DECIBELS for v in known.what(one.unit).views)
    decibels = percent = ""
    if pair.ratio is not None:
        decibels = f"{fixed(amplitude_to_db(pair.ratio), 4)} dB" if has_level else ""
        percent = f"{fixed(100 * (pair.ratio - 1), 4)} %"
    real = {True: "yes", False: "no", None: "unknown"}[pair.real]
    spread = ""
    if pair.spread is not None and one.value:
        spread = f"± {100 * pair.spread.deviation / abs(one.value):.2g} % in {pair.spread.count}"
    return ComparisonRow(
        f"{known.title}{variant}{channel}",
        str(reading_text(one, kind)), str(reading_text(two, kind)),
        decibels, percent, real, spread,
    )  # fmt: skip


def curve_sentence(pair: CurvePair, titles: tuple[str, ...]) -> str:
    """Say how far two curves part, and whether the rig could tell."""
    largest = amplitude_to_db(pair.largest)
    where = si_text(pair.at, "Hz", digits=3)
    what = f"{trace_words(pair.name)}, channel {pair.channel}"
    if pair.repeatability is None:
        return f"{what}: largest difference {fixed(largest, 4)} dB at {where}; take one of them twice to know the repeatability."
    own = amplitude_to_db(pair.repeatability)
    figures = f"largest difference {fixed(largest, 4)} dB at {where}, repeatability {fixed(own, 4)} dB"
    if largest <= 1.5 * own:
        return f"{what}: {titles[0]} and {titles[1]} cannot be told apart: {figures}."
    return f"{what}: {titles[0]} and {titles[1]} differ: {figures}."

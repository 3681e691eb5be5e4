"""Takes beside each other, for the screen and the command line: the verdict in a sentence, then every reading."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from utter_calm.job.channel_match import ChannelMatch
from utter_calm.job.compare import compare
from utter_calm.job.compare_readings import Compared, CurvePair, ReadingPair, difference_plots
from utter_calm.job.facts import Facts
from utter_calm.measure.kinds import declared, kind_of
from utter_calm.measure.result import Reading
from utter_calm.present.moved import moved_words
from utter_calm.present.picture.compose import trace_words
from utter_calm.present.values import reading_text
from utter_calm.present.words import label
from utter_calm.quantities import Scale, amplitude_to_db, si_text
from utter_calm.quantities.text import decimals_for, fixed

HEADINGS = ("difference", "beyond chance", "repeatability")
_MOST_NAMED = 3
_PER_NEPER = 20 / math.log(10)


@dataclass(frozen=True, slots=True)
class ComparisonRow:
    """One reading of all takes in words; the difference is the largest to the first take."""

    title: str
    values: tuple[str, ...]
    difference: str
    beyond: str
    repeatability: str


@dataclass(frozen=True, slots=True)
class ComparisonView:
    """The whole comparison: the verdict first, then what is beyond chance, then the rest."""

    titles: tuple[str, ...]
    verdict: str
    rows: tuple[ComparisonRow, ...]
    curve: str = ""
    """Name of the curve that the verdict speaks of first: that is what is drawn beside it."""

    @property
    def headings(self) -> tuple[str, ...]:
        """Over the columns."""
        return ("reading", *self.titles, *HEADINGS[: 3 if self.repeated else 2])

    @property
    def texts(self) -> tuple[tuple[str, ...], ...]:
        """Rows of words under the headings."""
        return tuple(
            (row.title, *row.values, row.difference, row.beyond, *((row.repeatability,) if self.repeated else ()))
            for row in self.rows
        )

    @property
    def repeated(self) -> bool:
        """Whether repeats tell anything."""
        return any(row.repeatability for row in self.rows)


def comparison_view(takes: Sequence[Facts], compared: Sequence[Compared]) -> ComparisonView:
    """Put the first take and each of the others, held against it, into words."""
    known = compare(takes)
    kind = takes[0].kind
    titles = _shortened(tuple(label(known, index, kind) or takes[index].name for index in range(len(takes))))
    main = kind_of(kind).main_readings
    order: dict[object, list[ReadingPair | None]] = {}
    for column, one in enumerate(compared):
        for pair in one.readings:
            order.setdefault(pair.first.identity, [None] * len(compared))[column] = pair
    rows = sorted(order.values(), key=lambda pairs: _rank(pairs, main))
    verdict = _verdict(titles, compared, kind)
    groups = kind_of(kind).groups
    if groups and len(compared) == 1:
        verdict = f"{moved_words(compared[0].readings, groups, kind)} {verdict}"
    elif len(compared) == 1:
        verdict = f"{_match_words(compared[0].match)}{_by_level(takes, compared[0])}{verdict}"
    return ComparisonView(titles, verdict, tuple(_row(pairs, titles, kind) for pairs in rows), _told_curve(compared, kind))


def _told_curve(compared: Sequence[Compared], kind: str) -> str:
    """The curve that a comparison speaks of: of those that differ the one furthest beyond chance, else the main one's largest."""
    differing = [c for one in compared for c in one.curves if c.real]
    if differing:
        return max(differing, key=_beyond).name
    main = _main_curves([c for one in compared for c in one.curves], kind)
    return max(main, key=lambda c: c.largest).name if main else ""


def _beyond(curve: CurvePair) -> float:
    return math.log(curve.largest) / (math.log(curve.limit or math.inf) or math.inf)


def _main_curves(curves: Sequence[CurvePair], kind: str) -> list[CurvePair]:
    plots = difference_plots(kind)
    return [c for c in curves if c.name in plots[0].traces] if plots else []


_LINEAR = 0.01


def _match_words(match: ChannelMatch | None) -> str:
    """Whether two loudspeakers make a pair: in level, and in the shape of what is left when that is turned even."""
    if match is None:
        return ""
    low, high, at = (si_text(f, "Hz", digits=3) for f in (*match.band_hz, match.at_hz))
    return (
        f"As a pair: within {fixed(abs(match.worst_db), 2)} dB of each other from {low} to {high}, worst at {at}, "
        f"once {fixed(match.mean_db, 2)} dB of level are taken out. "
    )


def _by_level(takes: Sequence[Facts], compared: Compared) -> str:
    """Whether a resonance stays where it is when it is driven harder: of a driver, whether it was measured in small signals."""
    levels = [(one.settings or {}).get("level_v") for one in takes[:2]]
    low, high = levels if len(levels) == 2 else (None, None)
    if not isinstance(low, float | int) or not isinstance(high, float | int) or low == high:
        return ""
    pair = next((p for p in compared.readings if p.first.name == "fs" and p.ratio is not None), None)
    if pair is None or pair.ratio is None:
        return ""
    part, volts = pair.ratio - 1, " to ".join(str(si_text(v, "V", digits=2)) for v in (low, high))
    if abs(part) < _LINEAR:
        return f"The resonance stays, within {max(100 * abs(part), 0.01):.1g} %, from {volts}: small signals. "
    softer = (part < 0) == (high > low)
    how = "softer" if softer else "stiffer"
    return (
        f"The resonance moves by {fixed(100 * part, 1)} % from {volts}: the suspension is {how} where it moves further. "
        "State the level, or measure lower. "
    )


def _shortened(titles: tuple[str, ...]) -> tuple[str, ...]:
    """Samples of one kind by what sets them apart: ``no. 0021`` and ``no. 0034``."""
    heads = {title.rpartition(", ")[0] for title in titles}
    tails = [title.rpartition(", ")[2] for title in titles]
    return tuple(tails) if len(heads) == 1 and "" not in heads and len(set(tails)) == len(tails) else titles


def _rank(pairs: Sequence[ReadingPair | None], main: Sequence[str]) -> tuple[bool, int]:
    found = [p for p in pairs if p is not None]
    name = found[0].first.name
    return not any(p.real for p in found), main.index(name) if name in main else len(main)


def _row(pairs: Sequence[ReadingPair | None], titles: Sequence[str], kind: str) -> ComparisonRow:
    found = [p for p in pairs if p is not None]
    one = found[0].first
    values = (str(reading_text(one, kind)), *("–" if p is None else str(reading_text(p.second, kind)) for p in pairs))
    widest = max(found, key=lambda p: p.apart)
    text = difference_text(widest, kind)
    if len(pairs) > 1 and text:
        text += f" ({titles[1 + [p is widest for p in pairs].index(True)]})"
    told = [p.real for p in found]
    beyond = "yes" if any(told) else "not known" if None in told else "no"
    spread = found[0].spread
    again = f"± {100 * spread.deviation / abs(spread.mean):.2g} % in {spread.count}" if spread is not None and spread.mean else ""
    return ComparisonRow(_title(one, kind), values, text, beyond, again)


def _title(reading: Reading, kind: str) -> str:
    what = reading.label
    channel = f", ch {reading.channel}" if reading.channel else ""
    return f"{declared(reading.name, kind).title}{f', {what}' if what else ''}{channel}"


def difference_text(pair: ReadingPair, kind: str) -> str:
    """How far two readings are apart, in decibels or per cent or their own unit, with as many digits as chance allows."""
    known = declared(pair.first.name, kind)
    deviation = pair.yardstick.deviation if pair.yardstick is not None else None
    if pair.second.value == pair.first.value:
        return "none"
    if pair.ratio is None or (known.quantity == "time" and not known.better):  # a moment, whose zero is anywhere
        return str(known.shown(pair.second.value - pair.first.value, pair.first.unit, deviation))
    relative = None if deviation is None else deviation / abs(pair.first.value)
    if any(v.scale is Scale.DECIBELS for v in known.what(pair.first.unit).views):
        decimals = 3 if relative is None else decimals_for(_PER_NEPER * relative)
        return f"{fixed(amplitude_to_db(pair.ratio), decimals)} dB"
    decimals = 3 if relative is None else decimals_for(100 * relative, most=3)
    return f"{fixed(100 * (pair.ratio - 1), decimals)} %"


def _verdict(titles: Sequence[str], compared: Sequence[Compared], kind: str) -> str:
    """Say whether the takes can be told apart, by what, and how many readings that rests on."""
    readings = [p for c in compared for p in c.readings if p.limit is not None]
    curves = [c for one in compared for c in one.curves]
    apart: dict[str, tuple[float, str]] = {}
    for name, one in zip(titles[1:], compared, strict=True):
        which = f" ({name})" if len(compared) > 1 else ""
        found = [(p.apart / (p.limit or math.inf), p.first.name, f"{_title(p.first, kind)} by {difference_text(p, kind)}{which}")
                 for p in one.readings if p.real]  # fmt: skip
        found += [(_beyond(c), c.name,
                   f"{_curve_words(c, kind)} by {_decibels(c)}{which}") for c in one.curves if c.real]  # fmt: skip
        for far, what, words in found:
            apart[what] = max(apart.get(what, (0.0, "")), (far, words))
    names = f"{titles[0]} and {titles[1]}" if len(titles) == 2 else f"These {len(titles)} takes"
    counted = f"{len(readings)} readings compared" if len(readings) != 1 else "1 reading compared"
    beyond = sum(bool(p.real) for p in readings)
    if apart:
        worst = [words for _, words in sorted(apart.values(), reverse=True)]
        return f"{names} differ: {'; '.join(worst[:_MOST_NAMED])}. {counted}, {beyond} beyond what chance gives."
    largest = _largest_words(curves, readings, kind)
    if not readings and not any(c.limit for c in curves):
        return (
            f"Whether {names} differ is not known: {largest + '; ' if largest else ''}"
            "no uncertainty is stated and nothing was repeated. Take one of them three times."
        )
    return f"{names} cannot be told apart: {largest + '; ' if largest else ''}{counted}, none beyond what chance gives."


def _largest_words(curves: Sequence[CurvePair], readings: Sequence[ReadingPair], kind: str) -> str:
    """The largest difference of the main curve, or of a main reading, with what it was held against."""
    main = _main_curves(curves, kind)
    if main:
        most = max(main, key=lambda c: c.largest)
        own = "take one of them twice to know the repeatability"
        if most.repeatability is not None:
            decibels = amplitude_to_db(most.repeatability)
            own = f"repeatability {fixed(decibels, decimals_for(decibels, most=4))} dB"
        return f"largest difference {_decibels(most)}, {own}"
    if readings:
        # what is lost in noise differs by many decibels and says nothing
        told = [p for p in readings if p.first.name in kind_of(kind).main_readings] or readings
        most_apart = max(told, key=lambda p: p.apart / (p.limit or math.inf))
        return f"largest difference {difference_text(most_apart, kind)} of {_title(most_apart.first, kind)}"
    return ""


def _curve_words(pair: CurvePair, kind: str) -> str:
    return f"{trace_words(pair.name, kind)}{f', ch {pair.channel}' if pair.channel else ''}"


def _decibels(pair: CurvePair) -> str:
    largest = amplitude_to_db(pair.largest)
    own = None if pair.repeatability is None else amplitude_to_db(pair.repeatability)
    decimals = max(decimals_for(largest, most=4), 3 if own is None else decimals_for(own, most=4))
    return f"{fixed(largest, decimals)} dB at {si_text(pair.at, 'Hz', digits=3)}"

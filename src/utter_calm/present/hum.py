"""The hum hunt in words: one large number, what it did since the last mark, the lines it is made of, the log of events."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.measure.live_watch import HumWatch
from utter_calm.present.panel import PanelView, ReadingView
from utter_calm.quantities import Shown, si_text, volts_to_dbv
from utter_calm.quantities.text import fixed

_MOST_LINES = 12


@dataclass(frozen=True, slots=True)
class HumView:
    """What is said of the hum at one moment.

    Parameters
    ----------
    number
        R.m.s. of the mains family in the louder channel.
    change, change_db
        Since the last mark, as text and in dB; empty and None without a mark.
    words
        Which family, in dBV, since what.
    log
        Events with what each did, the newest first.
    """

    number: Shown
    change: str
    change_db: float | None
    words: str
    log: tuple[str, ...]


def hum_view(watch: HumWatch) -> HumView | None:
    """Put what was heard into words; None before the first reading."""
    now = watch.latest
    if now is None:
        return None
    loudest = max(now.rms)
    channel = now.rms.index(loudest) + 1
    family = (
        f"{now.mains_hz:.2f} Hz and its multiples, channel {channel}"
        if now.mains_hz
        else "no mains family stands out: less than this could hide in the noise"
    )
    since = f", since “{watch.events[-1].text}”" if watch.events else ""
    change = watch.change_db()
    return HumView(
        si_text(loudest, "V", digits=3),
        "" if change is None else decibels(change),
        change,
        f"{family}; {fixed(volts_to_dbv(max(loudest, 1e-12)), 1)} dBV{since}",
        tuple(
            f"{event.text}: {si_text(event.rms, 'V', digits=3)}{'' if moved is None else f', then {decibels(moved)}'}"
            for event, moved in reversed(watch.effects())
        ),
    )


def hum_panel(watch: HumWatch) -> PanelView | None:
    """List the lines of the family, the lowest first, each with what it did since the last mark; None without a family."""
    now = watch.latest
    if now is None or now.mains_hz is None:
        return None
    before = dict(watch.before.lines) if watch.before is not None else {}
    loudest = max((rms for _, rms in now.lines), default=0.0)
    rows = []
    for multiple, rms in sorted(now.lines, key=lambda line: -line[1])[:_MOST_LINES]:
        was = before.get(multiple)
        moved = f"{decibels(20 * math.log10(rms / was))} since the mark" if was and rms > 0 else ""
        below = "the loudest" if rms == loudest else f"{decibels(20 * math.log10(rms / loudest))} re the loudest"
        rows.append(
            ReadingView(
                name=f"line_{multiple}",
                title=f"{fixed(multiple * now.mains_hz, 1)} Hz, {multiple} × mains",
                values=(si_text(rms, "V", digits=3),),
                channels=(1,),
                beside=" · ".join(t for t in (moved, below) if t),
                floor="",
                limited=False,
                definition="R.m.s. of this multiple of the mains frequency in the louder channel, over the last second.",
            )
        )
    return PanelView(tuple(rows), (), (), ("K keeps what is heard as a take.",), trust_is_grave=False)


def decibels(change: float) -> str:
    """Write a change with its sign."""
    return f"{'+' if change > 0 else ''}{fixed(change, 1)} dB"

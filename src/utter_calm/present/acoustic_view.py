"""A loudspeaker before a microphone at one glance: a sentence, time above, frequency below, what comes off what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.acoustic.geometry import Bounce, Layout, best_height, bounces, lowest_frequency, names_of, speed_of_sound
from utter_calm.job.facts import Shown
from utter_calm.measure.acoustic_settings import CLOSE, IN_ROOM
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Result, Trace
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import CurveView, PlotView, empty_plot
from utter_calm.present.values import reading_text
from utter_calm.quantities import si_text

KIND = "loudspeaker"
_MS = 1e-3
_FLOOR_DB, _EARLY_MS, _LEAST_MS, _FAR_MS, _AIR = -48.0, 1.5, 8.0, 16.0, 1.35
_SHOWN_DB, _MOST_FLAGS, _ROOM = 45.0, 6, 2
_POINTS = 1400


@dataclass(frozen=True, slots=True, eq=False)
class AcousticView:
    """The whole: a sentence, what stands beneath it, the pictures, the window in s, arrivals in words."""

    headline: str
    detail: str
    time: PlotView
    response: PlotView
    window_s: tuple[float, float] | None
    arrivals: tuple[str, ...]
    grave: bool = False


def acoustic_view(shown: Shown, layout: Layout, ghost: Shown | None = None) -> AcousticView:
    """Look at a take, or at what it would be under another window; ``ghost`` is what stood there before."""
    result = shown.result
    channel = next((t.channel for t in result.traces if t.name == "response"), 1)
    start, stop = (result.reading(name, channel) for name in ("gate_start", "gate_stop"))
    window = None if start is None or stop is None else (start.value, stop.value)
    found = _arrivals(result, channel, layout)
    doubts = [t for t in result.trust if t.grave] or list(result.trust)
    settings = shown.facts.settings or {}
    return AcousticView(
        headline=_sentence(result, channel, settings),
        detail="  ".join(t.text for t in doubts[:2]),
        time=_time(shown, channel, window, found, layout),
        response=_response(shown, ghost, channel),
        window_s=window,
        arrivals=tuple(words for _, words, _ in found),
        grave=bool(doubts) and doubts[0].grave,
    )


def foreseen_words(layout: Layout) -> str:
    """What must come back, and how low that leaves the response good: said before anything is played."""
    known, low = bounces(layout), lowest_frequency(layout)
    if not known or low is None:
        return "Type heights and distances: where reflections will fall, and how low the response will be good, follows from them."
    first = known[0]
    later = ", ".join(f"{b.name} {1e3 * b.after_s:.2f} ms" for b in known)
    text = f"{later[0].upper()}{later[1:]} after the direct sound: good from {si_text(low, 'Hz', digits=3)}."
    best = best_height(layout)
    if best is not None and first.name != "side wall" and abs(best - layout.source_m) > 0.1:
        better = lowest_frequency(replace(layout, source_m=best, microphone_m=best))
        if better is not None and better < 0.95 * low:
            text += f" At {best:.2f} m, the middle of the room, from {si_text(better, 'Hz', digits=3)}."
    return text


def _hz(value: object) -> str:
    return str(si_text(float(value), "Hz", digits=2)) if isinstance(value, int | float) else ""


def _sentence(result: Result, channel: int, settings: Mapping[str, object]) -> str:
    situation = str(settings.get("situation", IN_ROOM))
    level, low = (result.reading(name, channel) for name in ("sensitivity_2v83", "lowest_valid_frequency"))
    above, below = (result.reading(name, channel) for name in ("response_above", "response_below"))
    parts = []
    if situation in CLOSE:
        loud = result.reading("spl", channel)
        where = f"Heard {situation}"
        return f"{where}: {reading_text(loud, KIND).full()} while the sweep sounded." if loud is not None else f"{where}."
    if level is not None:
        parts.append(f"{reading_text(level, KIND).full().split(' ±')[0]} at 2.83 V and 1 m")
    if above is not None and below is not None:
        band = f" from {_hz(settings.get('band_low_hz'))} to {_hz(settings.get('band_high_hz'))}" if settings else ""
        up, down = 20 * np.log10(above.value), 20 * np.log10(below.value)
        parts.append(f"within +{up:.1f} and \N{MINUS SIGN}{abs(down):.1f} dB of its mean{band}")
    if low is not None:
        parts.append(f"good from {si_text(low.value, 'Hz', digits=3)}")
    buzz = result.reading("buzz_low", channel)
    high = result.reading("buzz_high", channel)
    if buzz is not None and high is not None:
        parts.append(
            f"something rubs or buzzes from {si_text(buzz.value, 'Hz', digits=2)} to {si_text(high.value, 'Hz', digits=2)}"
        )
    words = "; ".join(parts)
    return f"{words[:1].upper()}{words[1:]}." if parts else "A response without levels: the rig's microphone is not calibrated."


def _arrivals(result: Result, channel: int, layout: Layout) -> list[tuple[float, str, str]]:
    """Seconds after the direct sound, words, and a name, of each arrival that was found."""
    times = [
        r for r in result.readings if r.channel == channel and r.name.startswith("reflection_") and not r.name.endswith("level")
    ]
    levels = [result.reading(f"{r.name}_level", channel) for r in times]
    names = names_of([r.value for r in times], layout)
    out = []
    for reading, level, name in zip(times, levels, names, strict=True):
        db = "" if level is None else f", {20 * np.log10(max(level.value, 1e-9)):.0f} dB".replace("-", "\N{MINUS SIGN}")
        detour = reading.value * speed_of_sound(layout.celsius)
        out.append((reading.value, f"{name or 'reflection'} {1e3 * reading.value:.2f} ms ({detour:.2f} m of detour){db}", name))
    return out


def _time(
    shown: Shown, channel: int, window: tuple[float, float] | None, found: Sequence[tuple[float, str, str]], layout: Layout
) -> PlotView:  # fmt: skip
    """The energy-time curve, the window as what is not faded, arrivals as flags; foreseen ones in brackets."""
    trace = result_trace(shown.result, "energy_time", channel)
    if trace is None:
        return empty_plot("", "This take has no curve over time.")
    view = plot_view([shown], "time", channels=frozenset({channel}))
    foreseen = [b for b in bounces(layout) if not any(name == b.name for _, _, name in found)]
    last = max([_LEAST_MS, *(t for t in (1e3 * one[0] for one in found) if t < _FAR_MS), *(1e3 * b.after_s for b in foreseen),
                1e3 * window[1] if window else 0.0])  # fmt: skip
    low, high = -_EARLY_MS, min(last * _AIR, 1e3 * float(trace.x[-1]))
    x = trace.x / _MS
    inside = (x >= low) & (x <= high)
    level = 20 * np.log10(np.maximum(trace.magnitude[inside], 1e-6))
    thin = max(1, int(np.count_nonzero(inside) / _POINTS))
    valid = None if window is None else (window[0] / _MS, window[1] / _MS)
    curve = CurveView(x[inside][::thin], level[::thin], valid=valid, invalid_reason="")
    flags = [(1e3 * t, name or f"{1e3 * t:.1f} ms") for t, _, name in found[:_MOST_FLAGS] if 1e3 * t < high]
    flags += [(1e3 * b.after_s, f"({b.name})") for b in foreseen if 1e3 * b.after_s < high]
    metre = speed_of_sound(layout.celsius) * _MS
    axis = replace(view.x, low=low, high=high, log=False, factor=_MS, prefix="m",
                   title=f"after the direct sound (1 ms: {100 * metre:.1f} cm of detour)")  # fmt: skip
    edges = () if valid is None else (("gate_start_s", valid[0]), ("gate_stop_s", valid[1]))
    return replace(view, title="", differs="", same="", x=axis, y=_levels(view.y), curves=(curve,), bounds=(), points=(), notes=(),
                   edges=edges, flags=tuple(flags), room=_ROOM)  # fmt: skip


def _levels(y: Axis) -> Axis:
    return replace(y, low=_FLOOR_DB, high=3.0, title="energy over time", percent=False)


def _response(shown: Shown, ghost: Shown | None, channel: int) -> PlotView:
    """The response, fading out below what its window holds, and faintly what stood there before."""
    view = plot_view([shown], "response", channels=frozenset({channel}))
    if view.empty:
        return view
    curves = list(view.curves)
    if ghost is not None:
        before = plot_view([ghost], "response", channels=frozenset({channel}))
        curves = [*(replace(c, focus=False, label="") for c in before.curves), *curves]
    top = max(float(np.max(c.y)) for c in view.curves)
    low = result_low(shown.result, channel)
    flags = () if low is None else ((low, f"good from {si_text(low, 'Hz', digits=3)}"),)
    high = float(np.ceil((top + 3) / 5) * 5)
    y = replace(view.y, low=max(view.y.low, high - _SHOWN_DB), high=high)
    return replace(
        view, title="", differs="", same="", y=y, curves=tuple(curves), flags=flags, points=(), notes=(), edges=(), room=_ROOM
    )


def result_trace(result: Result, name: str, channel: int) -> Trace | None:
    """A trace by name and channel; None where it is not there."""
    return next((t for t in result.traces if t.name == name and t.channel == channel), None)


def result_low(result: Result, channel: int) -> float | None:
    """Lowest frequency at which the response is good, in Hz."""
    found = result.reading("lowest_valid_frequency", channel)
    return None if found is None else found.value


def later_pictures(shown: Shown) -> list[str]:
    """Keys of the other pictures that a take of this kind has."""
    return [p.key for p in kind_of(KIND).plots if p.key not in ("response", "time") and any(
        t.name in p.traces for t in shown.result.traces)]  # fmt: skip


__all__ = ["AcousticView", "Bounce", "acoustic_view", "foreseen_words", "later_pictures"]

"""A live frame as a result like any other, so that its picture is composed as that of a take is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.job.facts import Facts, Shown
from utter_calm.measure.result import FloatArray, Result, Trace
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import PlotView

LIVE = "live"
_KIND = "first_look"
_DISTORTS, _CREST = 0.03, 1.34
"""Of a sine the crest is 1.414; cut off at 0.92 of its height it is 1.34, and 3 % of it are harmonics."""


def live_shown(
    name: str, frequency_hz: FloatArray, level: FloatArray, time_s: FloatArray | None = None, wave: FloatArray | None = None, *,
    unit: str = "V",
) -> Shown:  # fmt: skip
    """Give a frame as it is shown.

    Parameters
    ----------
    name
        What it is called beside another one: ``before``.
    frequency_hz, level
        (n,) lines, and (n, channels) r.m.s. of them in ``unit``.
    time_s, wave
        (m,) and (m, channels), where there is a waveform.
    """
    traces = [Trace("spectrum", c + 1, frequency_hz, "Hz", level[:, c], unit) for c in range(level.shape[1])]
    if time_s is not None and wave is not None:
        traces += [Trace("waveform", c + 1, time_s, "s", wave[:, c], unit) for c in range(wave.shape[1])]
    return Shown(Result((), tuple(traces)), Facts(_KIND, unit=name), LIVE)


def clips(result: Result | None, wave: FloatArray) -> tuple[int, ...]:
    """Channels whose tone is cut off at its tops: it distorts, and its crest lies below that of a sine.

    Parameters
    ----------
    wave
        (m, channels) of a few periods.
    """
    found = []
    for channel in range(wave.shape[1]):
        thd_n = None if result is None else result.reading("thd_n", channel + 1)
        if thd_n is None or thd_n.value < _DISTORTS:
            continue
        level = wave[:, channel] - np.mean(wave[:, channel])
        if np.max(np.abs(level)) < _CREST * np.std(level):
            found.append(channel + 1)
    return tuple(found)


def live_spectrum(now: Shown, before: Shown | None) -> PlotView:
    """Spectrum of a frame, with a frozen one behind it; the running one keeps its colour."""
    if before is None:
        return plot_view([now], "spectrum")
    view = plot_view([before, now], "spectrum")
    return replace(view, curves=tuple(replace(c, hue=0 if c.hue else 1) for c in view.curves))


def held(view: PlotView, x: tuple[float, float], y: tuple[float, float]) -> PlotView:
    """The picture with ranges that hold still while its curves move."""
    x_axis, y_axis = (replace(a, low=low, high=high) for a, (low, high) in ((view.x, x), (view.y, y)))
    return replace(view, x=x_axis, y=y_axis)


def decibels(level: FloatArray) -> FloatArray:
    """Where levels stand on the picture's axis, in dBV; what is next to nothing is pulled up to -180."""
    return np.asarray(20 * np.log10(np.maximum(level, 1e-9)))

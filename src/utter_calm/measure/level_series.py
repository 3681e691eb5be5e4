"""Distortion against level: from far below to past clipping, with more steps where the curve bends."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from utter_calm.analysis.level_curve import wanted_levels
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Over, Passages, PlotSpec, StepKind
from utter_calm.measure.level_points import add_level_series
from utter_calm.measure.level_series_settings import LevelSeriesSettings
from utter_calm.measure.point import DISTORTION_TRACES, ORDERS, gather
from utter_calm.measure.point_tone import tone_at
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.stepped import SteppedTone, measured_points
from utter_calm.quantities import si_text
from utter_calm.quantities.parse import parse_list
from utter_calm.rig import Rig

_FINEST, _COARSEST = 10 ** (0.2 / 20), 10 ** (0.7 / 20)
_MOST_EXTRA = 12
OVER = (
    Over("power", "power", "power", trace="power", for_floor="output"),
    Over("output", "output", "voltage", trace="output"),
    Over("drive", "drive", "voltage"),
    Over("output_dbv", "output", "level", "dbv", "output"),
    Over("drive_dbfs", "drive", "level_fs", "dbfs", "drive_fs"),
)

_PERCENT = "of the last rise through that bound, both by their logarithms, along a monotone cubic"


class LevelSeries(StepKind[LevelSeriesSettings]):
    """A tone at rising levels."""

    key = "level_series"
    title = "Distortion against level"
    question = "How many watts at 1 %, where clipping begins, how well output follows input"
    settings_type = LevelSeriesSettings
    limits_itself = True
    readings = with_roles({
        "power_at_#_percent": Declared("power at {} %", "power", f"Power in the load at a THD+N (or THD) of {{}} %: {_PERCENT}.",
        better="high"),
        "voltage_at_#_percent": Declared("voltage at {} %", "small_level", f"Output at a THD+N (or THD) of {{}} %: {_PERCENT}.",
        better="high"),
        "power_most": Declared("most power", "power", "The most that came into the load at any level, however distorted; a unit "
                               "that folds back gives less when it is driven further."),
        "thd_n_at_most": Declared("THD+N at most power", "distortion", "THD+N where the most power came into the load."),
        "clipping_onset": Declared("clipping begins", "small_level",
        "Output from which THD+N at least doubles along a slope steeper "
                                     "than the third power of the level: no curvature of low order rises so.", better="high"),
        "best_thd_n": Declared("least THD+N", "distortion", "Smallest THD+N of the series.", better="low", floored=True),
        "best_level": Declared("at its best", "small_level", "Output at which THD+N is least."),
        "headroom_above_nominal": Declared("above nominal", "gain", "Output at 1 % THD+N over the stated nominal level.",
                                             better="high"),
        "gain": Declared("gain", "gain", "Level at the unit's output over level at the rig's output.", means="gain"),
        "compression": Declared("gain at the top", "gain", "Gain at the highest level of the series over that when quiet."),
        "gain_linearity": Declared("gain moves", "gain", "Largest over smallest gain of the series below the onset of "
                                     "clipping, from 30 dB above the noise on.", better="low"),
    }, "power_at_1_percent", "voltage_at_1_percent", "clipping_onset", "power_at_10_percent", "best_thd_n",
       "headroom_above_nominal", "gain", "gain_linearity")  # fmt: skip
    traces = {
        **DISTORTION_TRACES,
        "output": Declared("output", "voltage", "R.m.s. of the fundamental at the unit's output."),
        "power": Declared("power", "power", "Output squared over the load's resistance."),
        "drive_fs": Declared("drive", "level_fs", "Level at the rig's output re its full scale."),
        "compression": Declared("gain", "gain", "Gain over the gain when quiet."),
    }
    plots = (
        PlotSpec("distortion", "Distortion against level", ("thd_n", "thd", "noise_ratio"), "voltage", "log",
                 "drive", over=OVER, short="distortion", unwanted=True),
        PlotSpec("orders", "Orders against level", tuple(f"harmonic_{k}" for k in ORDERS), "voltage", "log", "drive",
                 over=OVER, short="orders", unwanted=True),
        PlotSpec("transfer", "Output against input", ("output",), "voltage", "log", "drive", y="log", y_title="output",
                 over=OVER[2:3], short="transfer"),
        PlotSpec("compression", "Gain against level", ("compression",), "voltage", "log", "drive", y_note="re quiet",
                 detail=1.0, over=OVER, short="gain"),
    )  # fmt: skip

    def signal(self, settings: LevelSeriesSettings) -> str:
        """Say what is played."""
        low = si_text(settings.start_v, "V", digits=2)
        return f"sine {si_text(settings.frequency_hz, 'Hz', digits=3)} from {low}"

    def expected_s(self, settings: LevelSeriesSettings) -> float:
        """Estimate the sound."""
        extra = 12 if settings.refine == "yes" else 0
        return (len(settings.drives()) + extra) * (settings.record_s + 0.05 + 4 / settings.frequency_hz)

    def for_floor(self, settings: LevelSeriesSettings, rig: Rig, gain: float) -> LevelSeriesSettings:
        """Bring the rig's input to the same levels, as far as the ceiling allows; it needs no finer steps."""
        top = min(settings.level_v * gain, rig.highest_v)
        return replace(settings, start_v=min(settings.start_v * gain, top / 4), level_v=top, refine="no")

    def measures_while_playing(self, settings: LevelSeriesSettings) -> bool:  # noqa: ARG002
        """Each tone is measured before the next one."""
        return True

    def passages(self, settings: LevelSeriesSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Rise until the distortion or the level reaches its ceiling, then go back to where the curve bends."""
        tone = SteppedTone(settings.rate_hz)
        band = settings.band_low_hz, settings.band_high_hz
        known: dict[float, list[float]] = {}
        for level in settings.drives():
            heard = yield from tone.point(settings.frequency_hz, level, settings.record_s)
            found = [tone_at(heard, c, settings.frequency_hz, band) for c in heard.numbers]
            known[level] = [math.inf if one is None else one.thd_n for one in found]
            reached = [one.thd_n for one in found if one is not None]
            if (reached and min(reached) > settings.stop_at and known[level] == reached and len(known) > 2
                    and _rising(known)) or any(heard.overload):  # fmt: skip
                break
        extra = 0
        while settings.refine == "yes" and extra < _MOST_EXTRA:
            usable = {level: values for level, values in sorted(known.items()) if np.all(np.isfinite(values))}
            if len(usable) < 3:
                break
            levels = np.array(list(usable))
            curves = [np.array(column) for column in zip(*usable.values(), strict=True)]
            bounds = tuple(parse_list(settings.bounds, "1", what="bound"))
            wanted = [v for v in wanted_levels(levels, curves, bounds, finest=_FINEST, coarsest=_COARSEST) if v not in known]
            if not wanted:
                break
            for level in wanted[: _MOST_EXTRA - extra]:
                heard = yield from tone.point(settings.frequency_hz, level, settings.record_s)
                found = [tone_at(heard, c, settings.frequency_hz, band) for c in heard.numbers]
                known[level] = [math.inf if one is None else one.thd_n for one in found]
                extra += 1
        yield tone.end()

    def conclude(
        self, settings: LevelSeriesSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every channel of a series of tones."""
        out = ResultBuilder()
        band = settings.band_low_hz, settings.band_high_hz
        points = list(measured_points(capture))

        # many short records in turn: threads would only pass the interpreter to and fro
        for channel in capture.numbers:
            found = gather([(tags, tone_at(part, channel, settings.frequency_hz, band)) for tags, part in points])
            add_level_series(out, found, capture, channel, settings)
            if progress is not None:
                progress(channel / capture.count)
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity, or stop earlier."))
        return out.build()


def _rising(known: dict[float, list[float]]) -> bool:
    """Whether the newest distortion is above the one before: noise falls with level, clipping rises."""
    last, before = list(known.values())[-1], list(known.values())[-2]
    return all(a > b for a, b in zip(last, before, strict=True))

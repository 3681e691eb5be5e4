"""Distortion against level: from far below to past clipping, with more steps where the curve bends."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.level_curve import best_point, clipping_onset, compression, level_at, u_level_at, wanted_levels
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Over, Passages, PlotSpec, StepKind, StepSettings, setting
from utter_calm.measure.point import DISTORTION_TRACES, ORDERS, Points, distortion_traces, gather, tone_at
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.settings import YES_OR_NO, sample_rate
from utter_calm.measure.stepped import SteppedTone, measured_points
from utter_calm.quantities import si_text
from utter_calm.quantities.parse import parse_list
from utter_calm.rig import Rig

_FINEST, _COARSEST = 10 ** (0.2 / 20), 10 ** (0.7 / 20)
_MOVES = 2.0
_MOST_EXTRA = 12
OVER = (
    Over("power", "power", "power", trace="power", for_floor="output"),
    Over("output", "output", "voltage", trace="output"),
    Over("drive", "drive", "voltage"),
    Over("output_dbv", "output", "level", "dbv", "output"),
    Over("drive_dbfs", "drive", "level_fs", "dbfs", "drive_fs"),
)


@dataclass(frozen=True, slots=True)
class LevelSeriesSettings(StepSettings):
    """Settings of distortion against level."""

    frequency_hz: float = setting(997.0, "Frequency", "Hz", low=2, high=180_000)
    start_v: float = setting(3e-3, "Lowest level at the output", "V", low=1e-6, high=100)
    level_v: float = setting(2.0, "Highest level at the output", "V", low=1e-6, high=100)
    spacing: str = setting("db", "Spacing", choices=(("db", "dB steps"), ("count", "so many steps")), rare=True)
    step_db: float = setting(3.0, "Step", "dB", low=0.05, high=20)
    points: int = setting(25, "Number of steps", "1", low=3, high=500)
    stop_at: float = setting(0.15, "Stop at a THD+N of", "1", low=1e-5, high=1)
    refine: str = setting("yes", "More steps where it bends", choices=YES_OR_NO, rare=True)
    record_s: float = setting(0.1, "Record each step for", "s", low=0.02, high=20, rare=True)
    bounds: str = setting("0.1 %, 1 %, 10 %", "Read off at", analysis_only=True, rare=True)
    of: str = setting("thd_n", "Read off from", choices=(("thd_n", "THD+N"), ("thd", "THD")), analysis_only=True, rare=True)
    nominal_v: float = setting(0.0, "Nominal level at the unit's output (0: none)", "V", high=1000, analysis_only=True)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and levels that do not rise."""
        StepSettings.check(self)
        if self.start_v >= self.level_v:
            raise InputError("The lowest level is not below the highest.", hint="Swap or change them.")
        if self.frequency_hz >= self.rate_hz / 2:
            raise InputError("The tone lies above half the sample rate.", hint="Lower the frequency or raise the rate.")
        parse_list(self.bounds, "1", what="bound")

    def drives(self) -> list[float]:
        """Levels of the first pass, rising."""
        if self.spacing == "db":
            count = max(2, math.ceil(20 * math.log10(self.level_v / self.start_v) / self.step_db - 1e-9) + 1)
            ratio = 10 ** (self.step_db / 20)
            return [min(self.start_v * ratio**k, self.level_v) for k in range(count)]
        return [float(v) for v in np.geomspace(self.start_v, self.level_v, self.points)]


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


def add_level_series(out: ResultBuilder, points: Points, capture: Capture, channel: int, settings: LevelSeriesSettings) -> None:
    """Turn the points of one channel into traces and readings.

    Raises
    ------
    NoSignal
        Fewer than two points hold a tone.
    """
    if len(points.level) < 2:
        raise NoSignal(f"Channel {channel} holds a tone at fewer than two levels.", hint="Check the wiring and the levels.")
    drive_known = bool(np.all(np.isfinite(points.drive_v)))
    points = points.sorted_by(points.drive_v if drive_known else points.level)
    drive = points.drive_v if drive_known else points.level
    unit = capture.unit(channel)
    # what was recorded beside is in the unit of the recording
    drive_unit = "V" if drive_known and capture.rig is not None else unit
    out.traces += distortion_traces(points, drive, drive_unit, channel)

    def add(name: str, values: FloatArray, y_unit: str) -> None:
        out.traces.append(Trace(name, channel, drive, drive_unit, values, y_unit))

    add("output", points.level, unit)
    if capture.load_ohm is not None and unit == "V":
        add("power", points.level**2 / capture.load_ohm, "W")
    if capture.rig is not None and drive_known:
        add("drive_fs", drive / capture.rig.output_full_scale_v, "FS")
    if drive_known:
        add("compression", compression(drive, points.level), "1")
    _add_readings(out, points, drive if drive_known else None, capture, channel, settings)


def _step_about(level: FloatArray, at: float) -> float:
    """Distance of the neighbours of a measured level: the onset lies somewhere between them, evenly (GUM 4.3.7)."""
    index = int(np.argmin(np.abs(level - at)))
    return float(level[min(index + 1, len(level) - 1)] - level[max(index - 1, 0)])


def _add_readings(
    out: ResultBuilder,
    points: Points,
    drive: FloatArray | None,
    capture: Capture,
    channel: int,
    settings: LevelSeriesSettings,
) -> None:
    unit, level = capture.unit(channel), points.level
    u_level = capture.u_level(channel)
    curve = points.thd_n if settings.of == "thd_n" else np.nan_to_num(points.thd)
    one_percent: tuple[float, float] | None = None
    for bound in parse_list(settings.bounds, "1", what="bound"):
        name = f"{100 * bound:g}".replace(".", "_")
        at = level_at(level, curve, bound)
        if at is None:
            continue
        # the noise of a harmonic is part of that of the whole
        u = math.hypot(u_level, u_level_at(level, curve, points.u_thd_n, bound, at))
        if capture.load_ohm is not None and unit == "V":
            power = at**2 / capture.load_ohm
            out.add(f"power_at_{name}_percent", channel, power, "W", power * math.hypot(2 * u, capture.u_load))
        out.add(f"voltage_at_{name}_percent", channel, at, unit, at * u)
        one_percent = (at, u) if name == "1" else one_percent
    onset = clipping_onset(level, points.thd_n)
    if onset is not None:
        out.add(
            "clipping_onset",
            channel,
            onset,
            unit,
            math.hypot(onset * u_level, _step_about(level, onset) / math.sqrt(12)),
        )
    else:
        out.trust.append(
            Trust("no_clipping", f"Channel {channel} does not clip within the levels that were measured.", grave=False)
        )
    best_level, best = best_point(level, points.thd_n)
    out.add("best_thd_n", channel, best, "1", float(points.u_thd_n[int(np.argmin(points.thd_n))]))
    out.add("best_level", channel, best_level, unit)
    if settings.nominal_v > 0 and one_percent is not None:
        headroom = one_percent[0] / settings.nominal_v
        out.add("headroom_above_nominal", channel, headroom, "1", headroom * one_percent[1])
    if drive is not None:
        gain = level / drive
        quiet = (points.noise < 10**-1.5) & (level < (onset or math.inf))
        if np.any(quiet):
            u_gain = points.u_level / level
            _add_gain(out, gain[quiet], u_gain[quiet], channel, u_level)
            top = float(compression(drive, level)[-1])
            out.add("compression", channel, top, "1", top * float(np.hypot(u_gain[-1], np.median(u_gain[: len(gain) // 2 or 1]))))


def _add_gain(out: ResultBuilder, gain: FloatArray, u: FloatArray, channel: int, u_level: float) -> None:
    """Add the gain and how far it moves; ``u`` is relative, of each point, from the noise alone.

    The median does not follow the few points that begin to clip. Of values that differ by their noise alone its own spread is
    the root of pi/2 over the sum of the reciprocals of theirs, by the density of each at the middle (Cramer 1946, 28.5);
    where the gain truly moves from point to point it is that of the one or two points that it comes from.
    """
    middle = float(np.median(gain))
    if float(np.std(gain)) > _MOVES * middle * float(np.sqrt(np.mean(u**2))):
        between = np.argsort(gain)[(len(gain) - 1) // 2 : len(gain) // 2 + 1]
        noise = float(np.linalg.norm(u[between])) / len(between)
    else:
        noise = math.sqrt(math.pi / 2) / float(np.sum(1 / np.maximum(u, 1e-12)))
    out.add("gain", channel, middle, "1", middle * math.hypot(u_level, noise))
    top, bottom = int(np.argmax(gain)), int(np.argmin(gain))
    moves = float(gain[top] / gain[bottom])
    out.add("gain_linearity", channel, moves, "1", moves * float(np.hypot(u[top], u[bottom])))

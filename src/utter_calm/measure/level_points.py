"""What the points of a level series tell: traces, and readings off them."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.level_curve import best_point, clipping_onset, compression, level_at, u_level_at
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.level_series_settings import LevelSeriesSettings
from utter_calm.measure.point import Points, distortion_traces
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities.parse import parse_list

_MOVES = 2.0


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
        most = int(np.argmax(points.level))
        power = float(points.level[most]) ** 2 / capture.load_ohm
        spread = math.hypot(2 * capture.u_level(channel), 2 * float(points.u_level[most] / points.level[most]), capture.u_load)
        out.add("power_most", channel, power, "W", power * spread)
        out.add("thd_n_at_most", channel, float(points.thd_n[most]), "1", float(points.u_thd_n[most]))
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

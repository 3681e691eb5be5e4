"""Distortion against frequency at one or several levels: stepped, or quickly out of a sweep."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.response import u_at
from utter_calm.analysis.sweep import SweepAnalysis, analyze_sweep
from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.parallel import each_channel
from utter_calm.measure.point import DISTORTION_TRACES, ORDERS, Points, distortion_traces, gather
from utter_calm.measure.point_tone import PointTone, tone_at
from utter_calm.measure.result import FloatArray, Result, ResultBuilder, Trace, Trust
from utter_calm.measure.stepped import SteppedTone, measured_points
from utter_calm.quantities import Conditions, Measured, si_text, values_text
from utter_calm.quantities.parse import parse_list
from utter_calm.rig import Rig
from utter_calm.signals.sweep import Sweep

STEPPED, SWEPT = "stepped", "swept"
_METHODS = ((STEPPED, "stepped"), (SWEPT, "out of a sweep"))
_LEAST_RECORD_S, _MOST_RECORD_S = 0.04, 2.0
_SWEEP_LEAD_S, _SWEEP_TAIL_S = 0.1, 0.5


@dataclass(frozen=True, slots=True)
class FrequencySeriesSettings(StepSettings):
    """Settings of distortion against frequency."""

    method: str = setting(STEPPED, "How", choices=_METHODS)
    start_hz: float = setting(20.0, "From", "Hz", low=2, high=180_000)
    stop_hz: float = setting(20_000.0, "To", "Hz", low=2, high=180_000)
    spacing: str = setting(
        "count", "Spacing", choices=(("count", "so many points"), ("per_octave", "points per octave")), rare=True
    )
    points: int = setting(31, "Points", "1", low=2, high=2_000)
    direction: str = setting("rising", "Direction", choices=(("rising", "rising"), ("falling", "falling")), rare=True)
    level_v: float = setting(0.094, "Highest level at the output", "V", low=1e-6, high=100)
    lower_levels: str = setting("", "Lower levels as well, with commas")
    uncertainty: float = setting(0.05, "Uncertainty asked of THD+N (k = 2)", "1", low=0.002, high=1, rare=True)
    sweep_s: float = setting(4.0, "Length of the sweep", "s", low=0.5, high=60, rare=True)
    band_low_hz: float = setting(10.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(80_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, a range that is none, and tones that the rate cannot carry."""
        StepSettings.check(self)
        if self.start_hz >= self.stop_hz:
            raise InputError("The range of frequencies is empty.", hint="Give “from” below “to”.")
        if self.stop_hz > 0.45 * self.rate_hz:
            raise InputError(
                f"{self.stop_hz:g} Hz is more than 90 % of half the rate of {self.rate_hz} Hz.",
                hint=f"Stop at {0.45 * self.rate_hz:.0f} Hz, or raise the rate.",
            )
        if any(not 0 < v < self.level_v for v in self.levels[:-1]):
            raise InputError("A lower level is not below the highest one.", hint="List levels below it, as in 10 mV, 30 mV.")

    @property
    def levels(self) -> list[float]:
        """All levels, rising."""
        lower = parse_list(self.lower_levels, "V", what="level") if self.lower_levels.strip() else []
        return [*sorted(lower), self.level_v]

    @property
    def frequencies(self) -> list[float]:
        """Frequencies in the order of playing."""
        count = self.points
        if self.spacing == "per_octave":
            count = max(2, round(self.points * math.log2(self.stop_hz / self.start_hz)) + 1)
        rising = [float(f) for f in np.geomspace(self.start_hz, self.stop_hz, count)]
        return rising if self.direction == "rising" else rising[::-1]

    def sweep(self, level_v: float) -> Sweep:
        """The sweep of the quick variant."""
        return Sweep(self.start_hz, self.stop_hz, self.sweep_s, level_v * math.sqrt(2), onset_s=_SWEEP_LEAD_S)


class FrequencySeries(StepKind[FrequencySeriesSettings]):
    """Tones from the bottom to the top of the band."""

    key = "frequency_series"
    title = "Distortion against frequency"
    question = "Where in the band the unit distorts, and by which order"
    settings_type = FrequencySeriesSettings
    readings = with_roles({
        "worst_thd_n": Declared("worst THD+N", "distortion", "Largest THD+N (out of a sweep: THD) of the series at the highest "
                                  "level, where harmonics 2 and 3 lie in the band.", better="low", floored=True),
        "worst_frequency": Declared("worst at", "frequency", "Frequency of the worst point."),
        "thd_n_at_1khz": Declared("at 1 kHz", "distortion", "THD+N at 1 kHz, between the nearest points.", better="low",
                                    floored=True),
        "thd_n_at_10khz": Declared("at 10 kHz", "distortion", "THD+N at 10 kHz, between the nearest points.", better="low",
                                     floored=True),
    }, "worst_thd_n", "worst_frequency", "thd_n_at_1khz", "thd_n_at_10khz")  # fmt: skip
    traces = {
        **DISTORTION_TRACES,
        "output": Declared("level", "small_level", "R.m.s. of the fundamental at the unit's output."),
    }
    plots = (
        PlotSpec("distortion", "Distortion against frequency", ("thd_n", "thd"), short="distortion", unwanted=True),
        PlotSpec("orders", "Orders against frequency", tuple(f"harmonic_{k}" for k in ORDERS),
                 x_title="frequency of the fundamental", short="orders", unwanted=True),
        PlotSpec("level", "Level against frequency", ("output",), detail=1.0, short="level"),
    )  # fmt: skip

    def signal(self, settings: FrequencySeriesSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.start_hz, settings.stop_hz))
        how = f"{len(settings.frequencies)} tones" if settings.method == STEPPED else "sweep"
        return f"{how} {low} to {high}"

    def expected_s(self, settings: FrequencySeriesSettings) -> float:
        """Estimate the sound."""
        if settings.method == SWEPT:
            return len(settings.levels) * (settings.sweep_s + _SWEEP_LEAD_S + _SWEEP_TAIL_S)
        return len(settings.levels) * sum(0.1 + 7 / f for f in settings.frequencies)

    def for_floor(self, settings: FrequencySeriesSettings, rig: Rig, gain: float) -> FrequencySeriesSettings:
        """One level is enough for the rig alone."""
        level = min(settings.level_v * gain, rig.highest_v)
        return replace(settings, level_v=level, lower_levels="")

    def measures_while_playing(self, settings: FrequencySeriesSettings) -> bool:
        """Each tone is measured before the next one; a sweep is not."""
        return settings.method == STEPPED

    def passages(self, settings: FrequencySeriesSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Play every level; at each point only as long as the asked uncertainty needs."""
        if settings.method == SWEPT:
            for number, level in enumerate(settings.levels):
                yield Passage(_sweep_volts(settings, level), {"level_v": level, "level_number": float(number)})
            return
        tone = SteppedTone(settings.rate_hz)
        band = settings.band_low_hz, settings.band_high_hz
        for number, level in enumerate(settings.levels):
            for frequency in settings.frequencies:
                tags = {"level_number": float(number)}
                heard = yield from tone.point(frequency, level, max(_LEAST_RECORD_S, 3 / frequency), **tags)
                found = [tone_at(heard, c, frequency, band) for c in heard.numbers]
                lacking = _lacking_s(found, heard.duration_s, settings.uncertainty)
                if lacking > 0:
                    yield from tone.more(lacking, **tags)
        yield tone.end()

    def conclude(
        self, settings: FrequencySeriesSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every channel and level."""
        out = ResultBuilder()
        several = len(settings.levels) > 1
        swept = settings.method == SWEPT

        def gathered(channel: int) -> list[Points]:
            find = _swept if swept else _stepped
            return [find(settings, capture, channel, number, level) for number, level in enumerate(settings.levels)]

        band_high = min(settings.band_high_hz, capture.rate_hz / 2)
        # many short records in turn: threads would only pass the interpreter to and fro
        by_channel = each_channel(capture.numbers, gathered) if swept else [gathered(c) for c in capture.numbers]
        for channel, found in zip(capture.numbers, by_channel, strict=True):
            for number, (level, points) in enumerate(zip(settings.levels, found, strict=True)):
                at: Conditions = (("level", Measured(float(f"{level:.6g}"), "V")),) if several else ()
                last = number == len(settings.levels) - 1
                _add_level(out, points, capture, channel, at, last=last, swept=swept, band_high=band_high)
            if progress is not None:
                progress(channel / capture.count)
        if settings.method == SWEPT:
            out.trust.append(Trust("out_of_a_sweep", "Out of a sweep: orders 2 to 10 alone count, without noise; between them "
                                   "and the stepped one lie the orders above and the noise.", grave=False))  # fmt: skip
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity."))
        return out.build()


def _sweep_volts(settings: FrequencySeriesSettings, level_v: float) -> FloatArray:
    rate, sweep = settings.rate_hz, settings.sweep(level_v)
    fade_in = min(sweep.lead_s(2) * 0.5, 0.2 * settings.sweep_s)
    samples = sweep.samples(rate, fade_in_s=fade_in, fade_out_s=min(0.01, 0.05 * settings.sweep_s))
    return np.concatenate([np.zeros(round(_SWEEP_LEAD_S * rate)), samples, np.zeros(round(_SWEEP_TAIL_S * rate))])


def _lacking_s(found: list[PointTone | None], recorded_s: float, asked: float) -> float:
    """How much longer to record, so that the worse channel's THD+N is as certain as was asked; 0 for enough."""
    known = [t for t in found if t is not None and t.thd_n > 0]
    if not known:
        return 0.0
    worst = max(2 * t.u_thd_n / t.thd_n for t in known)
    needed = recorded_s * (worst / asked) ** 2
    return min(needed, _MOST_RECORD_S) - recorded_s if needed > 1.2 * recorded_s else 0.0


def _stepped(settings: FrequencySeriesSettings, capture: Capture, channel: int, number: int, _level: float) -> Points:
    band = settings.band_low_hz, settings.band_high_hz
    tones = [
        (tags, tone_at(part, channel, tags["frequency_hz"], band))
        for tags, part in measured_points(capture)
        if tags.get("level_number") == number
    ]
    points = gather(tones)
    return points.sorted_by(points.frequency_hz)


def _swept(settings: FrequencySeriesSettings, capture: Capture, channel: int, number: int, level: float) -> Points:
    """Points on the grid of the sweep's analysis, thinned to so many as were asked for, at least 12 to the octave."""
    part = capture.part(capture.parts[number])
    found: SweepAnalysis = analyze_sweep(part.signal(channel), _sweep_volts(settings, level), settings.sweep(level), part.rate_hz)
    count = max(settings.points, round(12 * math.log2(settings.stop_hz / settings.start_hz)))
    grid = np.geomspace(settings.start_hz, settings.stop_hz, count)
    top = min(settings.band_high_hz, part.rate_hz / 2)
    every = np.full((count, len(found.orders)), np.nan)
    for column, order in enumerate(found.orders):
        if len(order.frequency_hz):
            ratio = np.interp(grid, order.frequency_hz, np.abs(order.ratio), left=np.nan, right=np.nan)
            every[:, column] = np.where(grid * order.order <= top, ratio, np.nan)
    thd = np.sqrt(np.nansum(every**2, axis=1))
    thd[~np.isfinite(every).any(axis=1)] = np.nan
    harmonics = every[:, [k for k, order in enumerate(found.orders) if order.order in ORDERS]]
    output = np.interp(grid, found.frequency_hz, np.abs(found.gain)) * level
    inside = np.sum([grid * order.order <= top for order in found.orders], axis=0)
    nothing = np.full(count, np.nan)
    return Points(np.full(count, level), grid, output, 0 * grid, thd, nothing, nothing, nothing, inside.astype(float), harmonics)


def _add_level(
    out: ResultBuilder,
    points: Points,
    capture: Capture,
    channel: int,
    at: Conditions,
    *,
    last: bool,
    swept: bool,
    band_high: float,
) -> None:
    x = points.frequency_hz
    if not len(x):
        out.trust.append(Trust("no_tone", f"Channel {channel} holds no tone at {values_text(at) or 'this level'}."))
        return
    # without the third harmonic a distortion figure says little: beyond, the curve fades
    limit = band_high / 3
    reason = f"above {si_text(limit, 'Hz', digits=3)} the third harmonic lies outside the band"
    valid = (float(x[0]), max(limit, float(x[0])))
    out.traces += distortion_traces(points, x, "Hz", channel, at=at, valid=valid, reason=reason)
    out.traces.append(Trace("output", channel, x, "Hz", points.level, capture.unit(channel), at=at))
    if x[-1] > limit:
        out.trust.append(Trust("harmonics_outside_band", reason[0].upper() + reason[1:] + ".", grave=False))
    if not last:
        return
    main = points.thd if swept else points.thd_n
    seen = np.isfinite(main) & (x <= valid[1])
    if not np.any(seen):
        return
    worst = int(np.flatnonzero(seen)[np.argmax(main[seen])])
    out.add("worst_thd_n", channel, float(main[worst]), "1", None if swept else float(points.u_thd_n[worst]))
    out.add("worst_frequency", channel, float(x[worst]), "Hz")
    for name, place in (("thd_n_at_1khz", 1e3), ("thd_n_at_10khz", 1e4)):
        if not swept and x[0] <= place <= x[-1]:
            value = math.exp(float(np.interp(math.log(place), np.log(x), np.log(main))))
            out.add(name, channel, value, "1", value * u_at(x, points.u_thd_n / main, place))

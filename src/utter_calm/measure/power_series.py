"""Power series: loads, supplies and frequencies in one step, each brought to the distortion at which power is claimed."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Generator
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.level_curve import level_at
from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.definition import Definition
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, setting
from utter_calm.measure.point import Points, gather, tone_at
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.stepped import SteppedTone, measured_points
from utter_calm.quantities import parse_quantity, si_text
from utter_calm.quantities.parse import parse_list
from utter_calm.rig import RigProfile

_COARSE_DB, _FINE_DB = 3.0, 0.05
_RECORD_S = 0.15
_SUPPLY = "supply"


@dataclass(frozen=True, slots=True)
class PowerSeriesSettings(StepSettings):
    """Settings of a power series."""

    loads: str = setting("8 ohm, 4 ohm", "Loads")
    supplies: str = setting("", "Supplies (empty: as it is)")
    frequencies: str = setting("997 Hz", "Frequencies")
    bound: float = setting(0.01, "Power is claimed at a THD+N of", "1", low=1e-5, high=0.5)
    claims: str = setting("", "Claimed, as in: 8 ohm 60 W, 4 ohm 90 W", analysis_only=True)
    start_v: float = setting(0.05, "Lowest level at the output", "V", low=1e-6, high=100)
    level_v: float = setting(2.0, "Highest level at the output", "V", low=1e-6, high=100)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=96_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=96_000, analysis_only=True)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and lists that cannot be read."""
        StepSettings.check(self)
        if self.start_v >= self.level_v:
            raise InputError("The lowest level is not below the highest.", hint="Swap or change them.")
        if not parse_list(self.loads, "ohm", what="load") or not self.tones():
            raise InputError("A power series needs at least one load and one frequency.", hint="As in: 8 ohm, 4 ohm.")
        self.claimed()

    def load_texts(self) -> list[str]:
        """Loads as conditions."""
        return [f"{ohm:g} ohm" for ohm in parse_list(self.loads, "ohm", what="load")]

    def supply_texts(self) -> list[str]:
        """Supplies as conditions; one empty text where none is varied."""
        return [s.strip() for s in self.supplies.split(",") if s.strip()] or [""]

    def tones(self) -> list[float]:
        """Frequencies in Hz."""
        return parse_list(self.frequencies, "Hz", what="frequency")

    def claimed(self) -> dict[str, float]:
        """Claimed watts for a load."""
        out = {}
        for part in (p.strip() for p in self.claims.split(",") if p.strip()):
            head, _, tail = part.replace(":", " ").rpartition("ohm")
            if not head:
                raise InputError(f"The claim “{part}” cannot be read.", hint="Write it as in 8 ohm 60 W.")
            out[f"{parse_quantity(head, 'ohm', what='load'):g} ohm"] = parse_quantity(tail, "W", what="claim")
        return out


class PowerSeries(StepKind[PowerSeriesSettings]):
    """The table that is held against the label on the box."""

    key = "power_series"
    title = "Power series"
    question = "Watts into every load, at every supply and frequency, against the label on the box"
    settings_type = PowerSeriesSettings
    limits_itself = True
    headline = "rated_power"
    main_readings = ("rated_power", "part_of_claim", "rated_voltage", "rated_thd_n")
    definitions = {
        "rated_power": Definition(
            "power", "si", "Power in the load where THD+N rises through the stated bound.", better="high"
        ),
        "rated_voltage": Definition("voltage", "volts", "R.m.s. across the load at that point.", better="high"),
        "rated_thd_n": Definition(
            "THD+N", "percent", "THD+N of the measured step nearest to that point.", better="low"
        ),
        "claimed_power": Definition("claimed", "si", "What the label says; nothing is measured.", better="high"),
        "part_of_claim": Definition("of the claim", "percent", "Power over the claimed one.", better="high"),
    }
    plots = (
        PlotSpec("sheet", "Against the label", (), "", "", short="table",
                 sheet=("rated_power", "claimed_power", "part_of_claim", "rated_voltage", "rated_thd_n")),
        PlotSpec("power", "Power", ("rated_power",), "frequency in Hz", "power in W", y="log"),
        PlotSpec("approach", "Distortion on the way there", ("approach",), "power in W", "dB re fundamental", percent=True,
                 short="approach", unwanted=True),
    )  # fmt: skip

    def signal(self, settings: PowerSeriesSettings) -> str:
        """Say what is played."""
        count = len(settings.load_texts()) * len(settings.supply_texts()) * len(settings.tones())
        return f"{count} series of tones"

    def expected_s(self, settings: PowerSeriesSettings) -> float:
        """Estimate the sound."""
        steps = 20 * math.log10(settings.level_v / settings.start_v) / _COARSE_DB + 7
        return (
            len(settings.load_texts())
            * len(settings.supply_texts())
            * len(settings.tones())
            * steps
            * (_RECORD_S + 0.06)
        )

    def for_floor(self, settings: PowerSeriesSettings, rig: RigProfile, gain: float) -> PowerSeriesSettings:  # noqa: ARG002
        """One load and one frequency: the rig alone has no power."""
        return replace(settings, loads=settings.load_texts()[0], supplies="", frequencies=f"{settings.tones()[0]:g} Hz",
                       level_v=min(settings.level_v, rig.ceiling_v, rig.output_full_scale_v))  # fmt: skip

    def passages(self, settings: PowerSeriesSettings, rig: RigProfile) -> Passages:  # noqa: ARG002
        """For each supply, load and frequency: rise to the bound, then close in on it."""
        for number, (supply, load, frequency) in enumerate(_combinations(settings)):
            conditions = ((_SUPPLY, supply),) if supply else ()
            yield Passage(np.zeros(64), {"measured": 0.0, "series": float(number)}, (*conditions, ("load", load)))
            tone = SteppedTone(settings.rate_hz)
            yield from _approach(settings, tone, frequency, number)
            yield tone.end()

    def analyze(
        self, settings: PowerSeriesSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every combination and channel."""
        out = ResultBuilder()
        band = settings.band_low_hz, settings.band_high_hz
        combinations = list(_combinations(settings))
        series: dict[int, list[tuple[dict[str, float], Capture]]] = {}
        for tags, part in measured_points(capture):
            series.setdefault(int(tags["series"]), []).append((tags, part))
        curves: dict[tuple[str, int], list[tuple[float, float]]] = {}
        for number, points in series.items():
            supply, load, frequency = combinations[number]
            for channel in range(1, capture.channels + 1):
                found = gather([(tags, tone_at(part, channel, frequency, band)) for tags, part in points])
                if len(found.level) < 2:
                    out.trust.append(Trust("no_tone", f"Channel {channel} gives nothing into {load}."))
                    continue
                power = _add_point(out, settings, capture, channel, found, (supply, load, frequency))
                if power is not None:
                    curves.setdefault((", ".join(t for t in (_ohm(load), supply) if t), channel), []).append(
                        (frequency, power)
                    )
            if progress is not None:
                progress((number + 1) / len(combinations))
        for (variant, channel), pairs in curves.items():
            x, y = (np.array(column) for column in zip(*sorted(pairs), strict=True))
            out.traces.append(Trace("rated_power", channel, x, "Hz", y, "W", variant=variant))
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity."))
        return out.build()


def _combinations(settings: PowerSeriesSettings) -> itertools.product[tuple[str, str, float]]:
    return itertools.product(settings.supply_texts(), settings.load_texts(), settings.tones())


def _ohm(load: str) -> str:
    return load.replace(" ohm", " Ω")


def _approach(
    settings: PowerSeriesSettings, tone: SteppedTone, frequency: float, number: int
) -> Generator[Passage, Capture, None]:
    band = settings.band_low_hz, settings.band_high_hz
    known: dict[float, float] = {}

    def measured(level: float) -> Generator[Passage, Capture, float]:
        heard = yield from tone.point(frequency, level, max(_RECORD_S, 4 / frequency), series=float(number))
        found = [tone_at(heard, c, frequency, band) for c in range(1, heard.channels + 1)]
        # both channels are driven; the worse one sets the limit, the better one is read off the same points
        return max((t.thd_n for t in found if t is not None), default=math.inf)

    level = settings.start_v
    while True:
        known[level] = yield from measured(level)
        if level >= settings.level_v or (known[level] > 1.6 * settings.bound and len(known) > 1):
            break
        level = min(level * 10 ** (_COARSE_DB / 20), settings.level_v)
    while True:
        levels = sorted(known)
        rises = [(a, b) for a, b in itertools.pairwise(levels) if known[a] < settings.bound <= known[b]]
        if not rises or 20 * math.log10(rises[-1][1] / rises[-1][0]) < _FINE_DB:
            return
        middle = math.sqrt(rises[-1][0] * rises[-1][1])
        known[middle] = yield from measured(middle)


def _add_point(
    out: ResultBuilder,
    settings: PowerSeriesSettings,
    capture: Capture,
    channel: int,
    points: Points,
    where: tuple[str, str, float],
) -> float | None:
    supply, load, frequency = where
    ohm = parse_quantity(load, "ohm", what="load")
    points = points.sorted_by(points.drive_v)
    variant = ", ".join(t for t in (_ohm(load), supply, str(si_text(frequency, "Hz", digits=3))) if t)
    power = points.level**2 / ohm
    order = np.argsort(power, kind="stable")
    out.traces.append(Trace("approach", channel, power[order], "W", points.thd_n[order], "1", variant=variant))
    at = level_at(points.level, points.thd_n, settings.bound)
    if at is None:
        text = f"Channel {channel}, {variant}: the bound of {100 * settings.bound:g} % was not reached."
        out.trust.append(Trust("bound_not_reached", text, grave=False))
        return None
    u_level = capture.rig.u_level if capture.rig else 0.0
    u_load = capture.rig.u_load if capture.rig else 0.0
    watts = at**2 / ohm
    u = math.hypot(2 * u_level, 0.002, u_load)
    out.add("rated_power", channel, watts, "W", watts * u, variant)
    out.add("rated_voltage", channel, at, "V", at * u / 2, variant)
    nearest = int(np.argmin(np.abs(np.log(points.level / at))))
    out.add("rated_thd_n", channel, float(points.thd_n[nearest]), "1", float(points.u_thd_n[nearest]), variant)
    claim = settings.claimed().get(load)
    if claim:
        out.add("claimed_power", channel, claim, "W", None, variant)
        out.add("part_of_claim", channel, watts / claim, "1", watts / claim * u, variant)
    return watts

"""Power series: distortion against level under every load, supply and frequency, held against the label on the box.

A deduction of those takes: the setups own loads, supplies and frequencies, and the series stands once.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.level_curve import level_at, u_level_at
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import Conditions, Measured, Value, number_of, parse_quantity, read_value, values_text

_LOAD, _FREQUENCY = "load", "frequency"


@dataclass(frozen=True, slots=True)
class PowerSeriesSettings(StepSettings):
    """Settings of a power series."""

    over: str = setting("load, supply, frequency", "A row for each", analysis_only=True, rare=True)
    bound: float = setting(0.01, "Power is claimed at a THD+N of", "1", low=1e-5, high=0.5, analysis_only=True)
    claims: str = setting("", "Claimed, as in: 8 ohm 60 W, 4 ohm 90 W", analysis_only=True)

    def check(self) -> None:
        """Refuse values outside their bounds, and lists that cannot be read."""
        StepSettings.check(self)
        if not self.factors():
            raise InputError("A power series needs something to run over.", hint="As in: load, supply.")
        self.claimed()

    def factors(self) -> tuple[str, ...]:
        """Names of the factors that it runs over."""
        return tuple(dict.fromkeys(p.strip().lower() for p in self.over.split(",") if p.strip()))

    def claimed(self) -> dict[Value, float]:
        """Claimed watts for a load."""
        out: dict[Value, float] = {}
        for part in (p.strip() for p in self.claims.split(",") if p.strip()):
            load, _, watts = part.replace(":", " ").rpartition(" ")
            load, _, number = load.strip().rpartition(" ") if not any(c.isdigit() for c in watts) else (load, "", "")
            value = read_value(load)
            if number_of(value, "ohm") is None:
                raise InputError(f"The claim “{part}” cannot be read.", hint="Write it as in 8 ohm 60 W.")
            out[value] = parse_quantity(f"{number} {watts}".strip(), "W", what="claim")
        return out


class PowerSeries(Deduction[PowerSeriesSettings]):
    """The table that is held against the label on the box."""

    key = "power_series"
    title = "Power series"
    question = "Watts into every load, at every supply and frequency, against the label on the box"
    settings_type = PowerSeriesSettings
    readings = with_roles({
        "rated_power": Declared("power", "power", "Power in the load where THD+N rises through the stated bound.", better="high"),
        "rated_voltage": Declared("voltage", "small_level", "R.m.s. across the load at that point.", better="high"),
        "rated_thd_n": Declared("THD+N", "distortion", "THD+N of the measured step nearest to that point.", better="low"),
        "claimed_power": Declared("claimed", "power", "What the label says; nothing is measured.", better="high"),
        "part_of_claim": Declared("of the claim", "part", "Power over the claimed one.", better="high"),
    }, "rated_power", "part_of_claim", "rated_voltage", "rated_thd_n")  # fmt: skip
    traces = {
        "rated_power": Declared("power", "power", "Power at the stated bound, over frequency."),
        "approach": Declared("THD+N", "distortion", "THD+N over the power in the load."),
    }
    plots = (
        PlotSpec("sheet", "Against the label", (), short="table",
                 sheet=("rated_power", "claimed_power", "part_of_claim", "rated_voltage", "rated_thd_n")),
        PlotSpec("power", "Power", ("rated_power",)),
        PlotSpec("approach", "Distortion on the way there", ("approach",), "power", "log", short="approach", unwanted=True),
    )  # fmt: skip

    def signal(self, settings: PowerSeriesSettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from distortion against level"

    def needs(self, settings: PowerSeriesSettings) -> tuple[Need, ...]:  # noqa: ARG002
        """Every take of distortion against level."""
        return (Need("series", "distortion against level under every load", "level_series", many=True),)

    def consumes(self, settings: PowerSeriesSettings) -> tuple[str, ...]:
        """Give the factors that it runs over."""
        return settings.factors()

    def deduce(self, settings: PowerSeriesSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Read every take at the bound."""
        out = ResultBuilder()
        curves: dict[tuple[Conditions, int], list[tuple[float, float]]] = {}
        for given in takes["series"]:
            ohm = number_of(given.value(_LOAD), "ohm")
            if not ohm:
                continue  # without a load there is no power
            at = tuple((f, v) for f, v in given.conditions if f in settings.factors())
            for trace in given.result.traces:
                if trace.name != "thd_n":
                    continue
                power = _add_point(out, settings, given, trace, ohm, at)
                if power is not None:
                    rest = tuple((f, v) for f, v in at if f != _FREQUENCY)
                    curves.setdefault((rest, trace.channel), []).append((_frequency_of(given), power))
        if not out.readings and not out.traces:
            raise MeasurementError("None of the takes has a load, so there is no power.", hint="Take the series into a load.")
        for (rest, channel), pairs in curves.items():
            x, y = (np.array(column) for column in zip(*sorted(pairs), strict=True))
            out.traces.append(Trace("rated_power", channel, x, "Hz", y, "W", at=rest))
        return out.build()


def _frequency_of(given: Given) -> float:
    value = given.value(_FREQUENCY)
    if isinstance(value, Measured):
        return value.value
    return float(given.settings.get("frequency_hz", 1e3))


def _add_point(
    out: ResultBuilder, settings: PowerSeriesSettings, given: Given, distortion: Trace, ohm: float, at: Conditions
) -> float | None:
    channel = distortion.channel
    output = given.result.trace("output", channel)
    if output is None:
        return None
    level = np.interp(distortion.x, output.x, output.magnitude)
    order = np.argsort(level, kind="stable")
    level, ratio = level[order], distortion.magnitude[order]
    u_ratio = np.zeros(len(ratio)) if distortion.uncertainty is None else distortion.uncertainty[order] / 2
    out.traces.append(Trace("approach", channel, level**2 / ohm, "W", ratio, "1", at=at))
    voltage = level_at(level, ratio, settings.bound)
    if voltage is None:
        text = f"Channel {channel}, {values_text(at)}: a THD+N of {100 * settings.bound:g} % was not reached."
        out.trust.append(Trust("bound_not_reached", text, grave=False))
        return None
    known = given.rig.recorded[min(channel, len(given.rig.recorded)) - 1]
    u = math.hypot(known.u_level, u_level_at(level, ratio, u_ratio, settings.bound, voltage))
    watts = voltage**2 / ohm
    u_watts = math.hypot(2 * u, given.rig.u_load)
    out.add("rated_power", channel, watts, "W", watts * u_watts, at)
    out.add("rated_voltage", channel, voltage, "V", voltage * u, at)
    nearest = int(np.argmin(np.abs(np.log(level / voltage))))
    spread = None if distortion.uncertainty is None else float(u_ratio[nearest])
    out.add("rated_thd_n", channel, float(ratio[nearest]), "1", spread, at)
    claim = settings.claimed().get(given.value(_LOAD) or "")
    if claim:
        out.add("claimed_power", channel, claim, "W", None, at)
        out.add("part_of_claim", channel, watts / claim, "1", watts / claim * u_watts, at)
    return watts

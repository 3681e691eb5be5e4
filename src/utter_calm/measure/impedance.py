"""Output impedance and damping factor from responses under two loads; input impedance from a resistor in series.

A deduction: the setups own the loads. What both takes share - the calibration of levels, the drive - cancels in their ratio.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.output_impedance import input_impedance, source_impedance, u_source_impedance
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.quantities import NONE, Conditions, Value, number_of, read_value, value_text

OUTPUT, INPUT = "output", "input"
SIDES = ((OUTPUT, "output, from two loads"), (INPUT, "input, from a series resistor"))
_FACTOR = {OUTPUT: "load", INPUT: "series resistor"}
_AT_HZ = 1e3
_SLOPE_HZ = (500.0, 20_000.0)


@dataclass(frozen=True, slots=True)
class ImpedanceSettings(StepSettings):
    """Settings of impedance."""

    side: str = setting(OUTPUT, "Of the", choices=SIDES, analysis_only=True)
    first_load: str = setting("none", "First load", analysis_only=True)
    second_load: str = setting("8 ohm", "Second load", analysis_only=True)
    series: str = setting("10 kohm", "Series resistor, for the input", analysis_only=True)

    def check(self) -> None:
        """Refuse loads that are none or alike, and a resistor that is none."""
        StepSettings.check(self)
        first, second = _ohm(read_value(self.first_load)), _ohm(read_value(self.second_load))
        if first is None or second is None or second in (math.inf, first) or not min(first, second) > 0:
            raise InputError("Two different loads are needed, the second a resistance.", hint="As in: none, then 8 ohm.")
        if not (number_of(read_value(self.series), "ohm") or 0) > 0:
            raise InputError("The series resistor has no value above zero.", hint="As in 10 kohm.")

    def values(self) -> tuple[Value, Value]:
        """The two values of the factor that is changed."""
        if self.side == INPUT:
            return read_value("0 ohm"), read_value(self.series)
        return read_value(self.first_load), read_value(self.second_load)


def _ohm(value: Value) -> float | None:
    return math.inf if value == NONE else number_of(value, "ohm")


def _words(factor: str, value: Value) -> str:
    return f"no {factor}" if value == NONE else value_text(value)


class Impedance(Deduction[ImpedanceSettings]):
    """Impedance of the unit's output or input."""

    key = "impedance"
    title = "Output and input impedance"
    question = "How stiff the output is, and what the input asks for: from responses under two loads"
    settings_type = ImpedanceSettings
    readings = with_roles({
        "output_impedance": Declared("output impedance", "impedance", "Magnitude at 1 kHz, from the complex responses under two "
                                     "loads.", better="low"),
        "damping_factor": Declared("damping factor", "ratio", "Second load over the output impedance, at 1 kHz.", better="high"),
        "input_impedance": Declared("input impedance", "impedance", "Magnitude at 1 kHz, from the responses without and with a "
                                    "resistor in series with the input.", better="high"),
        "input_capacitance": Declared("input capacitance", "capacitance",
        "Capacitance across the input, from the imaginary part of "
                                      "its admittance over the upper two octaves.", better="low"),
        "output_impedance_least": Declared("output impedance, least", "impedance", "Where only magnitudes of two recordings could "
                                           "be compared: if it is a resistance.", better="low"),
        "output_impedance_most": Declared("output impedance, most", "impedance", "Likewise: if it is a reactance.", better="low"),
        "output_resistance": Declared("output resistance", "impedance", "Resistive part at 1 kHz, from magnitudes under several "
                                      "loads.", better="low"),
    }, "output_impedance", "damping_factor", "input_impedance", "input_capacitance")  # fmt: skip
    traces = {
        "output_impedance": Declared("output impedance", "impedance", "Complex output impedance over frequency."),
        "input_impedance": Declared("input impedance", "impedance", "Complex input impedance over frequency."),
        "damping_factor": Declared("damping factor", "ratio", "Load over the magnitude of the output impedance."),
    }
    plots = (
        PlotSpec("impedance", "Impedance", ("output_impedance", "input_impedance")),
        PlotSpec("damping", "Damping factor", ("damping_factor",), y_title="load over output impedance", short="damping"),
        PlotSpec("phase", "Phase of the impedance", ("output_impedance", "input_impedance"), y=PHASE, short="phase"),
    )

    def signal(self, settings: ImpedanceSettings) -> str:
        """Say what it is deduced from."""
        return "from responses with " + " and ".join(_words(_FACTOR[settings.side], v) for v in settings.values())

    def needs(self, settings: ImpedanceSettings) -> tuple[Need, ...]:
        """Two responses that differ in the load, or in the resistor before the input."""
        factor = _FACTOR[settings.side]
        return tuple(
            Need(key, f"the response with {_words(factor, value)}", "response", ((factor, value),))
            for key, value in zip(("first", "second"), settings.values(), strict=True)
        )

    def consumes(self, settings: ImpedanceSettings) -> tuple[str, ...]:
        """Give the factor that is changed."""
        return (_FACTOR[settings.side],)

    def deduce(self, settings: ImpedanceSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Compute every channel that both responses have."""
        first, second = takes["first"][0], takes["second"][0]
        if first.rig != second.rig:
            raise MeasurementError("The two responses were taken with different rigs.", hint="Take both with one rig.")
        out = ResultBuilder()
        for trace in first.result.traces:
            other = second.result.trace("response", trace.channel) if trace.name == "response" else None
            if other is not None:
                _add_channel(out, settings, trace.channel, _ratio(first, second, trace, other))
        if not out.readings:
            raise MeasurementError("The two responses have no channel in common.", hint="Take both again.")
        return out.build()


@dataclass(frozen=True, slots=True, eq=False)
class _Ratio:
    """First over second response on one grid, its standard uncertainty from the noise of both, and where it holds."""

    frequency_hz: FloatArray
    ratio: np.ndarray
    u_ratio: FloatArray
    valid: tuple[float, float]
    u_load: float


def _ratio(first: Given, second: Given, one: Trace, two: Trace) -> _Ratio:
    grid = one.x[(one.x >= two.x[0]) & (one.x <= two.x[-1])]
    ratio = _complex(first, one, grid) / _complex(second, two, grid)
    rate = float(first.settings.get("rate_hz", 192_000))
    ratio = ratio * np.exp(2j * np.pi * grid * _whole_frames(grid, ratio, rate) / rate)
    spread = np.hypot(_noise(first, one, grid), _noise(second, two, grid)) * np.abs(ratio)
    low = max(t.valid[0] if t.valid else t.x[0] for t in (one, two))
    high = min(t.valid[1] if t.valid else t.x[-1] for t in (one, two))
    return _Ratio(grid, ratio, spread, (float(low), float(high)), first.rig.u_load)


def _complex(given: Given, trace: Trace, grid: FloatArray) -> np.ndarray:
    """The response with its bulk delay put back."""
    delay = given.result.reading("delay", trace.channel)
    phase = np.interp(grid, trace.x, trace.phase_rad) if trace.phase_rad is not None else np.zeros(len(grid))
    late = 2 * np.pi * grid * (delay.value if delay is not None else 0.0)
    return np.asarray(np.interp(grid, trace.x, trace.magnitude) * np.exp(1j * (phase - late)))


def _whole_frames(grid: FloatArray, ratio: np.ndarray, rate_hz: float) -> int:
    """Whole frames by which the first take lags the second: what a device gains or loses between two runs.

    A reactance turns the phase by a fraction of a frame; whole ones come from the device.
    """
    inside = (grid >= _SLOPE_HZ[0]) & (grid <= _SLOPE_HZ[1])
    if np.count_nonzero(inside) < 3:
        return 0
    slope = np.polyfit(2 * np.pi * grid[inside], np.unwrap(np.angle(ratio[inside])), 1)[0]
    return round(-float(slope) * rate_hz)


def _noise(given: Given, trace: Trace, grid: FloatArray) -> FloatArray:
    """Relative standard uncertainty of a response without what the calibration of levels adds: that is shared, and cancels."""
    if trace.uncertainty is None:
        return np.zeros(len(grid))
    own = np.interp(grid, trace.x, trace.uncertainty / 2 / np.maximum(trace.magnitude, 1e-300))
    channel = given.rig.recorded[min(trace.channel, len(given.rig.recorded)) - 1]
    return np.sqrt(np.maximum(own**2 - channel.u_level**2, 0.0))


def _add_channel(out: ResultBuilder, settings: ImpedanceSettings, channel: int, found: _Ratio) -> None:
    if settings.side == INPUT:
        _add_input(out, settings, channel, found)
        return
    first, load = (_ohm(value) or math.inf for value in settings.values())
    impedance = source_impedance(found.ratio, np.ones_like(found.ratio), load, first)
    spread = u_source_impedance(impedance, load, found.u_ratio / np.abs(found.ratio), found.u_load)
    magnitude = np.abs(impedance)
    f, reason = found.frequency_hz, "a sweep does not reach there"
    out.traces.append(Trace("output_impedance", channel, f, "Hz", magnitude, "ohm", np.unwrap(np.angle(impedance)), 2 * spread,
                            found.valid, reason))  # fmt: skip
    out.traces.append(Trace("damping_factor", channel, f, "Hz", load / magnitude, "1", valid=found.valid, invalid_reason=reason))
    at = int(np.argmin(np.abs(np.log(f / _AT_HZ))))
    value, u = float(magnitude[at]), float(spread[at])
    out.add("output_impedance", channel, value, "ohm", u)
    out.add("damping_factor", channel, load / value, "1", load / value * u / value)
    if value < 2 * u:
        text = f"Channel {channel}: under the two loads the responses differ by no more than the noise."
        out.trust.append(Trust("impedance_in_noise", text, grave=False))


def _add_input(out: ResultBuilder, settings: ImpedanceSettings, channel: int, found: _Ratio) -> None:
    series = number_of(settings.values()[1], "ohm") or 1.0
    impedance = input_impedance(found.ratio, np.ones_like(found.ratio), series)
    magnitude, f = np.abs(impedance), found.frequency_hz
    # Z = R / (ratio - 1): a change of the ratio moves Z by Z^2 / R, a change of the resistor in proportion
    spread = np.hypot(magnitude * found.u_load, magnitude**2 / series * found.u_ratio)
    out.traces.append(Trace("input_impedance", channel, f, "Hz", magnitude, "ohm", np.unwrap(np.angle(impedance)), 2 * spread,
                            found.valid, "a sweep does not reach there"))  # fmt: skip
    at = int(np.argmin(np.abs(np.log(f / _AT_HZ))))
    out.add("input_impedance", channel, float(magnitude[at]), "ohm", float(spread[at]))
    top = (f > found.valid[1] / 4) & (f <= found.valid[1])
    each = (1 / impedance[top]).imag / (2 * np.pi * f[top])
    u_each = found.u_ratio[top] / series / (2 * np.pi * f[top])
    weights = 1 / np.maximum(u_each, 1e-300) ** 2
    capacitance = float(np.sum(weights * each) / np.sum(weights))
    if capacitance > 0:
        # where the points scatter by more than their noise the input is no plain capacitance: that counts as well (Birge 1932)
        misfit = math.sqrt(float(np.mean(((each - capacitance) / np.maximum(u_each, 1e-300)) ** 2)))
        u = math.hypot(max(1.0, misfit) / math.sqrt(float(np.sum(weights))), capacitance * found.u_load)
        out.add("input_capacitance", channel, capacitance, "F", u)


__all__ = ["INPUT", "OUTPUT", "Conditions", "Impedance", "ImpedanceSettings"]

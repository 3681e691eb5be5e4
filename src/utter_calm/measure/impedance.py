"""Output impedance and damping factor from two loads; input impedance from a resistor in series with the input."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.output_impedance import input_impedance, source_impedance, u_source_impedance
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.capture import Capture
from utter_calm.measure.definition import Definition
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, setting
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_set import check_tones, fitted_tones, odd_tones, period_frames
from utter_calm.quantities import parse_quantity
from utter_calm.rig import RigProfile
from utter_calm.signals.multitone import Multitone
from utter_calm.signals.ramp import with_ramps

OUTPUT, INPUT = "output, from two loads", "input, from a series resistor"
_SETTLE_S, _TAIL_S = 0.35, 0.03
_SERIES = "series resistor"


@dataclass(frozen=True, slots=True)
class ImpedanceSettings(StepSettings):
    """Settings of impedance."""

    side: str = setting(OUTPUT, "Of the", choices=(OUTPUT, INPUT))
    first_load: str = setting("none", "First load")
    second_load: str = setting("8 ohm", "Second load")
    series: str = setting("10 kohm", "Series resistor, for the input")
    low_hz: float = setting(20.0, "Lowest tone", "Hz", low=4, high=80_000)
    high_hz: float = setting(20_000.0, "Highest tone", "Hz", low=10, high=90_000)
    tones: int = setting(28, "Tones", "1", low=3, high=100)
    level_v: float = setting(0.094, "Level of all tones together", "V", low=1e-6, high=100)
    periods: int = setting(3, "Periods", "1", low=1, high=60)
    rate_hz: int = setting(96_000, "Sample rate", "Hz", low=44_100, high=192_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and loads that are none or alike."""
        StepSettings.check(self)
        check_tones(self.low_hz, self.high_hz, self.rate_hz)
        if self.ohm(self.second_load) == math.inf or self.ohm(self.first_load) == self.ohm(self.second_load):
            raise InputError(
                "Two different loads are needed, the second a resistance.", hint="As in: none, then 8 ohm."
            )
        if not parse_quantity(self.series, "ohm", what="series resistor") > 0:
            raise InputError("The series resistor is no resistance.", hint="As in 10 kohm.")

    @staticmethod
    def ohm(text: str) -> float:
        """Resistance of a load; infinite for none."""
        return math.inf if text.strip() == "none" else parse_quantity(text, "ohm", what="load")

    @property
    def frames(self) -> int:
        """Samples of one period."""
        return period_frames(self.rate_hz)

    def signal(self) -> Multitone:
        """Tones on odd bins."""
        return odd_tones(self.low_hz, self.high_hz, self.tones, self.rate_hz)


class Impedance(StepKind[ImpedanceSettings]):
    """Impedance of the unit's output or input."""

    key = "impedance"
    title = "Output and input impedance"
    question = "How stiff the output is, and what the input asks for"
    settings_type = ImpedanceSettings
    headline = "output_impedance"
    main_readings = ("output_impedance", "damping_factor", "input_impedance", "input_capacitance")
    definitions = {
        "output_impedance": Definition("output impedance", "si", "Magnitude at 1 kHz, from the complex voltages across two loads.",
                                       better="low"),
        "damping_factor": Definition("damping factor", "si", "Second load over the output impedance, at 1 kHz.", better="high"),
        "input_impedance": Definition("input impedance", "si", "Magnitude at 1 kHz, from the output without and with a resistor in "
                                      "series with the input.", better="high"),
        "input_capacitance": Definition("input capacitance", "si", "Capacitance across the input, from the imaginary part of its "
                                        "admittance at the highest tones.", better="low"),
    }  # fmt: skip
    plots = (
        PlotSpec("impedance", "Impedance", ("output_impedance", "input_impedance"), "frequency in Hz", "impedance in Ω", y="log"),
        PlotSpec("damping", "Damping factor", ("damping_factor",), "frequency in Hz", "load over output impedance", y="log",
                 short="damping"),
        PlotSpec("phase", "Phase of the impedance", ("output_impedance", "input_impedance"), "frequency in Hz", "phase in degrees",
                 y="phase", short="phase"),
    )  # fmt: skip

    def signal(self, settings: ImpedanceSettings) -> str:
        """Say what is played."""
        what = (
            f"{settings.first_load} and {settings.second_load}"
            if settings.side == OUTPUT
            else f"0 and {settings.series}"
        )
        return f"{settings.tones} tones, {what.replace('kohm', 'kΩ').replace('ohm', 'Ω')}"

    def highest_level(self, settings: ImpedanceSettings) -> float:
        """R.m.s. of the sine with the same peak."""
        return settings.level_v * settings.signal().crest / math.sqrt(2)

    def expected_s(self, settings: ImpedanceSettings) -> float:
        """Two passages."""
        return 2 * (_SETTLE_S + _TAIL_S + settings.periods * settings.frames / settings.rate_hz)

    def for_floor(self, settings: ImpedanceSettings, rig: RigProfile, gain: float) -> ImpedanceSettings:
        """Bring the input to the same level, as far as the ceiling allows for the peak."""
        most = min(rig.ceiling_v, rig.output_full_scale_v) * math.sqrt(2) / settings.signal().crest * 0.999
        return replace(settings, level_v=min(settings.level_v * gain, most))

    def passages(self, settings: ImpedanceSettings, rig: RigProfile) -> Passages:  # noqa: ARG002
        """Play the same tones under both conditions."""
        settle, tail = round(_SETTLE_S * settings.rate_hz), round(_TAIL_S * settings.rate_hz)
        samples = settings.signal().repeated(settle + settings.periods * settings.frames + tail) * settings.level_v
        volts = with_ramps(samples, settle // 4, tail // 2)
        factor = "load" if settings.side == OUTPUT else _SERIES
        values = (settings.first_load, settings.second_load) if settings.side == OUTPUT else ("0 ohm", settings.series)
        for number, value in enumerate(values):
            yield Passage(volts, {"number": float(number)}, ((factor, value),))
        if settings.side == INPUT:  # leave the bench as it was found
            yield Passage(np.zeros(64), {"number": -1.0}, ((factor, "0 ohm"),))

    def analyze(
        self, settings: ImpedanceSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every channel."""
        if len(capture.parts) < 2:
            raise MeasurementError("Impedance needs two passages.")
        out = ResultBuilder()
        tones = settings.signal().frequencies_hz(capture.rate_hz)
        for channel in range(1, capture.channels + 1):
            (first, u_first), (second, u_second) = (_voltages(settings, capture, channel, n, tones) for n in (0, 1))
            u_ratio = float(np.median(np.hypot(u_first / np.abs(first), u_second / np.abs(second))))
            if settings.side == OUTPUT:
                _add_output(out, settings, capture, channel, tones, first, second, u_ratio)
            else:
                _add_input(out, settings, capture, channel, tones, first, second, u_ratio)
            if progress is not None:
                progress(channel / capture.channels)
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity."))
        return out.build()


def _voltages(
    settings: ImpedanceSettings, capture: Capture, channel: int, number: int, tones: FloatArray
) -> tuple[np.ndarray, FloatArray]:
    start = round(_SETTLE_S * capture.rate_hz)
    record = capture.part(capture.parts[number]).channel(channel)[start : start + settings.periods * settings.frames]
    return fitted_tones(record * capture.scale, capture.rate_hz, tones)


def _at_1khz(tones: FloatArray, curve: FloatArray) -> float:
    return float(np.exp(np.interp(math.log(1e3), np.log(tones), np.log(np.maximum(curve, 1e-300)))))


def _add_output(
    out: ResultBuilder, settings: ImpedanceSettings, capture: Capture, channel: int, tones: FloatArray, first: np.ndarray,
    second: np.ndarray, u_ratio: float,
) -> None:  # fmt: skip
    load = settings.ohm(settings.second_load)
    impedance = source_impedance(first, second, load, settings.ohm(settings.first_load))
    u_load = capture.rig.u_load if capture.rig else 0.0
    spread = u_source_impedance(impedance, load, u_ratio, u_load)
    magnitude = np.abs(impedance)
    phase = np.unwrap(np.angle(impedance))
    out.traces.append(Trace("output_impedance", channel, tones, "Hz", magnitude, "ohm", phase, 2 * spread))
    out.traces.append(Trace("damping_factor", channel, tones, "Hz", load / magnitude, "1"))
    at = _at_1khz(tones, magnitude)
    u = float(np.interp(1e3, tones, spread))
    out.add("output_impedance", channel, at, "ohm", u)
    out.add("damping_factor", channel, load / at, "1", load / at * u / at)
    if at < 2 * u:
        out.trust.append(
            Trust(
                "impedance_in_noise", f"Channel {channel}: the two loads differ by no more than the noise.", grave=False
            )
        )


def _add_input(
    out: ResultBuilder, settings: ImpedanceSettings, capture: Capture, channel: int, tones: FloatArray, first: np.ndarray,
    second: np.ndarray, u_ratio: float,
) -> None:  # fmt: skip
    series = parse_quantity(settings.series, "ohm", what="series resistor")
    impedance = input_impedance(first, second, series)
    magnitude = np.abs(impedance)
    u_series = capture.rig.u_load if capture.rig else 0.0
    spread = np.hypot(magnitude * u_series, (magnitude**2 / series + magnitude) * u_ratio)
    out.traces.append(
        Trace("input_impedance", channel, tones, "Hz", magnitude, "ohm", np.unwrap(np.angle(impedance)), 2 * spread)
    )
    out.add("input_impedance", channel, _at_1khz(tones, magnitude), "ohm", float(np.interp(1e3, tones, spread)))
    top = tones > tones[-1] / 4
    capacitance = float(np.median((1 / impedance[top]).imag / (2 * np.pi * tones[top])))
    if capacitance > 0:
        out.add("input_capacitance", channel, capacitance, "F", capacitance * 0.02)

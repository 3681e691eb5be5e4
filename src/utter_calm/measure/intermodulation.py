"""Intermodulation: two tones by the methods of IEC 60268-3, at one level or against level."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.intermodulation import DIFFERENCE, analyze_intermodulation
from utter_calm.analysis.intermodulation import Intermodulation as Found
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Over, Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_readings import TONE_TRACES
from utter_calm.quantities import Conditions, si_text
from utter_calm.rig import Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

_SETTLE_S, _RAMP_S = 0.2, 0.02
_METHODS = {
    "smpte": (60.0, 7_000.0, 0.8, 0.2),
    "din": (250.0, 8_000.0, 0.8, 0.2),
    "ccif": (19_000.0, 20_000.0, 0.5, 0.5),
}
_ALL = "all"
METHODS = (
    (_ALL, "all three"), ("smpte", "60 Hz and 7 kHz, 4:1"), ("din", "250 Hz and 8 kHz, 4:1"), ("ccif", "19 kHz and 20 kHz, 1:1"),
)  # fmt: skip
PRODUCTS = {
    (-1, 1): "product_f2_minus_f1", (1, 1): "product_f2_plus_f1", (-2, 1): "product_f2_minus_2f1", (2, 1): "product_f2_plus_2f1",
    (2, -1): "product_2f1_minus_f2", (-1, 2): "product_2f2_minus_f1",
}  # fmt: skip
_NAMES = {60.0: "imd_smpte", 41.0: "imd_smpte", 250.0: "imd_din"}


@dataclass(frozen=True, slots=True)
class IntermodulationSettings(StepSettings):
    """Settings of intermodulation."""

    method: str = setting(_ALL, "Tones", choices=METHODS)
    level_v: float = setting(0.094, "Level: r.m.s. of a sine of the same peak", "V", low=1e-6, high=100)
    levels: int = setting(1, "Levels", "1", low=1, high=60)
    start_v: float = setting(0.003, "Lowest level, of several", "V", low=1e-6, high=100)
    duration_s: float = setting(0.5, "Record each for", "s", low=0.1, high=60, rare=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and levels that do not rise."""
        StepSettings.check(self)
        if self.levels > 1 and self.start_v >= self.level_v:
            raise InputError("The lowest level is not below the highest.", hint="Swap or change them.")

    def drives(self) -> list[float]:
        """Levels, rising."""
        return [self.level_v] if self.levels == 1 else [float(v) for v in np.geomspace(self.start_v, self.level_v, self.levels)]

    def methods(self) -> list[str]:
        """Names of the pairs to be played."""
        return list(_METHODS) if self.method == _ALL else [self.method]


def product_text(n: int, m: int) -> str:
    """Write ``n f1 + m f2`` as people do: the part that is added first."""
    parts = sorted(((n, "f1"), (m, "f2")), key=lambda part: (part[0] < 0, part[1] == "f1"))
    words = [f"{abs(k) if abs(k) > 1 else ''}{tone}" for k, tone in parts]
    return f"{words[0]} {'−' if parts[1][0] < 0 else '+'} {words[1]}"


def imd_readings() -> dict[str, Declared]:
    """All intermodulation readings."""
    pair = "arithmetic sum of the two products of that order over the high tone"
    out = {}
    for name, tones in (("imd_smpte", "60 Hz and 7 kHz, 4:1"), ("imd_din", "250 Hz and 8 kHz, 4:1")):
        out[name] = Declared(f"IMD {tones}", "distortion", f"Modulation method (IEC 60268-3), {tones}: root-sum-square of second "
                               f"and third order, each the {pair}.", better="low", floored=True)  # fmt: skip
        for order, word in ((2, "2nd"), (3, "3rd")):
            out[f"{name}_{order}"] = Declared(
                f"{word}, {tones.partition(',')[0]}", "distortion", f"{tones}: {pair}.", better="low", floored=True
            )
    for order, word in ((2, "2nd"), (3, "3rd")):
        out[f"imd_ccif_{order}"] = Declared(
            f"IMD 19 + 20 kHz, {word}", "distortion", f"Difference-frequency method (IEC 60268-3), {word} order: products over the "
            "arithmetic sum of both tones.", better="low", floored=True)  # fmt: skip
    for (n, m), name in PRODUCTS.items():
        order, text = abs(n) + abs(m), product_text(n, m)
        out[name] = Declared(text, "distortion", f"Product of order {order} at {text}, f1 being the lower tone: over the high "
            "tone (modulation method) or over the arithmetic sum of both (difference frequency).",
            better="low", floored=True)  # fmt: skip
    out["low_tone"] = Declared("low tone", "frequency", "Frequency of the lower of two tones found in a file.", of_record=True)
    out["high_tone"] = Declared("high tone", "frequency", "Frequency of the higher of two tones found in a file.", of_record=True)
    return out


class Intermodulation(StepKind[IntermodulationSettings]):
    """Two tones through the unit."""

    key = "intermodulation"
    title = "Intermodulation"
    question = "What two tones make together"
    settings_type = IntermodulationSettings
    readings = with_roles(imd_readings(), "imd_smpte", "imd_din", "imd_ccif_2", "imd_ccif_3")
    traces = {"spectrum": TONE_TRACES["spectrum"]}
    plots = (
        PlotSpec("spectrum", "Spectrum of two tones", ("spectrum",), y_title="line", dense=True, unwanted=True,
                 short="spectrum"),
        PlotSpec("levels", "Intermodulation against level", ("imd_smpte", "imd_din", "imd_ccif_2", "imd_ccif_3"), "voltage",
                 "log", "drive", y_title="intermodulation", over=(Over("drive", "drive", "voltage"),), short="levels",
                 unwanted=True),
    )  # fmt: skip

    def signal(self, settings: IntermodulationSettings) -> str:
        """Say what is played."""
        what = "two tones, three pairs" if settings.method == _ALL else dict(METHODS)[settings.method]
        return what if settings.levels == 1 else f"{what} from {si_text(settings.start_v, 'V', digits=2)}"

    def expected_s(self, settings: IntermodulationSettings) -> float:
        """Sum of all passages."""
        return settings.levels * len(settings.methods()) * (settings.duration_s + _SETTLE_S + _RAMP_S)

    def for_floor(self, settings: IntermodulationSettings, rig: Rig, gain: float) -> IntermodulationSettings:
        """Bring the input to the same levels, as far as the ceiling allows."""
        level = min(settings.level_v * gain, rig.highest_v)
        return replace(settings, level_v=level, start_v=min(settings.start_v * gain, level / 2))

    def passages(self, settings: IntermodulationSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Play every pair at every level."""
        rate = settings.rate_hz
        frames = round((settings.duration_s + _SETTLE_S + _RAMP_S) * rate)
        ramp = round(_RAMP_S * rate)
        for level in settings.drives():
            for name in settings.methods():
                f1, f2, a1, a2 = _METHODS[name]
                peak = level * math.sqrt(2)
                volts = sine(f1, a1 * peak, rate, frames) + sine(f2, a2 * peak, rate, frames)
                yield Passage(with_ramps(volts, ramp, ramp), {"level_v": level, "f1_hz": f1, "f2_hz": f2})

    def conclude(
        self, settings: IntermodulationSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Compute every channel; readings are those of the highest level."""
        out = ResultBuilder()
        top = max(part.tags["level_v"] for part in capture.parts)
        for channel in capture.numbers:
            curves: dict[str, list[tuple[float, float]]] = {}
            for number, part in enumerate(capture.parts):
                found = _one(settings, capture, channel, number)
                if found is None:
                    text = f"Channel {channel} holds no two tones at {si_text(part.tags['level_v'], 'V', digits=3)}."
                    out.trust.append(Trust("no_tone", text))
                    continue
                for name, value in _values(found).items():
                    curves.setdefault(name, []).append((part.tags["level_v"], value))
                if part.tags["level_v"] == top:
                    pair = " + ".join(str(si_text(part.tags[f], "Hz", digits=2)) for f in ("f1_hz", "f2_hz"))
                    add_intermodulation(out, found, capture, channel, at=(("tones", pair),))
                if progress is not None:
                    progress((channel - 1 + (number + 1) / len(capture.parts)) / capture.count)
            if settings.levels > 1:
                for name, pairs in curves.items():
                    x, y = (np.array(column) for column in zip(*pairs, strict=True))
                    out.traces.append(Trace(name, channel, x, "V", y, "1"))
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity."))
        return out.build()


def _one(settings: IntermodulationSettings, capture: Capture, channel: int, number: int) -> Found | None:
    part = capture.parts[number]
    start = round((_SETTLE_S - 0.02) * capture.rate_hz)
    samples = capture.part(part).signal(channel)[start : start + round(settings.duration_s * capture.rate_hz)]
    tones = part.tags["f1_hz"], part.tags["f2_hz"]
    try:
        return analyze_intermodulation(samples, capture.rate_hz, tones_hz=tones)
    except NoSignal:
        return None


def _values(found: Found) -> dict[str, float]:
    if found.method == DIFFERENCE:
        pairs = (("imd_ccif_2", found.second), ("imd_ccif_3", found.third))
        return {name: value for name, value in pairs if value is not None}
    return {imd_name(found): found.total}


def imd_name(found: Found) -> str:
    """Name of the reading of a modulation method: by its low tone."""
    return _NAMES[min(_NAMES, key=lambda f: abs(math.log(found.f1_hz / f)))]


def add_intermodulation(out: ResultBuilder, found: Found, capture: Capture, channel: int, *, at: Conditions = ()) -> None:
    """Add readings and the spectrum of one pair of tones."""
    if found.method == DIFFERENCE:
        for name, value, spread in (
            ("imd_ccif_2", found.second, found.u_second),
            ("imd_ccif_3", found.third, found.u_third),
        ):
            if value is not None:
                out.add(name, channel, value, "1", spread)
    else:
        name = imd_name(found)
        out.add(name, channel, found.total, "1", found.u_total)
        for order, value, spread in ((2, found.second, found.u_second), (3, found.third, found.u_third)):
            if value is not None:
                out.add(f"{name}_{order}", channel, value, "1", spread)
    for product in found.products:
        out.add(PRODUCTS[product.n, product.m], channel, product.ratio, "1", product.u_ratio, at)
    out.traces.append(line_trace(found.spectrum, channel, capture.unit(channel), at=at))

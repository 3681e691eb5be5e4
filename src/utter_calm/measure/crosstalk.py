"""Crosstalk both ways and channel balance: one channel driven at a time, many tones at once."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.errors import MeasurementError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import Passage, Passages, PlotSpec, StepKind, StepSettings, sample_rate, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_set import check_tones, fitted_tones, period_frames
from utter_calm.quantities import si_text
from utter_calm.rig import Rig
from utter_calm.signals.multitone import Multitone, log_bins, multitone
from utter_calm.signals.ramp import with_ramps

_SETTLE_S, _TAIL_S = 0.25, 0.03
_NEAR_NOISE = 2.0


@dataclass(frozen=True, slots=True)
class CrosstalkSettings(StepSettings):
    """Settings of crosstalk."""

    low_hz: float = setting(20.0, "Lowest tone", "Hz", low=4, high=160_000)
    high_hz: float = setting(20_000.0, "Highest tone", "Hz", low=10, high=180_000)
    tones: int = setting(28, "Tones", "1", low=3, high=100)
    level_v: float = setting(0.094, "Level of all tones together", "V", low=1e-6, high=100)
    periods: int = setting(1, "Periods", "1", low=1, high=60, rare=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and a range that is none."""
        StepSettings.check(self)
        check_tones(self.low_hz, self.high_hz, self.rate_hz)

    @property
    def frames(self) -> int:
        """Samples of one period."""
        return period_frames(self.rate_hz)

    @property
    def bins(self) -> npt.NDArray[np.int64]:
        """(k,) odd bins: products of even order cannot be taken for crosstalk."""
        return log_bins(self.low_hz, self.high_hz, self.tones, self.rate_hz, self.frames, odd=True)

    def signal(self) -> Multitone:
        """The tones, r.m.s. 1; to find their phases takes a while, so ask only where they are played."""
        return multitone(self.bins, self.frames)


class Crosstalk(StepKind[CrosstalkSettings]):
    """How much of one channel is heard in the other."""

    key = "crosstalk"
    title = "Crosstalk and balance"
    question = "How much of one channel is heard in the other, and how alike both are"
    settings_type = CrosstalkSettings
    readings = with_roles({
        "crosstalk": Declared("crosstalk, worst", "gain", "Largest level in the undriven channel over that in the driven one, both "
                                "by their own gain, over all tones. The channel is the one that hears.", better="low",
                                floored=True),
        "crosstalk_at_1khz": Declared("crosstalk at 1 kHz", "gain", "The same at the tone nearest to 1 kHz.", better="low",
                                        floored=True),
        "crosstalk_at_10khz": Declared("crosstalk at 10 kHz", "gain", "The same at the tone nearest to 10 kHz.", better="low",
                                         floored=True),
        "channel_balance": Declared("balance at 1 kHz", "gain", "Gain of channel 2 over that of channel 1 at the tone nearest to "
                                      "1 kHz."),
        "balance_spread": Declared("balance moves by", "gain", "Largest over smallest balance over all tones.", better="low"),
        "interchannel_phase": Declared("phase between channels", "phase", "Largest phase of channel 2 against channel 1 over all "
                                       "tones.", better="low"),
    }, "crosstalk", "crosstalk_at_1khz", "crosstalk_at_10khz", "channel_balance", "interchannel_phase")  # fmt: skip
    traces = {
        "crosstalk": Declared(
            "crosstalk", "gain", "Level in the undriven channel over that in the driven one, both by their own gain."
        ),
        "balance": Declared("balance", "gain", "Channel 2 over channel 1, each driven by itself."),
    }
    plots = (
        PlotSpec("crosstalk", "Crosstalk", ("crosstalk",), y_title="crosstalk", y_note="re driven channel",
                 unwanted=True),
        PlotSpec("balance", "Channel balance", ("balance",), y_title="channel 2 re 1", detail=0.1, short="balance"),
        PlotSpec("phase", "Phase between the channels", ("balance",), y=PHASE, short="phase"),
    )  # fmt: skip

    def signal(self, settings: CrosstalkSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.low_hz, settings.high_hz))
        return f"one channel, {settings.tones} tones {low} to {high}"

    def highest_level(self, settings: CrosstalkSettings) -> float:
        """R.m.s. of the sine with the same peak."""
        return settings.level_v * settings.signal().crest / math.sqrt(2)

    def expected_s(self, settings: CrosstalkSettings) -> float:
        """Two passages."""
        return 2 * (_SETTLE_S + _TAIL_S + settings.periods * settings.frames / settings.rate_hz)

    def for_floor(self, settings: CrosstalkSettings, rig: Rig, gain: float) -> CrosstalkSettings:
        """Bring the input to the same level, as far as the ceiling allows for the peak."""
        most = rig.highest_v * math.sqrt(2) / settings.signal().crest * 0.999
        return replace(settings, level_v=min(settings.level_v * gain, most))

    def passages(self, settings: CrosstalkSettings, rig: Rig) -> Passages:  # noqa: ARG002
        """Drive channel 1, then channel 2."""
        settle, tail = round(_SETTLE_S * settings.rate_hz), round(_TAIL_S * settings.rate_hz)
        samples = settings.signal().repeated(settle + settings.periods * settings.frames + tail) * settings.level_v
        samples = with_ramps(samples, settle // 4, tail // 2)
        for driven in (0, 1):
            both = np.zeros((len(samples), 2))
            both[:, driven] = samples
            yield Passage(both, {"driven": float(driven + 1)})

    def conclude(self, settings: CrosstalkSettings, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute both directions."""
        if capture.count < 2 or len(capture.parts) != 2:
            raise MeasurementError("Crosstalk needs two channels, driven one after the other.")
        out = ResultBuilder()
        tones = np.asarray(settings.bins * (capture.rate_hz / settings.frames), dtype=np.float64)
        heard = [_phasors(settings, capture, number, tones) for number in (0, 1)]
        for driven, (own, _) in enumerate(heard):
            if float(np.sum(np.abs(own[:, driven]))) < 1e-5 * settings.level_v:
                raise NoSignal(f"Channel {driven + 1} gives nothing when it is driven.", hint="Check its leads.")
        one, two = heard[0][0][:, 0], heard[1][0][:, 1]
        # driven channel 1, heard in channel 2, each by its own gain; and the other way round
        _add_direction(out, tones, np.abs(heard[1][0][:, 0]) / np.abs(one), heard[1][1][:, 0] / np.abs(one), 1)
        _add_direction(out, tones, np.abs(heard[0][0][:, 1]) / np.abs(two), heard[0][1][:, 1] / np.abs(two), 2)
        noise = np.hypot(heard[0][1][:, 0] / np.abs(one), heard[1][1][:, 1] / np.abs(two)) / math.sqrt(2)
        _add_balance(out, tones, two / one, noise, capture)
        if progress is not None:
            progress(1.0)
        if any(capture.overload):
            out.trust.append(Trust("overload", "The input touched full scale: lower its sensitivity."))
        return out.build()


def _phasors(settings: CrosstalkSettings, capture: Capture, number: int, tones: FloatArray) -> tuple[np.ndarray, FloatArray]:
    """(k, channels) phasors in the passage in which one channel was driven, and their standard uncertainty."""
    start = round(_SETTLE_S * capture.rate_hz)
    part = capture.part(capture.parts[number])
    phasors, spreads = [], []
    for channel in range(2):
        record = part.signal(channel + 1)[start : start + settings.periods * settings.frames]
        found, spread = fitted_tones(record, capture.rate_hz, tones)
        phasors.append(found)
        spreads.append(spread * math.sqrt(2))  # noise alone has both quadratures: what is taken off as power (Rice)
    return np.array(phasors).T, np.array(spreads).T


def _add_direction(out: ResultBuilder, tones: FloatArray, ratio: FloatArray, spread: FloatArray, channel: int) -> None:
    """Add crosstalk into a channel; what noise adds to the magnitude is taken off as power (Rice).

    Far above the noise its part in phase alone moves a magnitude; near it, taking it off adds to that, and in the noise the
    noise itself is what is not known.
    """
    honest = np.sqrt(np.maximum(ratio**2 - spread**2, (0.3 * spread) ** 2))
    grows = np.divide(ratio, honest, out=np.zeros_like(ratio), where=honest > 0)  # all zero in a loop without noise
    u = np.minimum(spread, grows * spread / math.sqrt(2))
    out.traces.append(Trace("crosstalk", channel, tones, "Hz", honest, "1", None, 2 * u))
    worst = int(np.argmax(honest))
    out.add("crosstalk", channel, float(honest[worst]), "1", float(u[worst]))
    for name, at in (("crosstalk_at_1khz", 1e3), ("crosstalk_at_10khz", 1e4)):
        near = int(np.argmin(np.abs(np.log(tones / at))))
        if abs(math.log(tones[near] / at)) < 0.25:
            out.add(name, channel, float(honest[near]), "1", float(u[near]))
    lost = honest < _NEAR_NOISE * spread
    if np.any(lost):
        text = (
            f"Crosstalk into channel {channel} is lost in noise at {np.count_nonzero(lost)} of {len(tones)} tones: an upper bound."
        )
        out.trust.append(Trust("crosstalk_in_noise", text, grave=False))


def _add_balance(out: ResultBuilder, tones: FloatArray, ratio: np.ndarray, noise: FloatArray, capture: Capture) -> None:
    """Add channel 2 over channel 1; ``noise`` is the relative standard uncertainty of each ratio from the noise.

    The channels' levels were calibrated alike, and what that leaves open is common to both; how far each is flat is its own.
    """
    flat = math.hypot(capture.u_flatness(1), capture.u_flatness(2))
    magnitude = np.abs(ratio)
    u = np.hypot(flat, noise)
    out.traces.append(Trace("balance", 1, tones, "Hz", magnitude, "1", np.unwrap(np.angle(ratio)), 2 * u * magnitude))
    near = int(np.argmin(np.abs(np.log(tones / 1e3))))
    out.add("channel_balance", 0, float(magnitude[near]), "1", float(magnitude[near] * u[near]))
    top, bottom = int(np.argmax(magnitude)), int(np.argmin(magnitude))
    moves = float(magnitude[top] / magnitude[bottom])
    out.add("balance_spread", 0, moves, "1", moves * math.hypot(flat, noise[top], noise[bottom]))
    turn = np.abs(np.angle(ratio))
    most = int(np.argmax(turn))
    out.add("interchannel_phase", 0, float(turn[most]), "rad", float(noise[most]))

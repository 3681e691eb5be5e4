"""A class-AB stereo power amplifier on an unregulated supply, feeding a resistive load.

What is modelled, because each of it shows in a measurement: gain and its mismatch between channels; low and high corner;
output resistance and inductance, so that level and bandwidth depend on the load; the crossover region, whose distortion
rules at low level; current-dependent loss, so that a lower load resistance distorts more; rails that sag with the average
current and carry its ripple; soft, then hard clipping at those rails; hum with its harmonics; thermal noise; stray
capacitance between the channels.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.standins.base import FloatArray
from utter_calm.standins.corner import Filter, high_pass, low_pass
from utter_calm.standins.noise import NoiseSource

_CHUNK = 512
_KNEE = 24
_HUM_STEP = 16
_HUM_ORDERS = (1, 2, 3, 4, 6)


@dataclass(frozen=True, slots=True)
class AmplifierModel:
    """The make of an amplifier; volts, ohm, henry, hertz, seconds."""

    gain: tuple[float, float] = (30.20, 30.13)
    low_corner_hz: float = 5.5
    high_corner_hz: float = 82e3
    output_ohm: float = 0.045
    output_henry: float = 3.2e-6
    rail_v: float = 39.5
    supply_ohm: float = 0.9
    supply_time_s: float = 0.06
    headroom_loss_v: float = 3.0
    crossover_v: tuple[float, float] = (140e-6, 165e-6)
    crossover_width_v: float = 0.35
    curvature_per_v: tuple[float, float] = (1.1e-7, 1.6e-7)
    loss_v_per_a3: float = 3.0e-4
    noise_v_per_root_hz: float = 420e-9
    mains_hz: float = 50.02
    hum_v: tuple[float, ...] = (9e-6, 26e-6, 5e-6, 11e-6, 4e-6)
    hum_per_channel: tuple[float, float] = (1.0, 1.35)
    ripple_v_per_a: float = 0.22
    ripple_rejection: float = 3e-5
    offset_v: tuple[float, float] = (0.0021, -0.0034)
    crosstalk_at_10khz: float = 6e-5


class Amplifier:
    """A running amplifier.

    Parameters
    ----------
    model
        Its make.
    rate_hz
        Samples per second of the blocks.
    load_ohm
        Resistance on both outputs; infinite for none.
    seed
        Of its noise.
    """

    def __init__(self, model: AmplifierModel, rate_hz: float, load_ohm: float, seed: int) -> None:
        self._model, self._rate, self._load = model, rate_hz, load_ohm
        corner = (load_ohm + model.output_ohm) / (2 * math.pi * model.output_henry)
        sections = [high_pass(model.low_corner_hz, rate_hz), low_pass(model.high_corner_hz, rate_hz)]
        if corner < 20 * rate_hz:
            sections.append(low_pass(corner, rate_hz))
        self._filter = Filter(sections, 2)
        from scipy.signal import butter  # noqa: PLC0415 - heavy: not before the first sound

        self._slow = Filter(butter(4, rate_hz / 7, fs=rate_hz, output="sos").tolist(), 2)
        self._noise = NoiseSource(seed, 2, model.noise_v_per_root_hz * math.sqrt(rate_hz / 2))
        self._gain = np.array(model.gain)
        self._crossover = np.array(model.crossover_v)
        self._curvature = np.array(model.curvature_per_v)
        self._divider = load_ohm / (load_ohm + model.output_ohm) if math.isfinite(load_ohm) else 1.0
        self._conductance = 1 / (load_ohm + model.output_ohm) if math.isfinite(load_ohm) else 0.0
        self._stray = model.crosstalk_at_10khz * rate_hz / (2 * math.pi * 10e3)
        self._last = np.zeros((1, 2))
        self._rail = model.rail_v
        self._time = 0.0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load for a block of input volts, both (n, 2)."""
        wanted = self._filter(volts * self._gain)
        # stray capacitance between the channels: rises with frequency, as the difference from sample to sample does
        strays = np.diff(wanted, axis=0, prepend=self._last)
        self._last = wanted[-1:].copy()
        wanted += strays[:, ::-1] * self._stray
        limit, rail_current = self._limits(wanted)
        inside = self._bend(wanted)
        out = self._clip(inside, limit)
        out *= self._divider
        return self._add_noise(out, rail_current)

    def _limits(self, wanted: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Let the rails follow the average current; give their limit (n, 1), and the current at every ``_HUM_STEP``."""
        model, frames = self._model, len(wanted)
        edges = np.arange(0, frames, _CHUNK)
        current = np.add.reduceat(np.abs(wanted).sum(axis=1), edges) * self._conductance
        current /= np.diff(np.append(edges, frames))
        limits = np.empty(len(edges) + 1)
        limits[0] = self._rail
        for index, (start, value) in enumerate(zip(edges.tolist(), current.tolist(), strict=True)):
            span = (min(start + _CHUNK, frames) - start) / self._rate
            target = model.rail_v - model.supply_ohm * value
            self._rail = target + (self._rail - target) * math.exp(-span / model.supply_time_s)
            limits[index + 1] = self._rail
        rail = _stretched(limits[:, None], _CHUNK, frames)
        coarse = np.arange(-(-frames // _HUM_STEP) + 1) * _HUM_STEP
        drawn = np.interp(coarse, np.append(edges, frames), np.append(current[:1], current))
        return rail - model.headroom_loss_v, drawn

    def _bend(self, wanted: FloatArray) -> FloatArray:
        """Crossover region, even-order curvature and loss with current: the small errors that feedback leaves.

        They are made from the part of the signal below a seventh of the rate: what bends above would fold back at half
        the rate, which no real amplifier does.
        """
        model = self._model
        bent = self._slow(wanted)
        squared = bent * bent
        # a dip of the slope about zero: v / (1 + (v/w)^2), small against v far from zero and far below w
        dip = squared * (1 / model.crossover_width_v**2)
        dip += 1.0
        np.divide(-self._crossover / model.crossover_width_v, dip, out=dip)
        dip -= model.loss_v_per_a3 * self._conductance**3 * squared
        dip *= bent
        squared *= self._curvature
        dip += squared
        dip += wanted
        return dip

    def _clip(self, signal: FloatArray, limit: FloatArray) -> FloatArray:
        """Soft, then hard: ``v / (1 + |v / limit|^24)^(1/24)``; left alone far below the limit, where it does nothing."""
        ratio = signal / limit
        if max(ratio.max(initial=0.0), -ratio.min(initial=0.0)) < 0.5:
            return signal
        ratio *= ratio
        power = ratio * ratio
        power *= ratio  # the sixth power of v / limit, then the twelfth, then the 24th
        power *= power
        power *= power
        np.log1p(power, out=power)
        power *= -1 / _KNEE
        np.exp(power, out=power)
        power *= signal
        return power

    def _add_noise(self, out: FloatArray, rail_current: FloatArray) -> FloatArray:
        model, frames = self._model, len(out)
        # hum is slow: made on a coarse grid and interpolated
        grid = self._time + np.arange(len(rail_current)) * (_HUM_STEP / self._rate)
        turn = 2 * math.pi * model.mains_hz * grid
        family = np.sum([a * np.sin(k * turn + 0.7 * k) for k, a in zip(_HUM_ORDERS, model.hum_v, strict=True)], axis=0)
        ripple = (np.sin(2 * turn) + 0.4 * np.sin(4 * turn)) * rail_current
        ripple *= math.sqrt(2) * model.ripple_v_per_a * model.ripple_rejection
        slow = family[:, None] * np.array(model.hum_per_channel) + ripple[:, None] + np.array(model.offset_v)
        out += _stretched(slow, _HUM_STEP, frames)
        self._time += frames / self._rate
        out += self._noise.take(frames)
        return out


def _stretched(knots: FloatArray, step: int, frames: int) -> FloatArray:
    """Linear interpolation of (m, c) knots from every ``step``-th frame to all of them: (frames, c)."""
    share = np.arange(step) / step
    columns = knots.T  # each channel in one piece, as all blocks are
    dense = np.diff(columns, axis=1)[:, :, None] * share
    dense += columns[:, :-1, None]
    return np.asarray(dense.reshape(knots.shape[1], -1)[:, :frames].T)

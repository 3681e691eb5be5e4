"""An impedance tone by tone: each frequency sounds until it is steady, and is read by least squares."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.two_channel import Ratio
from utter_calm.measure.kind import Stimulus
from utter_calm.measure.swept import LEAD_S
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

if TYPE_CHECKING:
    from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings

SWEEP, STEPS = "sweep", "steps"
"""What an impedance step may play."""
_CYCLES, _LEAST_S, _RAMP_S, _SETTLES = 16.0, 0.12, 0.01, 0.5
_TAIL_S = 0.2


def tones_of(settings: ImpedanceSweepSettings) -> FloatArray:
    """(n,) Hz, so many to an octave, from the lowest to the highest."""
    octaves = math.log2(settings.stop_hz / settings.start_hz)
    return np.geomspace(settings.start_hz, settings.stop_hz, max(4, round(octaves * settings.per_octave) + 1))


def _frames(settings: ImpedanceSweepSettings, frequency_hz: float) -> int:
    return round(max(_LEAST_S, _CYCLES / frequency_hz) * settings.rate_hz)


def stepped_stimulus(settings: ImpedanceSweepSettings) -> Stimulus:
    """All tones in a row, between two silences."""
    rate, level = settings.rate_hz, settings.level_v * math.sqrt(2)
    pieces = [np.zeros(round(LEAD_S * rate))]
    for f in tones_of(settings).tolist():
        frames = _frames(settings, f)
        ramp = min(round(_RAMP_S * rate), frames // 8)
        pieces.append(with_ramps(sine(f, level, rate, frames), ramp, ramp))
    pieces.append(np.zeros(round(_TAIL_S * rate)))
    return Stimulus(np.concatenate(pieces), rate)


def stepped_ratio(physical: FloatArray, settings: ImpedanceSweepSettings) -> Ratio:
    """Ratio of the two columns (n, 2) at each tone, from the part in which it is steady; its scatter from what else is there."""
    at = round(LEAD_S * settings.rate_hz)
    tones = tones_of(settings)
    value, u = np.zeros(len(tones), dtype=complex), np.zeros(len(tones))
    for k, f in enumerate(tones.tolist()):
        frames = _frames(settings, f)
        ramp = min(round(_RAMP_S * settings.rate_hz), frames // 8)
        steady = physical[at + round(_SETTLES * frames) : at + frames - ramp]
        turn = 2 * np.pi * f * np.arange(len(steady)) / settings.rate_hz
        columns = np.stack([np.cos(turn), -np.sin(turn), np.ones(len(turn))], axis=1)
        found = np.linalg.lstsq(columns, steady, rcond=None)[0]
        rest = steady - columns @ found
        over, under = (complex(found[0, c], found[1, c]) for c in (0, 1))
        noise = np.sqrt(np.mean(rest**2, axis=0) * 2 / max(len(steady), 1))  # of each part of an amplitude
        value[k] = over / under if abs(under) > 0 else np.inf
        u[k] = math.hypot(noise[0] / max(abs(over), 1e-300), noise[1] / max(abs(under), 1e-300))
        at += frames
    return Ratio(tones, value, u, 1.0)

"""A telephone that records: it hears by its own microphone, at its own rate and by its own clock, and leaves a file."""

from __future__ import annotations

import itertools
import math
from pathlib import Path

import numpy as np

from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.formats.audio import write_audio
from utter_calm.standins.base import FloatArray

RATE_HZ = 44_100
_HEARS_V, _QUIET_S, _BEFORE_S = 0.003, 4.0, 0.2
_LOWEST_HZ, _FULL_SCALE_V = 60.0, 6.0
_NOISE_FS = 3e-5
_FADES_DB_PER_S = -0.6


class PhoneRecorder:
    """A stand-in that begins to record when it hears something, and ends when it has been quiet for a while.

    Nothing comes out of it: what it heard is found in its folder, as ``recording-1.wav`` and so on.

    Parameters
    ----------
    folder
        Where it leaves its files; None for nowhere.
    ppm
        How much faster its clock runs: what it recorded sounds so much lower.
    regulates
        Whether a gain control turns what it records down while it is loud.
    """

    def __init__(self, rate_hz: float, folder: Path | None, *, ppm: float, seed: int, regulates: bool = False) -> None:
        self._rate, self._folder, self._ppm, self._regulates = rate_hz, folder, ppm, regulates
        self._random = np.random.default_rng(seed)
        self._heard: list[FloatArray] = []
        self._recording, self._quiet = False, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Listen to a block (n, 2); nothing comes back."""
        sound = np.array(volts[:, 0])
        loud = np.flatnonzero(np.abs(sound) > _HEARS_V)
        self._heard.append(sound)
        if len(loud):
            self._recording, self._quiet = True, len(sound) - 1 - int(loud[-1])
        else:
            self._quiet += len(sound)
        if not self._recording:
            kept = np.concatenate(self._heard)[-math.ceil(_BEFORE_S * self._rate) :]
            self._heard = [kept]
        elif self._quiet > _QUIET_S * self._rate:
            self._leave(np.concatenate(self._heard))
            self._heard, self._recording = [], False
        return np.zeros_like(volts)

    def _leave(self, sound: FloatArray) -> None:
        from scipy.signal import butter, lfilter  # noqa: PLC0415 - heavy: not before the first sound

        if self._folder is None:
            return
        b, a = butter(1, _LOWEST_HZ, "highpass", fs=self._rate)
        recorded = resampled(np.asarray(lfilter(b, a, sound)), RATE_HZ / self._rate * (1 + 1e-6 * self._ppm)) / _FULL_SCALE_V
        if self._regulates:
            recorded = recorded * 10 ** (_FADES_DB_PER_S / 20 * np.arange(len(recorded)) / RATE_HZ)
        recorded = np.clip(recorded + self._random.normal(0, _NOISE_FS, len(recorded)), -1, 1)
        self._folder.mkdir(parents=True, exist_ok=True)
        path = next(p for n in itertools.count(1) if not (p := self._folder / f"recording-{n}.wav").exists())
        write_audio(path, recorded[:, None], RATE_HZ)

"""The one gate that every sample for every output passes before it sounds: peaks, r.m.s., full scale, the unit's rating, ears."""

from __future__ import annotations

import math
import threading
from collections import deque

import numpy as np

from utter_calm.errors import InputError
from utter_calm.quantities import si_text
from utter_calm.rig.guard import SoundGuard
from utter_calm.rig.limits import check_samples, limits_for, peaks_of
from utter_calm.rig.protocol import FloatArray, RecordedBlock
from utter_calm.rig.rating import SPAN_S, Rating, loudest_rms
from utter_calm.rig.rig import Rig
from utter_calm.signals.tone import sine

_SPAN_S = 3.0
"""Over which the r.m.s. is taken: long enough for a tone of 1 Hz."""
_OVER = 1.03
"""What such a span may show of a tone that is at the ceiling: it holds no whole number of periods."""
_TONE_S, _PERIODS = 0.3, 10


class Gate:
    """What the outputs of a device may give for a rig and for the unit that hangs on it.

    A ceiling in r.m.s. volts holds both ways: no sample is beyond the peak of a sine of so many volts, and no three seconds have
    more r.m.s. What is refused is refused as a whole, before any of it sounds; nothing is cut. What drives nothing stays silent.

    Parameters
    ----------
    rig
        Gives the ceiling, parts after the outputs, full scale and the sound pressure at which everything falls silent.
    outputs
        Number of outputs of the device.
    rating
        What the unit takes; None where nobody said, or where none hangs there.

    Raises
    ------
    InputError
        The rig has an output that the device does not have, or a limit that nothing could hold.
    """

    def __init__(self, rig: Rig, outputs: int, rate_hz: float, rating: Rating | None = None) -> None:
        self._lock = threading.Lock()
        self._rate = rate_hz
        self.peaks = peaks_of(rig, outputs)
        """(outputs,) volts of a sample of 1."""
        self.drives = tuple(c.number - 1 for c in rig.drives)
        """Columns that drive the unit."""
        self._last: deque[tuple[int, FloatArray]] = deque()
        self._take_on(rig, rating)

    def change(self, rig: Rig, rating: Rating | None) -> None:
        """Hold other limits from now on, as they are set while something plays; errors as when it is made."""
        with self._lock:
            self._take_on(rig, rating)

    def _take_on(self, rig: Rig, rating: Rating | None) -> None:
        self.rig, self.rating = rig, rating
        self.guard = SoundGuard(rig, self._rate)
        self.limits = limits_for(self.peaks, rig.ceiling_v, rig.protection.ceiling_fs)
        self._most_rms = _OVER * rig.ceiling_v / self.peaks

    def check(self, samples: FloatArray) -> None:
        """Refuse a passage, (n, outputs), that is too much for an output or for the unit.

        Raises
        ------
        InputError
            Says what it would have given, and what is allowed.
        """
        with self._lock:
            check_samples(samples, self.limits)
            self._check_drives(samples)
            for number in np.flatnonzero(np.max(np.abs(samples), axis=0, initial=0.0) > self._most_rms).tolist():
                self._refuse_rms(number, loudest_rms(samples[:, number], self._rate, _SPAN_S))
            if self.rating is not None:
                seen: list[FloatArray] = []
                for drive in self.drives:  # channels that are driven alike are looked at once
                    column = samples[:, drive]
                    if not any(np.array_equal(column, other) for other in seen):
                        seen.append(column)
                        self.rating.check(column * self.peaks[drive], self._rate)

    def check_block(self, samples: FloatArray) -> None:
        """Refuse a block of something that runs, (n, outputs), by itself and with the last seconds before it; errors as in check.

        What the unit takes of a running tone is asked of :meth:`check_tone` before its level is set.
        """
        with self._lock:
            check_samples(samples, self.limits)
            self._check_drives(samples)
            self._last.append((len(samples), np.sum(samples**2, axis=0)))
            frames = sum(n for n, _ in self._last)
            while frames - self._last[0][0] >= _SPAN_S * self._rate:
                frames -= self._last.popleft()[0]
            if frames < _SPAN_S * self._rate:
                return
            rms = np.sqrt(sum((power for _, power in self._last), np.zeros(samples.shape[1])) / frames)
            for number in np.flatnonzero(rms > self._most_rms).tolist():
                self._refuse_rms(number, float(rms[number]))

    def check_tone(self, frequency_hz: float, level_v: float) -> None:
        """Refuse a tone of so many r.m.s. volts that is above the ceiling or too much for the unit; errors as in check."""
        if not level_v:
            return
        self.rig.check_level(level_v)
        if self.rating is None:
            return
        frames = round(max(_TONE_S, _PERIODS / frequency_hz) * self._rate)
        self.rating.check(sine(frequency_hz, level_v * math.sqrt(2), self._rate, frames), self._rate)

    def most_of_tone(self, frequency_hz: float) -> float:
        """R.m.s. volts that a tone may have now; 0 where the unit takes none of that frequency.

        A little under what the unit takes: a tenth of a second holds no whole number of periods, and reads a tone that much higher.
        """
        most = self.rig.highest_v
        if self.rating is not None:
            spare = 1 + 1 / (2 * math.pi * frequency_hz * SPAN_S)
            most = min(most, self.rating.most_v_at(frequency_hz) / spare)
        try:
            self.check_tone(frequency_hz, most)
        except InputError:
            return 0.0
        return most

    def on_drives(self, sound: FloatArray) -> FloatArray:
        """(n, outputs) a sound (n,) on the outputs that drive the unit, and silence on the others."""
        out = np.zeros((len(sound), len(self.peaks)))
        out[:, list(self.drives)] = sound[:, None]
        return out

    def follow(self, block: RecordedBlock) -> None:
        """Look at what comes back; MeasurementError where it is louder at the microphone than it may be."""
        self.guard.follow(block)

    def _check_drives(self, samples: FloatArray) -> None:
        others = [k for k in range(samples.shape[1]) if k not in self.drives]
        loud = [k for k in others if np.any(samples[:, k])]
        if loud:
            raise InputError(
                f"Output {loud[0] + 1} drives nothing on this rig: it stays silent.",
                hint="Give it the role “drive” (rig), if it does.",
            )

    def _refuse_rms(self, column: int, rms: float) -> None:
        if rms <= self._most_rms[column]:
            return
        volts = rms * self.peaks[column]
        raise InputError(
            f"This would give {si_text(volts, 'V', digits=3)} r.m.s. on output {column + 1}, above the ceiling of "
            f"{si_text(self.rig.ceiling_v, 'V', digits=3)} r.m.s.", hint="Lower the level.",
        )  # fmt: skip

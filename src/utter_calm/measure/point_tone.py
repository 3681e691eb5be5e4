"""The tone of one point of a series: measured while the series plays, and remembered until the whole of it is computed."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from dataclasses import dataclass
from typing import Self

from utter_calm.analysis.ripple import without_ripple
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture

_REMEMBERED = 4_096
"""Tones: the longest series on two channels; a tone takes about 1 kB."""


@dataclass(frozen=True, slots=True, eq=False)
class PointTone:
    """What a point of a series needs of a tone: as in :class:`ToneAnalysis`, without its record.

    ``harmonics`` are the ratios of those of order 2 to 10 that lie in the band, by their order.
    """

    frequency_hz: float
    level: float
    u_level: float
    thd: float | None
    thd_n: float
    u_thd_n: float
    noise: float
    harmonics: dict[int, float]

    @classmethod
    def of(cls, tone: ToneAnalysis) -> Self:
        """Take what a point needs."""
        harmonics = {h.order: h.ratio for h in tone.harmonics if h.in_band}
        return cls(
            tone.frequency_hz, tone.level, tone.u_level, tone.thd, tone.thd_n, tone.u_thd_n, tone.noise, harmonics,
        )  # fmt: skip


class _Memory:
    """The tones found last, by the very samples that they were found in."""

    def __init__(self, most: int) -> None:
        self._most, self._lock = most, threading.Lock()
        self._tones = OrderedDict[object, PointTone | None]()

    def tone(self, samples: FloatArray, rate_hz: float, near_hz: float, band: tuple[float, float]) -> PointTone | None:
        key = hashlib.blake2b(samples.tobytes(), digest_size=16).digest(), rate_hz, near_hz, band
        with self._lock:
            if key in self._tones:
                self._tones.move_to_end(key)
                return self._tones[key]
        found = _measure(samples, rate_hz, near_hz, band)
        with self._lock:
            self._tones[key] = found
            while len(self._tones) > self._most:
                self._tones.popitem(last=False)
        return found


_memory = _Memory(_REMEMBERED)


def tone_at(capture: Capture, channel: int, near_hz: float, band: tuple[float, float]) -> PointTone | None:
    """Measure the tone of one point, or remember it; None where none stands out of the noise."""
    return _memory.tone(capture.signal(channel), capture.rate_hz, near_hz, band)


def _measure(samples: FloatArray, rate_hz: float, near_hz: float, band: tuple[float, float]) -> PointTone | None:
    try:
        # the record of a point is short: what is loud beside the band would be taken for harmonics
        clear = without_ripple(samples, rate_hz, near_hz, band[1])
        return PointTone.of(analyze_tone(clear, rate_hz, band_hz=band, near_hz=near_hz))
    except NoSignal:
        return None

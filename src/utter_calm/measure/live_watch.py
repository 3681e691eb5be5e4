"""What the live view watches for: hum over the last minutes, and the onset of clipping while a knob is turned."""

from __future__ import annotations

import math
import time
from collections import deque
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.mains import find_mains
from utter_calm.analysis.spectrum import FloatArray, line_spectrum

HISTORY_S = 180.0


@dataclass(frozen=True, slots=True)
class HumReading:
    """Hum at one moment.

    Parameters
    ----------
    at_s
        Monotonic time.
    mains_hz
        Of the family that was found; None where none stands out.
    rms
        For each channel the r.m.s. of the family together; where none stands out, what could hide in the noise.
    lines
        (multiple, r.m.s.) of the louder channel.
    """

    at_s: float
    mains_hz: float | None
    rms: tuple[float, ...]
    lines: tuple[tuple[int, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Event:
    """Something that was done while watching, in words, and the hum when it was noted."""

    at_s: float
    text: str
    hum: HumReading

    @property
    def rms(self) -> float:
        """Of the louder channel."""
        return max(self.hum.rms)


def hum_of(volts: FloatArray, rate_hz: float, at_s: float | None = None) -> HumReading:
    """Pick the mains family out of a record (n, channels) of half a second or more, and sum it."""
    now = time.monotonic() if at_s is None else at_s
    rms: list[float] = []
    best: tuple[tuple[int, float], ...] = ()
    frequency: float | None = None
    loudest = 0.0
    for column in volts.T:
        signal = column - np.mean(column)
        spectrum = line_spectrum(signal, rate_hz)
        found = find_mains(signal, rate_hz, spectrum, np.empty(0))
        if found is None:
            # a family of ten lines of noise: no more than that can be there unseen
            hidden = math.sqrt(10 * spectrum.local_density_squared(100.0) / (len(signal) / rate_hz)) * 4
            rms.append(hidden)
            continue
        total = float(np.sqrt(np.sum(found.rms**2)))
        rms.append(total)
        if total > loudest:
            loudest, frequency = total, found.frequency_hz
            best = tuple((int(m), float(v)) for m, v in zip(found.multiples, found.rms, strict=True))
    return HumReading(now, frequency, tuple(rms), best)


class HumWatch:
    """History of the last minutes, a frozen before, and the events between."""

    def __init__(self) -> None:
        self._readings: deque[HumReading] = deque()
        self.events: list[Event] = []

    @property
    def before(self) -> HumReading | None:
        """What was heard at the last mark; None without one."""
        return self.events[-1].hum if self.events else None

    def add(self, reading: HumReading) -> None:
        """Take a reading; those older than the history are let go."""
        self._readings.append(reading)
        while self._readings and reading.at_s - self._readings[0].at_s > HISTORY_S:
            self._readings.popleft()

    @property
    def latest(self) -> HumReading | None:
        """The newest reading."""
        return self._readings[-1] if self._readings else None

    def history(self) -> tuple[FloatArray, FloatArray]:
        """(n,) seconds before now, rising to 0, and (n, channels) r.m.s."""
        if not self._readings:
            return np.empty(0), np.empty((0, 0))
        end = self._readings[-1].at_s
        return np.array([r.at_s - end for r in self._readings]), np.array([r.rms for r in self._readings])

    def mark(self, text: str = "") -> Event | None:
        """Note that something is done; from here on the difference counts. None before the first reading.

        Without a text it gets a number; :meth:`name_last` gives it words later, for the moment must not wait for them.
        """
        now = self.latest
        if now is None:
            return None
        event = Event(now.at_s, text or f"no. {len(self.events) + 1}", now)
        self.events.append(event)
        return event

    def name_last(self, text: str) -> None:
        """Put the last event into words; without any event, or without words, nothing happens."""
        if self.events and text:
            self.events[-1] = replace(self.events[-1], text=text)

    def effects(self) -> list[tuple[Event, float | None]]:
        """Give each event with how far the louder channel moved, in dB, until the next event or until now."""
        heard = [*(event.rms for event in self.events[1:]), max(self.latest.rms) if self.latest else 0.0]
        out: list[tuple[Event, float | None]] = []
        for event, after in zip(self.events, heard[: len(self.events)], strict=True):
            out.append((event, 20 * math.log10(after / event.rms) if after > 0 and event.rms > 0 else None))
        return out

    def change_db(self) -> float | None:
        """How far the louder channel has moved since the last mark; None without one."""
        return self.effects()[-1][1] if self.events else None

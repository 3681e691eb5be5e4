"""A tone that steps from point to point: settling is looked for, not waited for, and the phase never jumps."""

from __future__ import annotations

import math
from collections.abc import Generator, Iterator
from dataclasses import dataclass

import numpy as np

from utter_calm.measure.capture import Capture, FloatArray, Part
from utter_calm.measure.kind import Passage

_GLIDE_S, _GLIDE_CYCLES = 0.012, 2.0
_SETTLE_CYCLES, _LEAST_SETTLE_S, _MOST_SETTLE_S = 2, 0.012, 1.2
_STEADY, _STEADY_HARMONICS = 4e-4, 0.01
_ORDERS = 5
_GROWTH = 1.4
_DRIFT, _NOTHING = 0.3, 1e-6

ToneSteps = Generator[Passage, Capture, Capture]


class SteppedTone:
    """Plays one point after the other on a stream that never stops; what answers late is waited for after each change."""

    def __init__(self, rate_hz: int, late_s: float = 0.0) -> None:
        self._rate = rate_hz
        self._late = round(late_s * rate_hz)
        self._frequency = self._level = 0.0
        self._phase = 0.0
        self._point = -1

    def point(self, frequency_hz: float, level_v: float, record_s: float, **tags: float) -> ToneSteps:
        """Go to a frequency (Hz) and level (V r.m.s.), wait until both channels hold still, and record.

        Gives the capture of the recorded stretch; its part, and any made by :meth:`more`, has the tag ``measured``.
        """
        self._point += 1
        glide: tuple[float, float] | None = (frequency_hz, level_v)
        least = max(_SETTLE_CYCLES / frequency_hz, _LEAST_SETTLE_S)
        length, spent = least, 0.0
        history: list[_Heard] = []
        while spent < max(_MOST_SETTLE_S, 4 * least) and not _has_settled(history):
            frames = round(length * self._rate)
            waited = self._late if glide is not None else 0
            heard = yield self._passage(frames + waited, 0, tags, glide or (frequency_hz, level_v), glide=glide is not None)
            glide = None
            history.append(_listen(heard.samples[-frames:], frequency_hz / self._rate))
            spent += length
            length *= _GROWTH if spent > 2.5 * least else 1.0
        return (yield from self.more(record_s, **tags))

    def more(self, record_s: float, **tags: float) -> ToneSteps:
        """Record another stretch of whole cycles at the same point."""
        cycles = max(3, math.ceil(record_s * self._frequency))
        frames = round(cycles / self._frequency * self._rate)
        return (yield self._passage(frames, 1, tags, (self._frequency, self._level), glide=False))

    def end(self) -> Passage:
        """Fall silent."""
        return Passage(lambda: self._change(self._frequency, 0.0), {"measured": 0.0})

    def _passage(self, frames: int, measured: int, tags: dict[str, float], place: tuple[float, float], *, glide: bool) -> Passage:
        """Make a passage whose samples are computed when they are played: until then the tone before may be held on."""

        def volts() -> FloatArray:
            change = self._change(*place) if glide else np.empty(0)
            return np.concatenate([change, self._tone(frames)])

        named = {"frequency_hz": place[0], "level_v": place[1], "point": float(self._point)}
        return Passage(volts, {**named, "measured": float(measured), **tags}, hold=self._tone)

    def _change(self, frequency_hz: float, level_v: float) -> FloatArray:
        """Glide to another frequency and level, both smoothly and with the phase unbroken.

        A tone that stops and starts, or jumps, kicks whatever couples the unit, and that takes long to recover; a glide over
        two cycles does not.
        """
        before = self._frequency or frequency_hz
        frames = round(max(_GLIDE_S, _GLIDE_CYCLES / min(before, frequency_hz)) * self._rate)
        shape = 0.5 - 0.5 * np.cos(np.pi * (np.arange(frames) + 0.5) / frames)
        frequency = before * (frequency_hz / before) ** shape
        level = self._level + (level_v - self._level) * shape
        phase = self._phase + 2 * np.pi / self._rate * np.cumsum(frequency)
        self._frequency, self._level = frequency_hz, level_v
        self._phase = float(phase[-1]) % (2 * np.pi)
        return np.asarray(level * math.sqrt(2) * np.sin(phase))

    def _tone(self, frames: int) -> FloatArray:
        step = 2 * np.pi * self._frequency / self._rate
        out = self._level * math.sqrt(2) * np.sin(self._phase + step * np.arange(1, frames + 1))
        self._phase = (self._phase + step * frames) % (2 * np.pi)
        return np.asarray(out)


@dataclass(frozen=True, slots=True, eq=False)
class _Heard:
    """The end of a stretch, each (channels,): amplitudes of tone and harmonics, how far noise moves them, mean, rest (r.m.s.)."""

    amplitude: FloatArray
    harmonics: FloatArray
    spread: FloatArray
    mean: FloatArray
    rest: FloatArray


def _listen(samples: FloatArray, cycles_per_frame: float) -> _Heard:
    """Look at the last whole cycles of a stretch."""
    cycles = max(1, int(len(samples) * 0.75 * cycles_per_frame))
    frames = min(len(samples), max(8, round(cycles / cycles_per_frame)))
    tail = samples[-frames:]
    mean = tail.mean(axis=0)
    rest = tail - mean
    amplitudes = []
    for order in range(1, min(_ORDERS, int(0.45 / cycles_per_frame)) + 1):
        turn = np.exp(-2j * np.pi * order * cycles_per_frame * np.arange(frames))
        phasor = 2 / frames * (turn @ rest)
        amplitudes.append(np.abs(phasor))
        rest = rest - (phasor[None, :] * turn.conj()[:, None]).real
    noise = rest.std(axis=0)
    mean = mean + rest.mean(axis=0)  # the tone does not fill whole frames: without it the mean is what it is
    harmonics = np.sqrt(np.sum(np.square(amplitudes[1:]), axis=0)) if len(amplitudes) > 1 else np.zeros(len(mean))
    return _Heard(amplitudes[0], harmonics, noise * math.sqrt(2 / frames), mean, noise)


def _has_settled(history: list[_Heard]) -> bool:
    """Whether tone and harmonics hold still, and so does the mean.

    Harmonics tell of a supply that still sags near clipping, the mean of a coupling that recovers: both would be taken for
    distortion or noise.
    """
    if len(history) < 2:
        return False
    before, now = history[-2:]
    steady = np.abs(now.amplitude - before.amplitude) <= np.maximum(_STEADY * now.amplitude, 4 * now.spread)
    steady &= np.abs(now.harmonics - before.harmonics) <= np.maximum(_STEADY_HARMONICS * now.harmonics, 6 * now.spread)
    drift = np.abs(now.mean - before.mean)
    quiet = drift <= np.maximum(_DRIFT * now.rest, _NOTHING * now.amplitude)
    if len(history) > 2:  # what does not shrink is not settling but hum
        quiet |= drift > 0.95 * np.abs(before.mean - history[-3].mean)
    return bool(np.all(steady & quiet))


def measured_points(capture: Capture) -> Iterator[tuple[dict[str, float], Capture]]:
    """Give, for each point in the order of playing, its tags and the capture of what was recorded there.

    Stretches of one point follow each other without a gap and come as one capture.
    """
    points: dict[tuple[float, float], list[Part]] = {}
    for part in capture.parts:
        if part.tags.get("measured"):
            points.setdefault((part.tags.get("series", 0.0), part.tags["point"]), []).append(part)
    for parts in points.values():
        whole = Part(parts[0].start, parts[-1].stop, parts[0].tags, parts[0].conditions)
        yield parts[0].tags, capture.part(whole)

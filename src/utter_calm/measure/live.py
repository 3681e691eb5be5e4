"""The live view's numbers: spectrum, waveform and readings of a running tone, computed on a thread of their own."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.tone import tone_in_band
from utter_calm.analysis.tone_fit import fit_tone
from utter_calm.errors import UtterCalmError
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.clip_watch import LivePoint
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.live_spectra import LiveSpectra
from utter_calm.measure.result import Result, ResultBuilder
from utter_calm.measure.tone_readings import add_tone_readings
from utter_calm.rig import Rig
from utter_calm.rig.live import LiveSnapshot, LiveTone

SPECTRUM_FRAMES = 32_768
"""Up to 96 kHz; twice as many above, for lines as close together."""
_READING_S = 0.45
_READING_PERIOD_S = 0.3
_PICTURE_PERIOD_S = 1 / 62
_READING_SHARE = 14.0
"""Readings rest so many times as long as they took: the processor belongs to the sound and the pictures."""
_WAVE_PERIODS = 3
_NEARLY_FULL, _SETTLES_S = 0.98, 0.15
_LEAST_S, _LOOKS_AGAIN_S = 0.1, 0.05
"""A reading is made of so much at one level at least: across a change it would tell the change as distortion."""


@dataclass(frozen=True, slots=True, eq=False)
class LiveFrame:
    """One picture of the live view.

    Parameters
    ----------
    number
        Rising by one with each frame.
    frequency_hz
        (n,) of the spectrum's lines.
    power
        (n, channels) mean squares of the lines in V², averaged.
    time_s, wave
        (m,) and (m, channels) of a few periods, in V.
    result
        Readings, renewed several times a second; None before the first.
    averaged
        Over how many spectra the power runs now.
    problem
        What ended it, if anything did.
    points
        What the last window tells of each channel's level and distortion, for the onset of clipping; empty before the first.
    """

    number: int
    frequency_hz: FloatArray
    power: FloatArray
    time_s: FloatArray
    wave: FloatArray
    result: Result | None
    averaged: int
    overload: tuple[bool, ...]
    level_v: float
    problem: UtterCalmError | None
    points: tuple[LivePoint, ...] = ()


class LiveAnalyser:
    """Follows a :class:`LiveTone`; ``latest`` is the newest frame, to be fetched as often as a screen likes."""

    def __init__(self, tone: LiveTone, rig: Rig, settings: FirstLookSettings, load_ohm: float | None) -> None:
        self._tone, self._rig, self._settings, self._load = tone, rig, settings, load_ohm
        self._scales = np.array([c.scale for c in rig.recorded])
        self._stop = threading.Event()
        self._average = 1
        self._restart = False
        self._frame: LiveFrame | None = None
        self._result: Result | None = None
        self._points: tuple[LivePoint, ...] = ()
        self._lines_hz: FloatArray = np.empty(0)
        # readings cost more than a picture: on their own thread they do not hold the pictures up
        self._threads = (
            threading.Thread(target=self._run, name="live pictures", daemon=True),
            threading.Thread(target=self._read, name="live readings", daemon=True),
        )
        for thread in self._threads:
            thread.start()

    @property
    def latest(self) -> LiveFrame | None:
        """The newest frame, or None before the first."""
        return self._frame

    def set_average(self, count: int) -> None:
        """Average the spectrum's power over about so many frames; starts afresh."""
        self._average, self._restart = max(1, count), True

    def set_load(self, load_ohm: float | None) -> None:
        """Change what the power is computed for."""
        self._load = load_ohm

    def stop(self) -> None:
        """End the thread."""
        self._stop.set()
        for thread in self._threads:
            thread.join(2.0)

    def _run(self) -> None:
        number, seen, due = 0, -1, 0.0
        frames = SPECTRUM_FRAMES * (2 if self._tone.rate_hz > 96_000 else 1)
        spectra = LiveSpectra(self._scales, in_turn=frames > SPECTRUM_FRAMES)
        while not self._stop.is_set():
            # faster than a screen shows would only take the processor from the sound
            now = time.monotonic()
            self._stop.wait(max(0.0, due - now))
            shot = self._tone.snapshot(frames)
            if shot.frames == seen and shot.problem is None:
                self._stop.wait(0.004)
                continue
            seen, due = shot.frames, max(due, now) + _PICTURE_PERIOD_S  # what came a little late is not passed over
            if len(shot.samples) < frames:
                self._stop.wait(0.01)
                if shot.problem is None:
                    continue
            if len(shot.samples) < 64:
                self._stop.wait(0.05)
                continue
            if self._restart:
                spectra.restart()
                self._restart = False
            power = spectra.add(shot.samples[-frames:], self._average)
            number += 1
            at, wave = self._waveform(shot.samples)
            self._frame = LiveFrame(
                number, self._line_frequencies(len(power)), power, at, wave, self._result, spectra.averaged, shot.overload,
                shot.level_v, shot.problem, self._points,
            )  # fmt: skip
            if shot.problem is not None:
                return

    def _line_frequencies(self, count: int) -> FloatArray:
        if len(self._lines_hz) != count:
            self._lines_hz = np.linspace(0.0, self._tone.rate_hz / 2, count)
        return self._lines_hz

    def _read(self) -> None:
        rate, rests = self._tone.rate_hz, _READING_PERIOD_S
        while not self._stop.wait(rests):
            begun = time.thread_time()
            shot = self._tone.snapshot(round(_READING_S * rate), peek=True)
            if shot.problem is not None:
                return
            steady = shot.steady_frames - round(_SETTLES_S * rate)
            if min(steady, len(shot.samples)) < _LEAST_S * rate:
                rests = _LOOKS_AGAIN_S
                continue
            self._result = self._measure(shot, shot.samples[-steady:]) or self._result
            rests = max(_READING_PERIOD_S, _READING_SHARE * (time.thread_time() - begun))

    def _measure(self, shot: LiveSnapshot, samples: FloatArray) -> Result | None:
        """Read what holds still at the end of a snapshot."""
        rate = self._tone.rate_hz
        capture = Capture(samples, rate, self._rig.recorded, self._rig, load_ohm=self._load)
        out = ResultBuilder()
        band = self._settings.band_low_hz, self._settings.band_high_hz
        wide: list[tuple[float, float]] = []
        for channel in capture.numbers:
            try:
                fitted = fit_tone(capture.signal(channel), rate, near_hz=self._settings.frequency_hz)
                tone = tone_in_band(fitted, band)
            except UtterCalmError:
                return None  # between two levels, or just after the start: the next one will do
            add_tone_readings(out, tone, capture, channel)
            wide.append((tone.level, tone_in_band(fitted, (band[0], rate / 2)).thd_n))
        full = float(np.max(np.abs(samples), initial=0.0)) > _NEARLY_FULL
        overload = full or any(shot.overload)
        settled = len(samples) >= round(_READING_S * rate)
        self._points = tuple(LivePoint(shot.level_v, level, distortion, settled, overload) for level, distortion in wide)
        return out.build()

    def _waveform(self, samples: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Some periods from a rising zero crossing of the first channel on, so that the picture stands still."""
        period = self._tone.rate_hz / self._settings.frequency_hz
        span = int(_WAVE_PERIODS * period) + 2
        piece = samples[-(span + int(period) + 2) :] * self._scales
        first = piece[: int(period) + 1, 0]
        rising = np.flatnonzero((first[:-1] < 0) & (first[1:] >= 0))
        start = int(rising[0]) if len(rising) else 0
        before, after = piece[start, 0], piece[min(start + 1, len(piece) - 1), 0]
        share = before / (before - after) if before != after else 0.0
        wave = piece[start : start + span]
        return (np.arange(len(wave)) - share) / self._tone.rate_hz, wave

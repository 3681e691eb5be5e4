"""The live numbers, from a scripted tone: averaging of power, a waveform that stands still, a readings' load."""

import time
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.live import SPECTRUM_FRAMES, LiveAnalyser
from utter_calm.measure.live_spectra import LiveSpectra
from utter_calm.rig import stereo_rig
from utter_calm.rig.live import LiveSnapshot

RIG = stereo_rig()
RATE = 48_000


class ScriptedTone:
    """A recording that grows by a block at every look."""

    rate_hz = RATE

    def __init__(self, level=0.1, sigma=0.0):
        self.frames, self.level = 0, level
        self.random, self.sigma = np.random.default_rng(3), sigma

    def snapshot(self, frames, *, peek=False):
        if not peek:
            self.frames += 1_000
        t = (self.frames + np.arange(frames)) / RATE
        one = self.level * np.sin(2 * np.pi * 997 * t)
        samples = np.stack([one, 0.5 * one], axis=1) + self.random.normal(0, self.sigma, (frames, 2))
        return LiveSnapshot(samples, self.frames, (False, False), 0, 0.1, None, 10**6)


class SteppedLevel(ScriptedTone):
    """Its level was doubled so many seconds ago."""

    def __init__(self, ago_s):
        super().__init__()
        self.steady = round(ago_s * RATE)

    def snapshot(self, frames, *, peek=False):
        shot = super().snapshot(frames, peek=peek)
        samples = shot.samples.copy()
        samples[: max(0, len(samples) - self.steady)] *= 0.5
        return replace(shot, samples=samples, steady_frames=self.steady)


def frames_of(analyser, count, seconds=60.0):
    seen, end = {}, time.monotonic() + seconds
    while len(seen) < count and time.monotonic() < end:
        frame = analyser.latest
        if frame is not None:
            seen[frame.number] = frame
        time.sleep(0.005)
    assert len(seen) >= count
    return list(seen.values())


@pytest.fixture
def follow():
    running = []

    def start(tone, **settings):
        analyser = LiveAnalyser(tone, RIG, FirstLookSettings(rate_hz=RATE, **settings), 8.0)
        running.append(analyser)
        return analyser

    yield start
    for analyser in running:
        analyser.stop()


def test_the_spectrum_is_in_volts_at_the_unit(follow):
    frame = frames_of(follow(ScriptedTone()), 2)[-1]
    peak = np.sqrt(frame.power).max(axis=0)
    truth = 0.1 / np.sqrt(2) * RIG.recorded[0].scale
    assert peak == pytest.approx([truth, truth / 2], rel=0.06)  # between two lines a tone reads a little low
    assert len(frame.frequency_hz) == SPECTRUM_FRAMES // 2 + 1


@pytest.mark.long
def test_a_reading_is_never_made_across_a_change_of_level(follow):
    """That would tell the change as distortion."""
    assert all(f.result is None for f in frames_of(follow(SteppedLevel(0.2)), 60))  # it may settle still
    for ago_s in (0.3, 0.4):
        analyser = follow(SteppedLevel(ago_s))
        end = time.monotonic() + 60
        while (analyser.latest is None or analyser.latest.result is None) and time.monotonic() < end:
            time.sleep(0.02)
        frame = analyser.latest
        assert frame.result.reading("thd_n", 1).value < 1e-6
        assert frame.result.reading("level", 1).value == pytest.approx(0.1 / np.sqrt(2) * RIG.recorded[0].scale, rel=1e-6)


def test_averaging_is_of_power_and_calms_the_noise(follow):
    analyser = follow(ScriptedTone(sigma=1e-3))
    single = frames_of(analyser, 1)[0]
    analyser.set_average(16)
    averaged = next(f for f in reversed(frames_of(analyser, 40)) if f.averaged == 16)
    band = (single.frequency_hz > 3_000) & (single.frequency_hz < 20_000)
    levels = [np.sqrt(f.power[band, 0]) for f in (single, averaged)]
    spread = [np.std(level) / np.mean(level) for level in levels]
    assert spread[1] < 0.5 * spread[0]
    power = [np.mean(f.power[band, 0]) for f in (single, averaged)]
    assert power[1] == pytest.approx(power[0], rel=0.2)


@pytest.mark.parametrize("most", [1, 3])
def test_channels_that_take_turns_have_the_spectra_they_have_together(noise, most):
    samples = [noise.normal(size=(4_096, 3)) for _ in range(9)]
    spectra, whole = LiveSpectra(np.array([1.0, 2.0, 3.0]), in_turn=True), LiveSpectra(np.ones(1))
    for shot in samples:
        before = spectra.add(shot, most)
    assert spectra.averaged == most
    seen = [[0, *(k for k in range(1, 9) if k % 3 == channel)] for channel in range(3)]
    for channel, scale in enumerate((1.0, 2.0, 3.0)):
        whole.restart()
        for k in seen[channel]:
            alone = whole.add(samples[k][:, [channel]], most)
        assert before[:, channel] == pytest.approx(alone[:, 0] * scale**2, rel=1e-12)
    spectra.restart()
    assert spectra.add(samples[0], most) == pytest.approx(LiveSpectra(np.array([1.0, 2.0, 3.0])).add(samples[0], most), rel=1e-12)


def test_the_waveform_starts_at_a_rising_zero(follow):
    for frame in frames_of(follow(ScriptedTone()), 5):
        period = RATE / 997
        assert len(frame.wave) >= 2 * period
        at_zero = np.interp(0.0, frame.time_s, frame.wave[:, 0])
        assert abs(at_zero) < 0.02 * np.abs(frame.wave).max()
        assert np.interp(0.25 / 997, frame.time_s, frame.wave[:, 0]) > 0.9 * np.abs(frame.wave[:, 0]).max()


@pytest.mark.long
def test_readings_follow_the_load(follow):
    analyser = follow(ScriptedTone())

    def power():
        end = time.monotonic() + 60
        while time.monotonic() < end:
            frame = analyser.latest
            reading = frame.result.reading("power") if frame and frame.result else None
            if reading is not None:
                yield reading.value
            time.sleep(0.02)

    eight = next(power())
    analyser.set_load(4.0)
    assert any(value == pytest.approx(2 * eight, rel=1e-3) for value in power())

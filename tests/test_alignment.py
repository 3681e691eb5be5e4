"""Alignment by noise: the mark is reached by turning, and it is said how; what never gets there is not called aligned."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.measure.alignment import Alignment, AlignmentSettings
from utter_calm.measure.capture import Capture
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import amplitude_to_db
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.signals.noise import pink_noise

SETTINGS = AlignmentSettings(level_v=0.1, mark_db=-30.0, patience_s=12.0)


def turned(gains):
    """Run the step against a hand that sets these gains one after the other; give what was said, and the captures."""
    steps, said, parts = Alignment().passages(SETTINGS, stereo_rig()), [], []
    passage = next(steps)
    for gain in gains:
        said.append(passage.text)
        parts.append(Capture(np.stack([passage.volts * gain, passage.volts * gain * 0.999], 1), SETTINGS.rate_hz))
        try:
            passage = steps.send(parts[-1])
        except StopIteration:
            break
    return said, parts


def at_mark():
    """Gain from volts to samples at which the noise stands at the mark."""
    return 10 ** (SETTINGS.mark_db / 20) / np.sqrt(2) / rms()


def rms():
    """Of the noise that the step plays."""
    noise = pink_noise(1.0, SETTINGS.rate_hz, SETTINGS.rate_hz)
    return SETTINGS.level_v * np.sqrt(2) / np.max(np.abs(noise))


def test_any_second_of_the_noise_has_the_level_and_it_falls_by_three_decibels_an_octave():
    noise = pink_noise(0.1, 48_000, 48_000)
    for start in (0, 7_919, 31_000):
        assert np.sqrt(np.mean(np.roll(noise, start)[:48_000] ** 2)) == pytest.approx(0.1, rel=1e-12)
    power = np.abs(np.fft.rfft(noise)) ** 2
    octaves = [power[f : 2 * f].sum() for f in (40, 320, 2_560, 8_000)]
    assert np.ptp(10 * np.log10(octaves)) < 0.2  # pink: each octave alike


def test_a_hand_is_told_how_to_turn_until_it_stands_at_the_mark():
    said, parts = turned([at_mark() / 2, at_mark() * 1.4, at_mark(), at_mark(), at_mark()])
    assert said == ["listening", "input 1: 6.0 dB too quiet: turn up; input 2: 6.0 dB too quiet: turn up",
                    "input 1: 2.9 dB too loud: turn down; input 2: 2.9 dB too loud: turn down",
                    "input 1: at the mark; input 2: at the mark"]  # fmt: skip
    assert len(parts) == 4  # two seconds at the mark end it


def test_patience_ends_and_the_take_says_that_it_is_not_aligned():
    _, parts = turned([at_mark() / 3] * 50)
    assert len(parts) == 11  # 12 s of 1.15 s each
    found = Alignment().analyze(SETTINGS, parts[-1])
    assert amplitude_to_db(found.reading("off_mark").value) == pytest.approx(-9.54, abs=0.01)
    assert [t.code for t in found.trust] == ["off_mark", "off_mark"]


def test_through_the_simulated_rig():
    rig = stereo_rig(pickup_ratio=1.0)
    device = SimulatedDevice(rig)
    device.set("unit", "cable")
    full = rig.recorded[0].full_scale
    settings = replace(SETTINGS, mark_db=amplitude_to_db(rms() / full))
    capture, found = take_step(Alignment(), settings, device, rig, load_ohm=None)
    assert amplitude_to_db(found.reading("off_mark").value) == pytest.approx(0.0, abs=0.02)
    assert not found.trust
    assert found.trace("alignment").magnitude == pytest.approx(np.full(2, rms() / full), rel=0.003)
    assert len(capture.parts) == 2

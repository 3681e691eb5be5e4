"""Skirts about treble tones: a modulation of known depth, other products, and noise alone."""

import numpy as np
import pytest

from utter_calm.analysis.multitone import fit_tones
from utter_calm.analysis.multitone_skirts import skirts
from utter_calm.measure.multitone import Multitone, MultitoneSettings, add_skirts
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.take_step import take_step
from utter_calm.rig import Calibrated, SimulatedDevice, acoustic_rig
from utter_calm.rig.microphone import with_sensitivity
from utter_calm.signals.multitone import log_bins, multitone

RATE, FRAMES = 48_000, 2**16
TONES = multitone(log_bins(20, 15_000, 24, RATE, FRAMES, odd=False), FRAMES)


def parts():
    hertz = TONES.frequencies_hz(RATE)
    time = np.arange(3 * FRAMES) / RATE
    each = np.sin(2 * np.pi * np.outer(hertz, time) + np.arange(len(hertz))[:, None] ** 2)
    return hertz, each[hertz <= 250], each[hertz > 250]


def found(record):
    return skirts(fit_tones(record, RATE, TONES.frequencies_hz(RATE)))


@pytest.mark.parametrize("noise", [0.0, 1e-3])
def test_the_depth_of_a_modulation_is_told(noise):
    _, bass, treble = parts()
    together = bass.sum(axis=0)
    depth = 0.003
    record = together + treble.sum(axis=0) * (1 + depth * together)
    record = record + noise * np.random.default_rng(1).standard_normal(len(record))
    told = found(record)
    # each bass tone of amplitude 1 gives two lines of depth / 2; those that fall on another tone are not counted
    truth = depth * np.sqrt(len(bass) / 2)
    assert told.level == pytest.approx(truth, rel=0.03)
    assert told.is_bass


def test_other_products_and_noise_are_not_called_the_bass():
    hertz, bass, treble = parts()
    rng = np.random.default_rng(2)
    clean = bass.sum(axis=0) + treble.sum(axis=0)
    assert not found(clean + 1e-3 * rng.standard_normal(clean.size)).is_bass
    odd = clean + 1e-4 * clean**3
    told = found(odd)
    assert told.level < 0.02
    # ten lines at distances that no bass tone has
    base = RATE / FRAMES
    time = np.arange(clean.size) / RATE
    lines = sum(np.sin(2 * np.pi * (h + base * k) * time) for h in hertz[hertz > 1000] for k in (7, 11, 19, 23, 61, 97))
    assert not found(clean + 0.01 * lines).is_bass


def test_the_bass_is_named_where_it_modulates():
    _, bass, treble = parts()
    out = {}
    for depth in (1e-4, 0.01):
        record = bass.sum(axis=0) + treble.sum(axis=0) * (1 + depth * bass.sum(axis=0))
        builder = ResultBuilder()
        add_skirts(builder, fit_tones(record, RATE, TONES.frequencies_hz(RATE)), 1)
        out[depth] = [t.code for t in builder.trust]
    assert out == {1e-4: [], 0.01: ["bass_modulates_treble"]}


def test_a_loudspeaker_modulates_in_proportion_to_its_level():
    rig = with_sensitivity(acoustic_rig(), Calibrated("2026-11-20", 0.0123, 0.01, "94 dB at 1 kHz"))
    told = {}
    for situation, volts in (("close to the cone", 0.3), ("close to the cone", 1.0), ("free field", 0.1)):
        device = SimulatedDevice(rig)
        device.set("unit", "ceiling loudspeaker")
        device.set("situation", situation)
        settings = MultitoneSettings(level_v=volts, rate_hz=48_000, low_hz=40.0, periods=4)
        result = take_step(Multitone(), settings, device, rig, load_ohm=None)[1]
        assert result.reading("multitone_level").unit == "Pa"
        told[volts] = result.reading("skirts")
    assert told[1.0].value / told[0.3].value == pytest.approx(1.0 / 0.3, rel=0.3)
    expected = 0.1 * told[1.0].value  # in the room's noise: the stated uncertainty covers what it adds
    assert abs(told[0.1].value - expected) < 2 * told[0.1].uncertainty

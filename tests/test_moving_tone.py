"""Tones whose frequency drifts and wobbles, with level, distortion and motion known beforehand."""

import numpy as np
import pytest

from utter_calm.analysis.tone import analyze_tone
from utter_calm.errors import NoSignal
from utter_calm.measure.tone_trust import frequency_moves, tone_trust
from utter_calm.quantities import amplitude_to_db

RATE = 48_000
NOISE = 2e-5


def moving(frequency, noise, *, drift=0.0, wobble_hz=0.0, rate=5.0, seconds=1.0, hum=0.0):
    """0.5 V peak with 0.2 % of the second and 0.05 % of the third harmonic; drift over the record as a part of the frequency."""
    t = np.arange(int(seconds * RATE)) / RATE
    at = 2 * np.pi * frequency * (t + drift * (t**2 / seconds - t) / 2) + wobble_hz / rate * np.sin(2 * np.pi * rate * t + 1)
    x = 0.5 * (np.sin(at) + 2e-3 * np.sin(2 * at + 0.4) + 5e-4 * np.sin(3 * at)) + hum * np.sin(2 * np.pi * 50 * t)
    return x + noise.normal(0, NOISE, len(t)) + 0.01


def assert_true(found):
    """Level and THD to 0.1 dB, as if the tone had held still."""
    assert amplitude_to_db(found.level / (0.5 / np.sqrt(2))) == pytest.approx(0, abs=0.02)
    assert amplitude_to_db(found.thd / np.hypot(2e-3, 5e-4)) == pytest.approx(0, abs=0.1)


@pytest.mark.sampled(5)
@pytest.mark.parametrize("drift", [-1e-2, -1e-3, -1e-4, -1e-5, 3e-6, 2e-5, 3e-3, 1e-2])
@pytest.mark.parametrize("frequency", [60.0, 997.0, 3_150.0, 6_500.0])
def test_a_drift_is_followed_from_end_to_end(noise, frequency, drift):
    found = analyze_tone(moving(frequency, noise, drift=drift), RATE)
    assert_true(found)
    assert found.thd_n == pytest.approx(np.hypot(found.thd, found.noise / found.level), rel=1e-6)
    assert found.noise == pytest.approx(NOISE * np.sqrt(19_980 / 24_000), rel=0.02)
    if abs(drift) * frequency > 0.01:
        assert found.motion.start_hz == pytest.approx(frequency * (1 - drift / 2), abs=6 * found.motion.u_hz)
        assert found.motion.end_hz == pytest.approx(
            frequency * (1 + drift / 2 - drift / len(found.rest)), abs=6 * found.motion.u_hz
        )
        assert found.motion.u_hz < 0.02 * abs(drift) * frequency
        assert not found.motion.wobble
    if abs(drift) >= 5e-5:
        assert "drifts by" in tone_trust(found, 1)[0].text


@pytest.mark.sampled(4)
@pytest.mark.parametrize("frequency", [184.0, 3_150.0])
@pytest.mark.parametrize("drift", [-1e-2, 2e-3])
@pytest.mark.parametrize("way", ["square", "warms up", "late"])
def test_a_drift_that_bends_is_followed_to_its_ends(noise, frequency, drift, way):
    """By a straight line its ends were off by a sixth of it, and said to be known a hundred times better."""
    along = np.arange(3 * RATE) / (3 * RATE)
    shape = {"square": along**2, "warms up": 1 - np.exp(-4 * along), "late": np.exp(3 * along - 3)}[way]
    hertz = frequency * (1 + drift * shape)
    at = 2 * np.pi * (np.cumsum(hertz) - hertz / 2) / RATE
    found = analyze_tone(0.5 * (np.sin(at) + 2e-3 * np.sin(2 * at)) + noise.normal(0, NOISE, len(at)), RATE)
    for told, truth in ((found.motion.start_hz, hertz[0]), (found.motion.end_hz, hertz[-1])):
        assert told == pytest.approx(truth, rel=1e-9, abs=4 * found.motion.u_hz)
    assert found.motion.u_hz < 0.02 * abs(drift) * frequency
    assert not found.motion.wobble


@pytest.mark.sampled(3)
@pytest.mark.parametrize(("frequency", "wobble_hz", "rate"), [(100, 1.0, 4), (1_000, 0.5, 2), (1_000, 3.0, 2), (1_000, 8.0, 1.3),
                                                              (3_150, 3.0, 25), (3_150, 6.3, 90), (6_000, 30.0, 8)])  # fmt: skip
def test_a_wobble_is_followed_and_told(noise, frequency, wobble_hz, rate):
    found = analyze_tone(moving(frequency, noise, wobble_hz=wobble_hz, rate=rate, seconds=3.0), RATE)
    assert_true(found)
    assert found.motion.wobble == pytest.approx(wobble_hz / frequency, rel=0.05)
    assert found.motion.wobble_hz == pytest.approx(rate, abs=2 * found.motion.u_wobble_hz)
    assert found.motion.start_hz == pytest.approx(frequency, abs=2 * found.motion.u_hz)
    assert "wobbles by" in tone_trust(found, 1)[0].text


def test_both_at_once(noise):
    found = analyze_tone(moving(3_150, noise, drift=5e-3, wobble_hz=5.0, rate=6.0, seconds=3.0), RATE)
    assert_true(found)
    assert found.motion.drift_hz == pytest.approx(15.75, abs=4 * found.motion.u_hz)
    assert found.motion.wobble == pytest.approx(5 / 3_150, rel=0.1)
    assert "drifts" in (text := tone_trust(found, 1)[0].text)
    assert "wobbles" in text


def test_where_it_ends_is_as_uncertain_as_is_stated():
    rng = np.random.default_rng(3)
    found = [analyze_tone(moving(997.0, rng, drift=1e-3, seconds=0.6), RATE).motion for _ in range(20)]
    for name in ("start_hz", "end_hz"):
        scatter = np.std([getattr(f, name) for f in found])
        assert 0.25 < scatter / np.median([f.u_hz for f in found]) < 1.4, name


def test_what_stands_still_is_not_followed(noise):
    """Noise, hum far off, a line beside the tone and a level that swings are no motion of its frequency."""
    t = np.arange(RATE) / RATE
    tone = np.sin(2 * np.pi * 997 * t)
    for x in (
        tone + noise.normal(0, 1e-2, RATE),
        tone + 0.01 * np.sin(2 * np.pi * 50 * t),
        tone + 0.01 * np.sin(2 * np.pi * 1_047 * t),
        tone * (1 + 0.02 * np.sin(2 * np.pi * 7 * t)),
        np.sin(2 * np.pi * 60 * t) + 0.05 * np.sin(2 * np.pi * 50 * t),
    ):
        found = analyze_tone(x, RATE)
        assert not frequency_moves(found), found.motion


def test_much_noise_neither_hides_a_drift_nor_becomes_one(noise):
    for drift in (0.0, 3e-3):
        x = moving(997.0, noise, drift=drift) + noise.normal(0, 0.1, RATE)
        found = analyze_tone(x, RATE)
        assert amplitude_to_db(found.level / (0.5 / np.sqrt(2))) == pytest.approx(0, abs=0.05)
        assert frequency_moves(found) is (drift > 0)


@pytest.mark.sampled(3)
@pytest.mark.parametrize("seed", range(6))
def test_no_phase_is_followed_through_noise(seed):
    x = np.random.default_rng(seed).normal(0, 0.1, RATE)
    with pytest.raises(NoSignal):
        analyze_tone(x, RATE)
    with pytest.raises(NoSignal):
        analyze_tone(x, RATE, near_hz=1_000.0)

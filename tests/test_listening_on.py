"""How long a loudspeaker's sweep listens on: as far as the microphone stands, and told where that is not enough."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.measure.acoustic_settings import FREE_FIELD, IN_ROOM, LoudspeakerSettings
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.measure.take_step import play_step
from utter_calm.quantities import Measured
from utter_calm.rig import Calibrated, SimulatedDevice, acoustic_rig
from utter_calm.rig.microphone import with_sensitivity

RIG = with_sensitivity(acoustic_rig(), Calibrated("2026-11-20", 0.0123, 0.01, "94 dB at 1 kHz"))
KIND = LoudspeakerSweep()


def heard(distance=1.0, situation=FREE_FIELD, **settings):
    device = SimulatedDevice(RIG)
    for factor, value in (("unit", "ceiling loudspeaker"), ("situation", situation), ("distance", Measured(distance, "m"))):
        device.set(factor, value)
    settings = LoudspeakerSettings(situation=situation, duration_s=1.0, distance_m=distance, **settings)
    return settings, play_step(KIND, settings, device, RIG, load_ohm=None)


def codes(result):
    return [trust.code for trust in result.trust]


def test_far_away_it_listens_for_as_long_as_sound_takes():
    settings, capture = heard(12.0)
    assert settings.listens_s - settings.tail_s == pytest.approx(12 / 343.2, rel=2e-3)
    found = KIND.analyze(settings, capture)
    assert "ends_too_soon" not in codes(found)
    assert found.trace("response", 1).x[-1] > 19_500  # where noise is a third of it that far away


def test_the_window_hears_all_that_a_long_silence_gives_it():
    settings, capture = heard(situation=IN_ROOM, tail_s=0.4)
    short = LoudspeakerSettings(situation=IN_ROOM, duration_s=1.0)
    frames = len(capture.samples) - round((settings.tail_s - short.tail_s) * capture.rate_hz)
    both = KIND.analyze(settings, capture), KIND.analyze(short, replace(capture, samples=capture.samples[:frames], parts=()))
    patient, quick = (found.trace("response", 1) for found in both)
    inside = patient.x[(patient.x > 300) & (patient.x < 19_000)]
    level = [np.interp(inside, curve.x, 20 * np.log10(curve.magnitude)) for curve in (patient, quick)]
    assert np.max(np.abs(level[0] - level[1])) < 0.03


@pytest.mark.parametrize("late_s", [0.05, 0.1])
def test_what_plays_so_late_that_the_end_is_not_heard_is_told(late_s):
    settings, capture = heard()
    frames = round(late_s * capture.rate_hz)
    before = 1e-6 * np.random.default_rng(3).standard_normal((frames, 2))
    late = replace(capture, samples=np.concatenate([before, capture.samples])[: len(capture.samples)])
    found = KIND.analyze(settings, late)
    said = next(trust for trust in found.trust if trust.code == "ends_too_soon")
    assert said.grave
    assert f"comes {1e3 * (late_s + 1 / 343.2):.3g}"[:8] in said.text
    reached = 20_500 * (20_500 / 20) ** -(late_s - settings.tail_s)
    assert 0.9 * reached < found.trace("response", 1).x[-1] < reached
    assert "ends_too_soon" not in codes(KIND.analyze(settings, capture))


@pytest.mark.parametrize("echo_s", [0.018, 0.03, 0.045])
def test_a_wall_that_is_louder_than_what_comes_straight_is_no_end_that_was_missed(echo_s):
    settings, capture = heard()
    late = round(echo_s * capture.rate_hz)
    both = capture.samples.copy()
    both[late:] += 1.6 * capture.samples[:-late]
    found = KIND.analyze(settings, replace(capture, samples=both))
    assert "ends_too_soon" not in codes(found)
    assert found.trace("response", 1).x[-1] > 20_000


def test_behind_a_loudspeaker_nothing_is_missed():
    device = SimulatedDevice(RIG)
    for factor, value in (("unit", "console wedge"), ("angle", Measured(np.pi, "rad"))):
        device.set(factor, value)
    settings = LoudspeakerSettings(duration_s=1.0)
    found = KIND.analyze(settings, play_step(KIND, settings, device, RIG, load_ohm=None))
    assert "ends_too_soon" not in codes(found)

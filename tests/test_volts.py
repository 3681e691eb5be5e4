"""Volts at full scale by a meter or by another channel: closed form, coverage of what is stated, refusals."""

import datetime as dt
import math
import time
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.volts_tone import VoltsTone, heard_level
from utter_calm.present.budget import budget_text, calibration_text, level_budget
from utter_calm.rig import Channel, Part, SimulatedDevice, stereo_rig
from utter_calm.rig.volts import MeterReading, full_scale_by_channel, full_scale_by_meter, last_digit, with_full_scale
from utter_calm.signals.tone import sine

DAY = "2026-11-26"


def readings(full_scale, error=0.0, digit=1e-4):
    return [MeterReading(round(p * full_scale * (1 + error) / digit) * digit, digit, p) for p in (0.1, 0.1 * math.sqrt(10))]


def test_full_scale_is_found_by_a_meter():
    made = full_scale_by_meter(*readings(4.0123), 0.0015, day=DAY)
    assert made.value == pytest.approx(4.0123, rel=2e-4)
    assert made.u == pytest.approx(0.0015, rel=0.05)
    assert dict(made.budget)["meter"] == 0.0015


def test_what_is_stated_covers_the_truth(noise):
    inside = 0
    for _ in range(400):
        truth = noise.uniform(1.0, 8.0)
        first, second = readings(truth, noise.normal(0, 0.001), 10.0 ** noise.integers(-4, -2))
        made = full_scale_by_meter(first, second, 0.001, day=DAY)
        inside += abs(made.value - truth) < 2 * made.u * truth
    assert 0.9 < inside / 400 < 0.995


@pytest.mark.parametrize("wrong", [1.02, 0.7])
def test_levels_that_disagree_are_refused_with_what_to_do(wrong):
    first, second = readings(4.0)
    with pytest.raises(MeasurementError, match="AC volts"):
        full_scale_by_meter(first, replace(second, volts=second.volts * wrong), 0.001, day=DAY)
    with pytest.raises(InputError, match="meter reads"):
        full_scale_by_meter(replace(first, volts=0.0), second, 0.001, day=DAY)


def test_an_input_by_a_calibrated_output():
    known = Channel(1, role="drive", full_scale=4.0, u_level=0.001)
    made = full_scale_by_channel(known, (0.1, 0.316), (0.08, 0.2528), day=DAY, steadiness=1e-5)
    assert made.value == pytest.approx(5.0, rel=1e-6)
    assert made.u == pytest.approx(0.001, rel=1e-3)
    with pytest.raises(InputError, match="never calibrated itself"):
        full_scale_by_channel(replace(known, u_level=0.0), (0.1, 0.3), (0.1, 0.3), day=DAY)
    with pytest.raises(MeasurementError, match="does not follow"):
        full_scale_by_channel(known, (0.1, 0.316), (0.08, 0.2), day=DAY)
    with pytest.raises(MeasurementError, match="hears nothing"):
        full_scale_by_channel(known, (0.1, 0.316), (0.0, 0.0), day=DAY)


@pytest.mark.parametrize(
    ("text", "volts", "digit"),
    [("0.4012", 0.4012, 1e-4), ("401.2 mV", 0.4012, 1e-4), ("4,01 V", 4.01, 0.01), ("4", 4.0, 1.0), ("x", 1.0, 0.0)],
)
def test_the_last_digit_of_what_was_typed(text, volts, digit):
    assert last_digit(text, volts) == pytest.approx(digit)


def test_history_is_kept_and_age_is_told():
    made = full_scale_by_meter(*readings(4.0), 0.001, day="2025-10-01")
    again = full_scale_by_meter(*readings(4.02), 0.001, day=DAY)
    channel = with_full_scale(with_full_scale(Channel(1), made, days=365), again)
    assert [c.day for c in channel.history] == ["2025-10-01", DAY]
    assert "+0.50 % off the one before" in calibration_text(channel, dt.date(2026, 11, 27))
    old = with_full_scale(Channel(1), made, days=365)
    rig = replace(stereo_rig(), inputs=(old,)).on_day(dt.date(2026, 11, 26))
    assert rig.inputs[0].aged
    assert not replace(stereo_rig(), inputs=(replace(old, days=0),)).on_day(dt.date(2026, 11, 26)).inputs[0].aged
    assert "too old" in calibration_text(old, dt.date(2026, 11, 26))
    assert calibration_text(Channel(1), dt.date(2026, 11, 26)) == "never calibrated"
    with pytest.raises(InputError, match="counts for"):
        replace(old, days=-1)


def test_the_budget_of_a_level_adds_up():
    made = full_scale_by_meter(*readings(4.0), 0.001, day=DAY, steadiness=0.0002)
    rig = replace(stereo_rig(), inputs=(with_full_scale(Channel(1), made),), parts=(Part("divider", 10.0, u_value=0.002),))
    rows = level_budget(rig, 1, 0.0005)
    assert rows[-1].u == pytest.approx(math.hypot(made.u, 0.002, 0.0005))
    assert sum(row.share for row in rows[:-1]) == pytest.approx(1.0)
    assert rows[0].what == "divider (10)"
    assert "together (k = 2): ± 0.46 %" in budget_text(rows)
    assert "Nothing is known" in budget_text(level_budget(replace(rig, inputs=(Channel(1),), parts=()), 1))


def test_a_level_is_heard_with_its_scatter(noise):
    tone = sine(400.0, 0.25, 48_000, 24_000)
    spreads, errors = [], []
    for _ in range(60):
        level, u = heard_level(tone + 1e-4 * noise.normal(size=24_000), 48_000, 400.0)
        errors.append(level / 0.25 - 1)
        spreads.append(u)
    assert 0.7 < np.std(errors) / np.median(spreads) < 1.4
    for wrong, word in ((0 * tone, "nothing"), (4.0 * tone, "overloaded"), (sine(1_000.0, 0.3, 48_000, 24_000), "not the tone")):
        with pytest.raises(InputError, match=word):
            heard_level(np.clip(wrong, -1, 1), 48_000, 400.0)


def test_a_tone_plays_two_levels_under_the_ceiling():
    rig = replace(stereo_rig(pickup_ratio=1.0), ceiling_v=0.5)
    device = SimulatedDevice(rig)
    device.set("unit", "cable")
    tone = VoltsTone(device, rig, 1)
    try:
        while not tone.settled:
            time.sleep(0.02)
        first, played = tone.heard(1)[0], tone.played
        tone.go_up()
        assert tone.played * 4.0 <= 0.5
        time.sleep(0.1)
        while not tone.settled:
            time.sleep(0.02)
        assert tone.heard(1)[0] / first == pytest.approx(tone.played / played, rel=1e-4)
    finally:
        tone.close()
    with pytest.raises(InputError, match="no output 7"):
        VoltsTone(device, rig, 7)

"""Nothing becomes louder than it may: samples, volts, watts, pascal, and nothing below a tweeter's guard."""

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kind import Passage
from utter_calm.measure.loudspeaker import LoudspeakerSettings, LoudspeakerSweep
from utter_calm.measure.player import Player
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.take_step import play_step
from utter_calm.rig import RecordedBlock, SimulatedDevice, stereo_rig
from utter_calm.rig.excursion import Moves, parse_moves
from utter_calm.rig.guard import SoundGuard
from utter_calm.rig.limits import limits_for
from utter_calm.rig.live import LiveTone
from utter_calm.rig.protection import Protection
from utter_calm.rig.rating import Rating, loudest_rms
from utter_calm.signals.sweep import Sweep
from utter_calm.signals.tone import sine

RATE = 48_000


def test_a_ceiling_in_full_scale_holds_everywhere():
    rig = replace(stereo_rig(ceiling_v=4.0), protection=Protection(ceiling_fs=0.25))
    assert rig.highest_v == 1.0
    with pytest.raises(InputError, match="ceiling of 1 V"):
        rig.check_level(1.01)
    assert limits_for(np.array([4.0, 4.0]) * math.sqrt(2), 4.0, 0.25) == pytest.approx(0.25)
    with pytest.raises(InputError, match="ceiling"):
        LiveTone(SimulatedDevice(rig), rig, 1_000.0, 1.5, RATE)


@pytest.mark.parametrize(
    ("rating", "volts", "fits"),
    [
        (Rating(volts=2.0), 1.99, True), (Rating(volts=2.0), 2.01, False), (Rating(power_w=8.0, ohm=8.0), 7.9, True),
        (Rating(power_w=8.0, ohm=8.0), 8.1, False), (Rating(volts=20.0, power_w=1.0, ohm=4.0), 2.1, False), (Rating(), 900.0, True),
    ],
)  # fmt: skip
def test_a_rating_in_volts_or_watts(rating, volts, fits):
    tone = sine(1_000.0, volts * math.sqrt(2), RATE, RATE // 2)
    if fits:
        rating.check(tone, RATE)
    else:
        with pytest.raises(InputError, match="The unit takes"):
            rating.check(np.column_stack([0 * tone, tone]), RATE)


def test_a_burst_counts_by_its_loudest_tenth_of_a_second():
    quiet = np.zeros(RATE)
    quiet[20_000:24_800] = sine(1_000.0, 3.0, RATE, 4_800)
    assert loudest_rms(quiet, RATE) == pytest.approx(3 / math.sqrt(2), rel=1e-6)
    assert loudest_rms(quiet[:0], RATE) == 0.0


def test_a_guard_lets_a_sweep_above_it_pass_and_none_below():
    rating = Rating(lowest_hz=800.0)
    for start, fits in ((1_000.0, True), (800.0, True), (20.0, False)):
        samples = Sweep(start, 20_000.0, 1.0, 1.0).samples(RATE, fade_in_s=2 / start, fade_out_s=0.005)
        if fits:
            rating.check(samples, RATE)
        else:
            with pytest.raises(InputError, match="guarded below 800 Hz"):
                rating.check(samples, RATE)
    rating.check(np.zeros(100), RATE)


@pytest.mark.parametrize("wrong", [{"volts": 0.0}, {"power_w": -1.0}, {"lowest_hz": math.inf}, {"ohm": 0.0}])
def test_ratings_that_make_no_sense(wrong):
    with pytest.raises(InputError, match="above zero"):
        Rating(**wrong)


def test_a_step_that_is_too_much_for_the_unit_plays_nothing():
    rig, device, _ = bench_of("loudspeaker")
    sweep = LoudspeakerSettings(duration_s=0.5, level_v=1.0)
    with pytest.raises(InputError, match="guarded"):
        play_step(LoudspeakerSweep(), sweep, device, rig, load_ohm=None, rating=Rating(lowest_hz=500.0))
    tone = FirstLookSettings(level_v=0.5, duration_s=0.3)
    with pytest.raises(InputError, match="takes"):
        play_step(FirstLook(), tone, SimulatedDevice(stereo_rig()), stereo_rig(), load_ohm=8.0, rating=Rating(volts=0.4))


def test_too_much_sound_ends_a_take_and_its_sound():
    rig, device, _ = bench_of("loudspeaker")
    sweep = LoudspeakerSettings(duration_s=1.0, level_v=1.0)
    quiet = replace(rig, protection=Protection(ceiling_pa=20e-6 * 10 ** (70 / 20)))
    with pytest.raises(MeasurementError, match=r"dB SPL at the microphone, above the ceiling of 70\.0 dB SPL"):
        play_step(LoudspeakerSweep(), sweep, device, quiet, load_ohm=None)
    play_step(LoudspeakerSweep(), sweep, device, replace(rig, protection=Protection(ceiling_pa=200.0)), load_ohm=None)


def test_the_guard_weighs_time_as_a_meter_does():
    """A burst of one time constant reads 1 - 1/e of its power (IEC 61672, time weighting F)."""
    rig, _, _ = bench_of("loudspeaker")
    scale = next(c.scale for c in rig.recorded if c.unit == "Pa")
    tone = sine(1_000.0, 1.0, RATE, 6_000)  # 1 / sqrt(2) of scale for 0.125 s
    reached = scale / math.sqrt(2) * math.sqrt(1 - math.exp(-1))

    def played(most):
        guard = SoundGuard(replace(rig, protection=Protection(ceiling_pa=most)), RATE)
        for k in range(0, 6_000, 480):
            guard.follow(RecordedBlock(k, np.repeat(tone[k : k + 480, None], 2, axis=1), (False, False)))

    played(1.01 * reached)
    with pytest.raises(MeasurementError, match="silenced"):
        played(0.99 * reached)


def test_limits_that_make_no_sense():
    for wrong in ({"ceiling_fs": 1.5}, {"ceiling_fs": 0.0}, {"ceiling_pa": -1.0}, {"loud_v": 0.0}):
        with pytest.raises(InputError):
            Protection(**wrong)


def test_what_is_held_is_not_judged_in_pieces():
    """A tone above a guard that is held between two passages comes in blocks whose lines spread below it."""
    rig = stereo_rig()
    tone = lambda frames: sine(1_000.0, 0.1, RATE, frames)  # noqa: E731
    player = Player(SimulatedDevice(rig), rig, RATE, block_frames=256, rating=Rating(lowest_hz=990.0))
    player.play(Passage(tone(RATE // 2), {}, hold=tone))
    player.play(Passage(tone(RATE // 2), {}))
    with pytest.raises(InputError, match="guarded"):
        player.play(Passage(sine(100.0, 0.1, RATE, RATE // 2), {}))
    player.close()


CONE = Moves(0.4e-3, 40.0, 0.5)


def raised(frames):
    return np.minimum(1, np.minimum(np.arange(frames), np.arange(frames)[::-1]) / 12_000)


@pytest.mark.parametrize(("hertz", "share"), [(4.0, 1.0), (40.0, 0.5), (400.0, 0.01)])
def test_a_cone_moves_as_its_model_says(hertz, share):
    """Far below its resonance by volts alone, at it by Q, far above with the square of the distance."""
    volts = 2.0 * np.sin(2 * np.pi * hertz * np.arange(96_000) / 48_000) * raised(96_000)
    assert CONE.peak_m(volts, 48_000) == pytest.approx(2.0 * 0.4e-3 * share, rel=0.03)


def test_a_step_that_would_move_the_cone_too_far_plays_nothing():
    """The same volts pass two octaves higher."""
    rig = stereo_rig(pickup_ratio=1.0)
    rating = Rating(excursion_m=0.3e-3, moves=CONE)
    for start, fits in ((10.0, False), (200.0, True)):
        settings = ResponseSettings(start_hz=start, stop_hz=20_000.0, duration_s=0.5, level_v=1.0, rate_hz=48_000)
        device = SimulatedDevice(rig)
        if fits:
            play_step(Response(), settings, device, rig, load_ohm=8.0, rating=rating)
            continue
        with pytest.raises(InputError, match=r"may move 300.*this step would move it"):
            play_step(Response(), settings, device, rig, load_ohm=8.0, rating=rating)


def test_of_a_tone_the_volts_are_told_that_it_may_have():
    rating = Rating(volts=5.0, excursion_m=0.4e-3, moves=CONE)
    assert rating.most_v_at(1.0) == pytest.approx(1 / np.sqrt(2), rel=2e-3)
    assert rating.most_v_at(40.0) == pytest.approx(2 / np.sqrt(2))
    assert rating.most_v_at(4_000.0) == 5.0
    assert Rating(volts=5.0).most_v_at(1.0) == 5.0


@pytest.mark.parametrize("text", ["0.35 mm/V, 45 Hz, 0.4", "350 um / V; 45 Hz; Q 0.4"])
def test_how_a_cone_moves_is_read_as_it_is_written(text):
    moves = parse_moves(text)
    assert moves.m_per_v == pytest.approx(0.35e-3)
    assert parse_moves(moves.words) == moves


@pytest.mark.parametrize(
    "text", ["", "0.35", "0.35 mm, 45 Hz, 0.4", "-1 mm/V, 45 Hz, 0.4", "1 mm/V, 0 Hz, 0.4", "1 mm/V, 45 Hz, big"]
)
def test_what_does_not_say_how_it_moves_is_refused(text):
    with pytest.raises(InputError):
        parse_moves(text)
    with pytest.raises(InputError, match="not known"):
        Rating(excursion_m=1e-3)

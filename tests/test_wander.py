"""A link whose delay wanders: followed through what is played, undone, told; and what cannot be told."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.interpolate import make_interp_spline
from scipy.signal import fftconvolve, resample_poly

from tests.test_away import curves, elsewhere, slipped, unit, wired
from tests.test_late import RIG, device_with
from utter_calm.analysis.wander import Lag, smoothest_course
from utter_calm.measure.away import find_pack, make_pack, take_away
from utter_calm.measure.late import play_late
from utter_calm.measure.loudspeaker import LoudspeakerSettings, LoudspeakerSweep
from utter_calm.measure.multitone import Multitone, MultitoneSettings
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.wander import _stretches
from utter_calm.standins.catalogue import CATALOGUE, Entry
from utter_calm.standins.own_clock import OwnClock

RATE, LATE_S = 48_000, 0.7345
RESPONSE = ResponseSettings(start_hz=20.0, stop_hz=20_000.0, duration_s=2.0, rate_hz=RATE)


def wandered(pack, late_s, noise=1e-4, seed=1):
    """The pack through the unit, each moment later by what a function of time says: by splines through eight times the rate."""
    heard = np.concatenate([np.zeros(RATE // 2), unit(pack.samples[:, 0]), np.zeros(3 * RATE // 2)])
    fine = make_interp_spline(np.arange(8 * len(heard)) / 8, resample_poly(heard, 8, 1), k=5)
    at = np.arange(len(heard))
    out = fine(np.clip(at - (LATE_S - 0.5 + late_s(at / RATE)) * RATE, 0, len(heard) - 1))
    return (out + np.random.default_rng(seed).normal(0, noise, len(out)))[:, None]


def waves(size_s, period_s, turn=0.4):
    return lambda t: size_s * np.sin(2 * np.pi * t / period_s + turn)


def walking(walk, seed):
    """A delay whose rate walks at random, its first value and its first rate nothing."""
    g, step = np.random.default_rng(seed), 0.01
    rate = np.cumsum(g.normal(0, walk * np.sqrt(step), 1200))
    late = np.cumsum(rate) * step
    return lambda t: np.interp(t, step * np.arange(1200), late)


def off_by(capture, direct):
    """Radians (n,) and dB (n,) by which a capture's response is off from the direct one, from 40 Hz to 18 kHz."""
    late = curves(capture)
    inside = (direct.x > 40) & (direct.x < 18_000)
    values = [t.magnitude * np.exp(1j * t.phase_rad) for t in (late, direct)]
    theirs = np.interp(direct.x, late.x, values[0].real) + 1j * np.interp(direct.x, late.x, values[0].imag)
    ratio = (theirs / values[1])[inside]
    return np.angle(ratio), 20 * np.log10(np.abs(ratio))


@pytest.mark.sampled(1)
@pytest.mark.parametrize(("size_s", "period_s", "turn", "most"), [
    (1e-4, 20.0, 0.4, 0.05), (1e-4, 20.0, 2.0, 0.05), (1e-4, 20.0, 4.1, 0.05), (5e-5, 6.0, 0.3, 0.3), (3e-6, 6.0, 0.0, 0.05),
])  # fmt: skip
def test_a_delay_that_wanders_is_followed_and_its_phase_is_that_of_a_wire(size_s, period_s, turn, most):
    pack = make_pack(Response(), RESPONSE)
    capture = take_away(pack, wandered(pack, waves(size_s, period_s, turn)), RATE)
    phase, level = off_by(capture, curves(wired(pack)))
    assert np.max(np.abs(phase)) < most
    assert np.max(np.abs(level)) < 0.05
    codes = {t.code for t in capture.said}
    assert codes & {"delay_followed", "delay_moved"}
    assert not codes & {"gain_moved", "marks_unlike"}


@pytest.mark.long
@pytest.mark.parametrize("kind", ["response", "loudspeaker", "multitone"])
def test_how_sure_a_course_is_holds(kind):
    """Over links whose rate walks at random: what is left lies within what is stated, moment by moment, 19 of 20 times."""
    step, settings = {
        "response": (Response(), RESPONSE),
        "loudspeaker": (LoudspeakerSweep(), LoudspeakerSettings(duration_s=2.0, tail_s=0.1)),
        "multitone": (Multitone(), replace(MultitoneSettings(), rate_hz=RATE)),
    }[kind]
    pack = make_pack(step, settings)
    within = []
    for seed in range(5):
        late = walking(1e-5, seed)
        found = find_pack(pack, wandered(pack, late, seed=seed), RATE)
        if found.way is None:  # it wandered by less than can be told
            continue
        course, where = found.way.course, found.where
        at = np.linspace(pack.body, pack.body + pack.frames, 60) / RATE
        first = np.linspace(pack.first / RATE, pack.first / RATE + 0.6, 60)

        def even(t, late=late, where=where):
            begins = where.start / RATE
            return late(begins + t) + where.skew * t

        left = course.at(at) - (even(at) - np.mean(even(first)))
        within.append(np.mean(np.abs(left) <= 2 * course.u_at(at)))
    assert len(within) >= 3
    assert np.mean(within) > 0.9


@pytest.mark.long
def test_the_smoothest_course_is_as_sure_as_it_says():
    """Out of lags with known noise, of delays whose rate walks at random by a known measure."""
    within, sizes = [], []
    for seed in range(40):
        late, g = walking(3e-5, seed), np.random.default_rng(1000 + seed)
        at = np.concatenate([np.linspace(0, 0.6, 8), np.linspace(2.0, 2.6, 12), np.linspace(4.4, 5.0, 8)])
        noise = g.normal(0, 1e-7, len(at))
        still = float(np.mean(late(np.linspace(0, 0.6, 64))))
        lags = [Lag(np.array([t]), np.array([1.0]), float(late(t)) - still + n, 1e-7) for t, n in zip(at, noise, strict=True)]
        course = smoothest_course(lags, (0.0, 5.0), (0.0, 0.6))
        seen = np.linspace(0.7, 4.3, 40)
        left = course.at(seen) - (late(seen) - still)
        within.append(np.mean(np.abs(left) <= 2 * course.u_at(seen)))
        sizes.append(course.walk)
    assert 0.88 < np.mean(within) <= 1.0
    assert 1e-5 < np.median(sizes) < 1e-4


def test_lags_against_a_mean_of_the_course_itself_give_it_too():
    """Of a parabola, told only by how much later each moment is than the mean of two others."""

    def parabola(t):
        return 1e-6 * (t - 2.0) ** 2

    lags = []
    for t in np.linspace(0.5, 4.5, 30):
        mean = (parabola(t / 5) + parabola(4 + t / 5)) / 2
        lags.append(Lag(np.array([t, t / 5, 4 + t / 5]), np.array([1.0, -0.5, -0.5]), parabola(t) - mean, 1e-10))
    for t in np.linspace(0, 1, 10):
        lags.append(Lag(np.array([4 + t, t]), np.array([1.0, -1.0]), parabola(4 + t) - parabola(t), 1e-10))
    course = smoothest_course(lags, (0.0, 5.0), (0.0, 1.0))
    seen = np.linspace(0.1, 4.9, 50)
    still = np.mean(parabola(np.linspace(0, 1, 64)))
    assert np.max(np.abs(course.at(seen) - (parabola(seen) - still))) < 2e-8


def test_where_nothing_was_heard_or_played_no_lag_is_told():
    """Warnings count as errors here: nothing is divided by nothing."""
    sound, silence = np.random.default_rng(2).normal(size=RATE // 2), np.zeros(RATE // 2)
    assert len(list(_stretches(sound, sound, 2_880, RATE))) > 10
    for later, earlier in ((silence, sound), (sound, silence), (silence, silence), (sound[:100], sound[:100])):
        assert not list(_stretches(later, earlier, 2_880, RATE))


def in_a_room(pack, seed):
    """The pack as a room with reflections and reverberation of a third of a second passes it on."""
    g, room = np.random.default_rng(seed), np.zeros(16_000)
    room[0] = 1.0
    room[g.integers(50, 3_000, 12)] += g.uniform(-0.4, 0.4, 12)
    room[100:] += 0.01 * g.normal(size=15_900) * np.exp(-6.9 * np.arange(15_900) / (0.33 * RATE))
    return replace(pack, samples=fftconvolve(pack.samples[:, 0], room)[: len(pack.samples), None])


@pytest.mark.long
@pytest.mark.parametrize("seed", range(4))
def test_in_a_room_a_steady_clock_is_not_followed_and_another_is(seed):
    """What rings after the last mark tells of the room as well: without it the marks differ from what is played."""
    pack = make_pack(Multitone(), replace(MultitoneSettings(), rate_hz=RATE))
    heard = in_a_room(pack, seed)
    assert find_pack(pack, wandered(heard, lambda t: 0 * t, seed=seed), RATE).way is None
    assert find_pack(pack, wandered(heard, walking(1e-5, seed), seed=seed), RATE).way is not None


@pytest.mark.sampled(1)
@pytest.mark.parametrize(("frames", "share"), [(2, 0.5), (48, 0.2), (-300, 0.62), (1, 0.5)])
def test_a_jump_is_not_followed(frames, share):
    pack = make_pack(Response(), RESPONSE)
    assert find_pack(pack, slipped(elsewhere(pack, noise=1e-4), pack, frames, share), RATE).way is None


def test_a_wireless_unit_that_wanders_answers_as_on_a_wire(monkeypatch):
    inner = CATALOGUE["preamplifier"]
    entry = Entry(lambda bench: OwnClock(inner.make(bench), bench.rate_hz, late_s=0.2, ppm=30.0, wanders=(4e-5, 7.0)), inner.knobs)
    capture = play_late(Response(), RESPONSE, device_with(monkeypatch, entry), RIG, load_ohm=None)
    assert capture.answered_s == pytest.approx(0.2, abs=1e-4)
    assert {t.code for t in capture.said} & {"delay_followed", "delay_moved"}
    direct = curves(play_late(Response(), RESPONSE, device_with(monkeypatch, inner), RIG, load_ohm=None))
    off, level = off_by(capture, direct)
    assert np.max(np.abs(off)) < 0.3
    assert np.max(np.abs(level)) < 0.1

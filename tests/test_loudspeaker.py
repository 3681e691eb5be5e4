"""A loudspeaker out of one sweep: against filters, paths and faults in closed form."""

import numpy as np
import pytest
from scipy.signal import butter, lfilter, sosfilt

from tests.rooms import RATE, heard, speaker, speaker_gain, stimulus
from utter_calm.analysis.acoustic.decay import decay_grid, decay_in_periods, decay_in_time
from utter_calm.analysis.acoustic.gate import Gate, ended_earlier, gate_to, gated, u_cut_off
from utter_calm.analysis.acoustic.high_order import alike
from utter_calm.analysis.acoustic.loudspeaker import analyze_loudspeaker
from utter_calm.analysis.acoustic.near import near_response
from utter_calm.analysis.acoustic.ringing import find_ringing
from utter_calm.analysis.acoustic.skew import analyze_in_time
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.measure.acoustic_result import BAND_HZ, add_curve_readings, add_response, moved_by_window
from utter_calm.measure.result import ResultBuilder

PLAYED, SWEEP = stimulus()


def taken(paths, *, noise=1e-5, change=None, **bounds):
    sound = speaker(PLAYED, **bounds)
    sound = change(sound) if change is not None else sound
    return analyze_loudspeaker(heard(sound, paths, noise=noise, longer=4800), PLAYED, SWEEP, RATE)


def crossed(x, at=2000.0):
    """Woofer and tweeter of a crossover of fourth order: together an all-pass."""
    low, high = (butter(2, at, kind, fs=RATE, output="sos") for kind in ("low", "high"))
    return sosfilt(low, sosfilt(low, x)) + sosfilt(high, sosfilt(high, x))


def peaking(x, hertz, q, db):
    """A resonance on a response, and the Q of its pole."""
    a, w = 10 ** (db / 40), 2 * np.pi * hertz / RATE
    alpha = np.sin(w) / (2 * q)
    under = [1 + alpha / a, -2 * np.cos(w), 1 - alpha / a]
    pole = np.roots(under)[0]
    return lfilter([1 + alpha * a, -2 * np.cos(w), 1 - alpha * a], under, x), np.pi * hertz / (-np.log(abs(pole)) * RATE)


@pytest.mark.sampled(3)
@pytest.mark.parametrize("late_s", [0.0031, 0.003104321, 0.5])
@pytest.mark.parametrize("high", [12_000.0, 18_000.0, None])
def test_delay_and_reflections_are_those_of_the_paths(late_s, high):
    detours = [(4.662e-3, 0.38), (6.0e-3, 0.2), (11.3e-3, 0.1)]
    found = taken([(late_s, 0.5), *((late_s + t, 0.5 * a) for t, a in detours)], high=high)
    assert found.delay_s == pytest.approx(late_s, abs=1e-6)
    assert abs(found.delay_s - late_s) < 2 * found.u_delay_s < 1.2e-6
    assert len(found.reflections) == len(detours)
    for one, (after, level) in zip(found.reflections, detours, strict=True):
        assert one.after_s == pytest.approx(after, abs=2e-5)
        assert one.level == pytest.approx(level, rel=0.05)


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    ("modes", "order", "high"),
    [
        (((10_555, 5.3, 13.4), (2_019, 11.7, 11.9)), 2, 3_066),
        (((11_612, 9.3, 11.5), (8_567, 11.0, 7.3), (2_364, 4.5, 7.7)), 1, 1_855),
        (((10_454, 6.4, 4.2), (2_227, 7.3, 10.0)), 1, 1_270),
        (((1_508, 4.0, 9.8), (2_958, 24.7, 12.2), (7_866, 3.2, 8.7)), 1, 5_554),
        (((4_996, 3.6, 10.4),), 2, 2_340),
    ],
)
def test_what_rings_is_no_reflection(modes, order, high):
    """A resonance behind a dull direct sound, as off the axis, ended the window after half a millisecond."""

    def change(x):
        for mode in modes:
            x = peaking(x, *mode)[0]
        return sosfilt(butter(order, high, fs=RATE, output="sos"), x)

    found = taken([(0.003, 0.5), (0.003 + 4.662e-3, 0.19)], change=change, noise=1e-6)
    (one,) = found.reflections
    assert one.after_s == pytest.approx(4.662e-3, abs=3e-5)


def test_of_a_room_ends_and_tolerance_are_told_by_third_octaves():
    """A comb falls 3 dB below the mean wherever reflections cancel: both ends lay in the middle of the band."""
    paths = [(0.003, 1.0), *((0.003 + t, a) for t, a in ((3.1e-3, 0.6), (14.662e-3, 0.5), (19.3e-3, -0.5), (34.1e-3, 0.4)))]
    out = ResultBuilder()
    add_response(out, taken(paths).response(None), 1.0, "1")
    add_curve_readings(out, 1, distance_m=None, band_hz=BAND_HZ, room=True)
    told = out.build()
    assert told.reading("lower_3db") is None
    assert told.reading("lower_10db").value == pytest.approx(70 / np.sqrt(3), rel=0.3)
    assert told.reading("response_below").value > 0.5
    out = ResultBuilder()
    add_response(out, taken(paths).response(None), 1.0, "1")
    add_curve_readings(out, 1, distance_m=None, band_hz=BAND_HZ)
    assert out.build().reading("lower_3db").value > 300


def test_what_the_window_ends_is_stated():
    """A response that ends with its window was off by 0.2 to 0.5 dB at twice the lowest frequency, with 0.001 dB stated."""
    rng, told, small = np.random.default_rng(3), [], []
    whole = np.fft.rfftfreq(1 << 17, 1 / RATE)
    for _ in range(40):
        impulse = np.zeros(RATE)
        impulse[0] = 1.0
        order, corner = int(rng.choice([2, 4])), float(np.exp(rng.uniform(np.log(30), np.log(120))))
        impulse = sosfilt(butter(order, corner, "highpass", fs=RATE, output="sos"), impulse)
        impulse = peaking(impulse, float(np.exp(rng.uniform(np.log(300), np.log(6_000)))), rng.uniform(1, 12), rng.uniform(-6, 6))[
            0
        ]
        gate = gate_to(float(rng.uniform(2e-3, 20e-3)))
        seen = gated(impulse, RATE, gate)
        u = u_cut_off(gate, seen, ended_earlier(impulse, RATE, gate, seen))
        truth = np.interp(seen.frequency_hz, whole, np.abs(np.fft.rfft(impulse, 1 << 17)))
        inside = (seen.frequency_hz > gate.lowest_hz) & (seen.frequency_hz < 10 * gate.lowest_hz)
        told.append(np.mean(np.abs(np.abs(seen.value) - truth)[inside] < 2 * u[inside]))
        small.append(np.median(u[inside]))
    assert np.mean(told) > 0.93
    assert np.median(small) < 0.03  # and it is not so wide that it says nothing


@pytest.mark.parametrize("at", [1_300.0, 3_500.0])
def test_reflections_come_as_late_behind_a_crossover(at):
    """Counted from a delay that a crossover's all-pass moves they came up to 70 us too soon."""
    found = taken([(0.003, 0.5), (0.003 + 4.465e-3, -0.3), (0.003 + 9.3e-3, 0.2)], change=lambda x: crossed(x, at))
    assert [r.after_s for r in found.reflections] == pytest.approx([4.465e-3, 9.3e-3], abs=5e-6)


def test_gated_response_is_the_loudspeakers_above_twice_the_limit():
    found = taken([(0.003, 1.0), (0.003 + 4.662e-3, 0.38), (0.003 + 8e-3, 0.3)])
    response = found.response(found.auto_gate())
    f = response.frequency_hz
    inside = (f > 2 * response.gate.lowest_hz) & (f < 19_000)
    off = 20 * np.log10(np.abs(response.value) / np.abs(speaker_gain(f)))
    assert np.max(np.abs(off[inside])) < 0.15
    # without the window the reflection stands in it
    whole = 20 * np.log10(np.abs(found.response(None).value) / np.abs(speaker_gain(f)))
    assert np.max(np.abs(whole[inside])) > 2
    assert np.max(np.abs(response.excess_phase_rad[inside & (f > 1000)])) < 0.05
    turned = -np.gradient(np.unwrap(np.angle(speaker_gain(f))), 2 * np.pi * f)
    assert np.max(np.abs(response.group_delay_s - turned)[inside & (f > 1000)]) < 2e-5


def test_without_reflections_nothing_is_seen_and_nothing_windowed():
    found = taken([(0.003, 1.0)])
    assert found.direct
    assert not found.reflections
    assert found.auto_gate() is None
    f = found.response(None).frequency_hz
    inside = (f > 30) & (f < 19_000)
    assert np.abs(found.response(None).value)[inside] == pytest.approx(np.abs(speaker_gain(f))[inside], rel=2e-3)


@pytest.mark.parametrize("sign", [1, -1])
def test_polarity(sign):
    assert taken([(0.003, 0.7 * sign), (0.008, 0.3)]).polarity == sign


def test_noise_alone_has_no_direct_sound():
    """The loudspeaker far off in a reverberant room: ten thousand equal arrivals."""
    rng = np.random.default_rng(2)
    tail = rng.standard_normal(RATE) * np.exp(-np.arange(RATE) / (0.3 * RATE))
    sound = np.fft.irfft(np.fft.rfft(speaker(PLAYED), 2**19) * np.fft.rfft(tail, 2**19), 2**19)[: len(PLAYED)]
    assert not analyze_loudspeaker(sound, PLAYED, SWEEP, RATE).direct


def test_harmonics_are_told_at_the_microphone_without_the_room_leaving_a_trace():
    found = taken([(0.003, 1.0)], change=lambda x: x + 0.05 * x**2 + 0.04 * x**3)
    peak = 0.5 * np.abs(speaker_gain(np.array([1000.0])))[0]
    truth = {2: 0.05 * peak / 2, 3: 0.04 * peak**2 / 4}
    for order, ratio in truth.items():
        trace = found.harmonics[order - 2]
        at = int(np.argmin(np.abs(trace.frequency_hz - 1000)))
        assert 20 * np.log10(np.abs(trace.ratio[at]) / (ratio / (1 + 0.75 * 0.04 * peak**2))) == pytest.approx(0, abs=0.3)


def test_a_rub_is_found_where_it_is_and_a_clean_one_has_none():
    rng = np.random.default_rng(4)
    t = np.arange(len(PLAYED)) / RATE
    passed = SWEEP.start_hz * np.exp((t - SWEEP.onset_s) / SWEEP.growth_s)

    def rubs(x):
        at = (passed > 90) & (passed < 140) & (np.abs(x) > 0.4)
        return x + np.where(at, 0.02 * rng.standard_normal(len(x)), 0.0)

    clean, rubbing = taken([(0.003, 1.0)]).high_order, taken([(0.003, 1.0)], change=rubs).high_order
    assert clean.buzz_hz is None
    assert np.max(clean.ratio) < 1e-3
    assert rubbing.buzz_hz[0] == pytest.approx(90, rel=0.15)
    assert rubbing.buzz_hz[1] == pytest.approx(140, rel=0.15)
    assert 0.05 < rubbing.buzz_peak < 0.4


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("ppm", "at"), [
    (0.0, 2000.0), (5.0, 300.0), (5.0, 5000.0), (20.0, None), (20.0, 2000.0), (-50.0, 300.0), (-50.0, 5000.0), (300.0, None),
    (300.0, 2000.0),
])  # fmt: skip
def test_another_clock_is_told_through_a_crossover(ppm, at):
    sound = speaker(PLAYED)
    sound = heard(sound if at is None else crossed(sound, at), [(0.003, 1.0), (0.0076, 0.3)], noise=1e-4, longer=4800)
    found, skew = analyze_in_time(resampled(sound, 1 / (1 + 1e-6 * ppm)) if ppm else sound, PLAYED, SWEEP, RATE)
    assert 1e6 * skew == pytest.approx(0.0 if abs(ppm) < 10 else ppm, abs=0.8)
    assert len(found.reflections) == 1


@pytest.mark.sampled(2)
@pytest.mark.parametrize("modes", [[(900, 12, 6)], [(450, 20, 4), (3200, 15, 5)], [(2500, 30, 6), (4100, 40, 3), (7000, 10, -6)]])
@pytest.mark.parametrize("noise", [1e-6, 1e-3])
def test_what_rings_is_told_with_its_q(modes, noise):
    qs = []

    def rings(x):
        for mode in modes:
            x, q = peaking(x, *mode)
            qs.append(q)
        return x

    found = taken([(0.003, 1.0)], noise=noise, change=rings)
    told = find_ringing(found.impulse, RATE, None, found.high_hz)
    assert [r.frequency_hz for r in told] == pytest.approx([m[0] for m in modes], rel=3e-3)
    assert [r.q for r in told] == pytest.approx(qs, rel=0.03)


def test_what_does_not_ring_is_let_be():
    found = taken([(0.003, 1.0)], noise=1e-3)
    assert find_ringing(found.impulse, RATE, None, found.high_hz) == ()


def test_decay_of_a_pole_is_that_of_its_q():
    """A pole of Q decays by pi 8.686 / Q dB a period; an ideal impulse as the burst's own window."""
    hertz, q = 1000.0, 30.0
    t = np.arange(RATE) / RATE
    ringing = np.zeros(2 * RATE)
    ringing[:RATE] = np.exp(-np.pi * hertz * t / q) * np.sin(2 * np.pi * hertz * t)
    decay = decay_in_periods(ringing, RATE, None, np.array([hertz]))
    level = 20 * np.log10(decay.amplitude[:, 0])
    late = (decay.after > 10) & (decay.after < 30)
    assert np.polyfit(decay.after[late], level[late], 1)[0] == pytest.approx(-np.pi * 8.6859 / q, rel=1e-3)
    ideal = np.zeros(2 * RATE)
    ideal[0] = 1.0
    shaped = decay_in_periods(ideal, RATE, None, np.array([hertz]))
    for periods in (1.0, 2.0):
        seen = shaped.amplitude[int(periods / 0.25), 0]
        assert seen == pytest.approx(0.5 + 0.5 * np.cos(2 * np.pi * periods / 6), rel=1e-3)


def test_decay_over_time_follows_its_definition_and_hides_what_the_window_ends():
    found = taken([(0.003, 1.0), (0.011, 0.3)])
    gate, grid = found.auto_gate(), decay_grid(found.high_hz)
    decay = decay_in_time(found.impulse, RATE, gate, grid)
    k, f = 4, 3000.0
    start = decay.after[k]
    index = np.arange(-100, round(gate.stop_s * RATE) + 2)
    time = index / RATE
    rise = 0.5 - 0.5 * np.cos(np.pi * np.clip((time - start + 0.2e-3) / 0.2e-3, 0, 1))
    piece = found.impulse[index] * gate.at(time)
    value = abs(np.sum(piece * rise * np.exp(-2j * np.pi * f * time)))
    full = np.abs(np.exp(-2j * np.pi * np.outer(grid, time)) @ (piece * (time > -0.2e-3) * np.where(
        time < 0, 0.5 - 0.5 * np.cos(np.pi * np.clip((time + 0.2e-3) / 0.2e-3, 0, 1)), 1))).max()  # fmt: skip
    assert np.interp(f, grid, decay.amplitude[k]) == pytest.approx(value / full, rel=5e-3)
    assert np.isnan(decay.amplitude[decay.after > gate.stop_s]).all()
    assert np.isnan(decay.amplitude[0][grid < gate.lowest_hz]).all()


def test_a_window_of_periods_smooths_the_treble_and_leaves_the_bass():
    """A late reflection ripples under a long window; under one of few periods it is gone where it comes later than they do."""
    found = taken([(0.003, 1.0), (0.003 + 6e-3, 0.4)])
    plain, few = (found.response(Gate(-1e-3, 20e-3), periods) for periods in (0.0, 8.0))
    f = plain.frequency_hz
    treble, bass = (f > 3000) & (f < 15_000), (f > 300) & (f < 600)
    off = [20 * np.log10(np.abs(r.value) / np.abs(speaker_gain(f))) for r in (plain, few)]
    assert np.max(np.abs(off[0][treble])) > 2
    assert np.max(np.abs(off[1][treble])) < 0.2
    assert np.max(np.abs(off[1][bass])) > 1  # eight periods hold the reflection there


def test_a_window_is_one_where_it_is_said_to_be():
    gate = Gate(-0.5e-3, 4e-3)
    t = np.array([-1e-3, -0.5e-3, -0.25e-3, 0.0, 3.2e-3, 3.6e-3, 4e-3])
    assert gate.at(t) == pytest.approx([0, 0, 1, 1, 1, 0.5, 0], abs=1e-12)
    with pytest.raises(ValueError, match="direct"):
        Gate(1e-3, 4e-3)


@pytest.mark.parametrize(("flat", "whole"), [(1.0, 1.0), (0.8, 0.9), (0.5, 0.75), (0.0, 0.5)])
def test_forms_of_the_window(flat, whole):
    time = np.arange(0, 0.012, 1e-6)
    window = Gate(-1e-3, 0.01, flat).at(time)
    assert np.sum(window) * 1e-6 / 0.01 == pytest.approx(whole, abs=1e-3)  # a half cosine holds half of its length
    assert np.all(window[time <= flat * 0.00999] == 1.0)
    assert np.all(window[time > 0.010001] == 0.0)


def test_what_arrives_soon_is_kept_and_what_comes_late_is_not():
    impulse = np.zeros(131_072)
    impulse[[0, 300, -700]] = 1.0, -0.5, 0.25
    near = near_response(np.fft.rfft(impulse + np.roll(impulse, 20_000)), RATE)
    f = np.arange(len(near)) / (2 * (len(near) - 1))
    assert near == pytest.approx(1 - 0.5 * np.exp(-2j * np.pi * f * 300) + 0.25 * np.exp(2j * np.pi * f * 700), abs=1e-12)
    assert len(near) < len(impulse) / 12
    short = np.fft.rfft(impulse[:4_096])
    assert near_response(short, RATE) is short


@pytest.mark.parametrize("lengths", [[7], [9] * 3, [9, 9, 5, 5, 5, 2], [60_000] * 3 + [30_000] * 5])
def test_pieces_read_together_are_of_one_length_and_none_is_left_out(lengths):
    runs = list(alike(np.array(lengths)))
    assert [k for run in runs for k in range(run.start, run.stop)] == list(range(len(lengths)))
    for run in runs:
        assert len(set(lengths[run])) == 1
        assert run.stop - run.start == 1 or sum(lengths[run]) <= 1 << 16


def test_the_mean_of_a_band_moves_less_with_its_window_than_its_parts():
    """What the window ends at one frequency comes back at others: the sensitivity is as sure as it stays."""
    whole, off, stated = taken([(0.003, 1.0)]), [], []
    grid = np.geomspace(*BAND_HZ, 600)
    truth = np.sqrt(np.mean(np.abs(speaker_gain(grid)) ** 2))
    for late_s in (4.5e-3, 6e-3, 8e-3, 11e-3, 15e-3):
        gate = gate_to(late_s)
        response = whole.response(gate)
        mean = np.sqrt(np.mean(np.interp(grid, response.frequency_hz, np.abs(response.value)) ** 2))
        off.append(abs(mean / truth - 1))
        stated.append(moved_by_window(response))
        assert stated[-1] < 0.5 * np.median((response.u_value / np.abs(response.value))[response.frequency_hz < 600])
    assert np.mean(np.array(off) < 2 * np.array(stated) + 2e-4) >= 0.8
    assert moved_by_window(whole.response(None)) is None


@pytest.mark.parametrize(("order", "part"), [(10, 1.0), (12, 1.0), (9, 0.0), (8, 0.0)])
def test_high_order_holds_the_tenth_harmonic_and_not_the_ninth(order, part):
    """A harmonic of so many orders alone, made by its Chebyshev polynomial: the tenth came out 3.1 dB low."""
    peak, ratio = float(np.max(np.abs(PLAYED))), 0.01

    def bent(x):
        return PLAYED + ratio * peak * np.cos(order * np.arccos(np.clip(PLAYED / peak, -1, 1)))

    found = taken([(0.003, 1.0)], change=bent).high_order
    middle = (found.frequency_hz > 200) & (found.frequency_hz < 1000)
    heard = np.median(found.ratio[middle]) / ratio
    if part:
        assert 20 * np.log10(heard) == pytest.approx(0.0, abs=0.3)
    else:
        assert heard < 0.1


@pytest.mark.parametrize("between", [0.0, 0.25, 0.5])
def test_the_energy_time_curve_shows_the_crest_between_two_samples(between):
    """Of a reflection that comes between two samples: it was up to 1.2 dB low."""
    from utter_calm.measure.acoustic_result import _between_samples

    rate, frames = 48_000, 2048
    f = np.fft.rfftfreq(frames, 1 / rate)
    one = np.fft.irfft(np.where(f < 20_000, np.exp(-2j * np.pi * f * (500 + between) / rate), 0), frames)
    time, fine = _between_samples(np.arange(frames) / rate, one)
    assert len(time) == len(fine) == 4 * frames
    assert np.max(np.abs(fine)) == pytest.approx(2 * np.sum(f < 20_000) / frames, rel=0.03)
    assert time[np.argmax(fine)] == pytest.approx((500 + between) / rate, abs=0.13 / rate)

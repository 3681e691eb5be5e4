"""A step played and recorded elsewhere is the take that a wire would have made: other rates, clocks, noise, gain controls."""

import io
import re
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from scipy.signal import bilinear, lfilter

from utter_calm.analysis.acoustic.marks import lag_of
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.away import Away, make_pack, take_away
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.pack import Pack
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.rig import Channel

KIND, SETTINGS = Response(), ResponseSettings(start_hz=20.0, stop_hz=20_000.0, duration_s=2.0, rate_hz=48_000)


def unit(samples, rate=48_000):
    """A high-pass of 50 Hz and a low-pass of 15 kHz, in closed form at the rate of the file."""
    low = bilinear([1.0, 0.0], [1.0, 2 * np.pi * 50.0], rate)
    return lfilter(*low, samples, axis=0)


def wired(pack: Pack) -> Capture:
    """What comes back through a wire, aligned."""
    body = pack.samples[pack.body : pack.body + pack.frames]
    channel = Channel(1, full_scale=pack.volts / np.sqrt(2))
    return Capture(unit(body), pack.rate_hz, (channel,), drive_known=True, parts=(Part(0, pack.frames, {}, ()),))


def elsewhere(pack, *, rate=48_000, skew=0.0, delay_s=1.2345, noise=0.0, gain=1.0):
    """The file played by one clock and recorded by another, at another rate, late, in noise."""
    heard = gain * unit(np.concatenate([np.zeros((48_000, 1)), pack.samples, np.zeros((48_000, 1))]))
    ratio = rate / 48_000 / (1 + skew)
    late = (delay_s - 1.0) * 48_000
    whole = np.concatenate([np.zeros(int(late)), heard[:, 0]])
    turn = np.exp(-2j * np.pi * (late - int(late)) * np.fft.rfftfreq(len(whole)))
    shifted = np.fft.irfft(np.fft.rfft(whole) * turn, len(whole))
    samples = resampled(shifted, ratio)[:, None]
    return samples + noise * np.random.default_rng(5).normal(size=samples.shape)


def curves(capture):
    found = KIND.analyze(SETTINGS, capture)
    return found.trace("response", 1)


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("rate", "skew"), [(48_000, 0.0), (44_100, 2e-4), (48_000, -2e-4), (96_000, 3e-5), (44_100, 0.0)])
def test_the_response_is_that_of_a_wire(rate, skew):
    pack = make_pack(KIND, SETTINGS)
    direct = curves(wired(pack))
    capture = take_away(pack, elsewhere(pack, rate=rate, skew=skew), rate)
    trust = capture.said
    away = curves(capture)
    lowest = min(rate, 48_000) / 2
    inside = (direct.x > 25) & (direct.x < min(0.9 * lowest, 19_500))
    theirs = np.interp(direct.x[inside], away.x, away.magnitude)
    assert np.max(np.abs(20 * np.log10(theirs / direct.magnitude[inside]))) < 0.01
    codes = {t.code for t in trust}
    assert ("skew_removed" in codes) == (skew != 0)
    assert ("rate_converted" in codes) == (rate != 48_000)
    assert "played_elsewhere" in codes
    assert not [t for t in trust if t.grave]


@pytest.mark.sampled(2)
@pytest.mark.parametrize("part", [0.3, 0.5, 0.8])
def test_alignment_holds_to_a_hundredth_of_a_sample(part):
    """What the unit does to the place of the marks is in it, alike each time; the part of a sample by which it was late is not."""
    pack = make_pack(KIND, SETTINGS)
    direct = np.fft.rfft(wired(pack).samples[:, 0])
    frequency = np.fft.rfftfreq(pack.frames, 1 / 48_000)
    inside = (frequency > 1_000) & (frequency < 10_000)

    def off(late_by):
        capture = take_away(pack, elsewhere(pack, delay_s=1.5 + late_by / 48_000), 48_000)
        turn = np.unwrap(np.angle(np.fft.rfft(capture.samples[:, 0])[inside] / direct[inside]))
        return -np.polyfit(2 * np.pi * frequency[inside], turn, 1)[0] * 48_000

    whole = off(0.0)
    assert abs(whole) < 0.2
    assert abs(off(part) - whole) < 0.01


@pytest.mark.sampled(1)
@pytest.mark.parametrize("skew", [-3e-4, 2e-4])
def test_a_clock_that_is_off_moves_nothing(skew):
    """A mark that rises seems to come sooner where it sounds higher: 0.14 ms at 200 ppm."""
    pack = make_pack(KIND, SETTINGS)
    steady, other = (take_away(pack, elsewhere(pack, skew=s, delay_s=1.5), 48_000).samples[:, 0] for s in (0.0, skew))
    frequency = np.fft.rfftfreq(pack.frames, 1 / 48_000)
    inside = (frequency > 500) & (frequency < 5_000)
    cross = (np.fft.rfft(other) * np.conj(np.fft.rfft(steady)))[inside]
    turn = 2 * np.pi * frequency[inside]
    off_s = -float(np.sum(np.abs(cross) * turn * np.angle(cross)) / np.sum(np.abs(cross) * turn**2))
    assert abs(off_s) < 1e-6


def test_it_is_found_at_0_db_snr():
    pack = make_pack(KIND, SETTINGS)
    rms = float(np.std(pack.samples))
    capture = take_away(pack, elsewhere(pack, noise=rms), 48_000)
    assert len(capture.samples) == pack.frames
    clean, size = wired(pack).samples[:, 0], 2 * pack.frames
    match = np.fft.irfft(np.fft.rfft(capture.samples[:, 0], size) * np.conj(np.fft.rfft(clean, size)))
    assert np.argmax(match) in (0, 1, size - 1)  # in its place to a sample


LOWER = {"response": {"stop_hz": 20_000.0}, "first_look": {"band_high_hz": 20_000.0}}


def slipped(recorded, pack, frames, share):
    """A link that repeats, or with a minus leaves out, so many samples in the middle of what the step plays."""
    at = round(1.2345 * 48_000) + pack.body + round(share * pack.frames)
    more = np.repeat(recorded[at : at + 1], max(0, frames), axis=0)
    return np.concatenate([recorded[:at], more, recorded[at + max(0, -frames) :]])


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("frames", "share"), [(1, 0.1), (-1, 0.9), (2, 0.5), (-5, 0.5), (48, 0.2), (-300, 0.62)])
def test_a_delay_that_jumps_between_the_marks_is_told(frames, share):
    """Its whole size is found, or half of it, by whether one side of the jump or both are in the marks' band; beside that it looks
    like a delay that wanders, and what it may leave is told."""
    pack = make_pack(KIND, SETTINGS)
    said = [t for t in take_away(pack, slipped(elsewhere(pack, noise=1e-4), pack, frames, share), 48_000).said if t.grave]
    assert "delay_moved" in {t.code for t in said}
    words = next(t.text for t in said if t.code == "delay_moved")
    number, unit = re.search(r"(?:came|up to) ([\d.]+) (ms|µs)", words).groups()
    told_s = float(number) * {"ms": 1e-3, "µs": 1e-6}[unit]
    assert 0.1 * abs(frames) / 48_000 < told_s < 1.1 * abs(frames) / 48_000


@pytest.mark.sampled(1)
@pytest.mark.parametrize("key", ["first_look", "response", "multitone", "edges", "loudspeaker"])
def test_a_steady_clock_is_never_told_as_a_delay_that_moved(key):
    kind = KINDS[key]
    pack = make_pack(kind, replace(kind.settings_type(), rate_hz=48_000, **LOWER.get(key, {})))
    for seed, noise in enumerate((1e-5, 1e-3, 0.02)):
        capture = take_away(pack, elsewhere(pack, skew=1e-4 * (seed - 1), noise=noise), 48_000)
        assert not {"delay_moved", "delay_followed", "gain_moved", "overload"} & {t.code for t in capture.said}


def test_a_gain_control_is_told():
    pack = make_pack(KIND, SETTINGS)
    recorded = elsewhere(pack)
    turned = recorded * np.linspace(1.0, 0.7, len(recorded))[:, None]
    trust = take_away(pack, turned, 48_000).said
    assert "gain_moved" in {t.code for t in trust if t.grave}


def regulated(samples, share, attack_s=0.05, rate=48_000):
    """A gain control that takes part of the level away, by what it has heard for a while."""
    level = np.sqrt(lfilter([1 / (attack_s * rate)], [1, 1 / (attack_s * rate) - 1], samples[:, 0] ** 2))
    return samples * np.maximum(level, 1e-3 * level.max())[:, None] ** -share


@pytest.mark.sampled(2)
@pytest.mark.parametrize("key", ["response", "multitone", "edges"])
def test_a_gain_that_does_the_same_to_both_marks_is_told(key):
    kind = KINDS[key]
    pack = make_pack(kind, replace(kind.settings_type(), rate_hz=48_000, **LOWER.get(key, {})))
    said = take_away(pack, regulated(elsewhere(pack, noise=1e-4), 0.3), 48_000).said
    (words,) = (t.text for t in said if t.code == "gain_moved" and t.grave)
    assert "against the marks before and after it" in words


@pytest.mark.parametrize(("share", "rate"), [(0.97, 48_000), (0.5, 44_100)])
def test_a_recorder_that_is_overdriven_is_told(share, rate):
    """Brought to another clock its tops are no longer flat, nor at full scale."""
    pack = make_pack(KIND, SETTINGS)
    recorded = elsewhere(pack, rate=rate, skew=1e-4, noise=1e-4)
    top = share * np.max(np.abs(recorded))
    codes = {t.code for t in take_away(pack, np.clip(recorded, -top, top), rate).said if t.grave}
    assert "overload" in codes


@pytest.mark.parametrize(
    ("spoil", "word"),
    [(lambda r: 0 * r, "silent"), (lambda r: r[: len(r) // 8], "marks"), (lambda r: r[::-1].copy(), "marks")],
)
def test_what_is_not_there_is_refused(spoil, word):
    pack = make_pack(KIND, SETTINGS)
    with pytest.raises(NoSignal, match=word):
        take_away(pack, spoil(elsewhere(pack)), 48_000)


def test_one_mark_is_not_enough_for_the_clock():
    pack = make_pack(KIND, SETTINGS)
    recorded = elsewhere(pack)
    trust = take_away(pack, recorded[: round(len(recorded) - 2.4 * 48_000)], 48_000).said
    assert "skew_unknown" in {t.code for t in trust if t.grave}


def test_steps_that_hear_as_they_go_are_refused():
    with pytest.raises(InputError, match="by what it hears"):
        make_pack(KINDS["level_series"], KINDS["level_series"].settings_type())
    with pytest.raises(InputError, match="beyond full scale"):
        make_pack(KIND, SETTINGS, 1.5)
    quick = replace(SETTINGS, rate_hz=48_000)
    assert np.array_equal(make_pack(KIND, quick).samples, make_pack(KIND, SETTINGS).samples)


def test_volts_are_right_where_both_ends_are_told():
    settings = FirstLookSettings(duration_s=0.5, level_v=0.5, rate_hz=48_000)
    pack = make_pack(FirstLook(), settings)
    recorded = np.concatenate([np.zeros((9_000, 1)), 0.5 * pack.samples, np.zeros((9_000, 1))])
    capture = take_away(pack, recorded, 48_000, Away(played_full_scale_v=2.0, recorded_full_scale_v=4.0))
    result = FirstLook().analyze(settings, capture)
    assert result.reading("gain", 1).value == pytest.approx(0.5 * 4.0 / 2.0, rel=1e-5)  # half the samples at twice the full scale
    assert "played_elsewhere" in {t.code for t in result.trust}
    relative = take_away(pack, recorded, 48_000)
    assert FirstLook().analyze(settings, relative).reading("gain", 1).value == pytest.approx(0.5, rel=1e-5)


def coded(samples, coder, subtype, effort):
    """Through a real coder that leaves out what is not heard, and back."""
    file = io.BytesIO()
    soundfile.write(file, 0.9 * samples, 48_000, format=coder, subtype=subtype, compression_level=effort)
    file.seek(0)
    return soundfile.read(file, always_2d=True)[0]


@pytest.mark.sampled(2)
@pytest.mark.parametrize("noise", [0.0, 1e-3])
@pytest.mark.parametrize("how", [("OGG", "VORBIS", 0.6), ("OGG", "VORBIS", 0.1), ("MP3", "MPEG_LAYER_III", 0.3)])
def test_a_coder_with_losses_is_told_by_marks_that_are_no_longer_alike(how, noise):
    pack = make_pack(KIND, SETTINGS)
    said = take_away(pack, coded(elsewhere(pack, noise=noise), *how), 48_000).said
    (unlike,) = [t for t in said if t.code == "marks_unlike"]
    assert unlike.grave
    assert "coded with losses" in unlike.text


@pytest.mark.sampled(2)
@pytest.mark.parametrize("noise", [1e-5, 1e-3, 0.05])
@pytest.mark.parametrize("seed", range(3))
def test_marks_in_noise_are_alike(noise, seed):
    """Rounding to twelve bits, other rates and clocks leave them so as well."""
    pack = make_pack(KIND, SETTINGS)
    heard = elsewhere(pack, rate=44_100, skew=1e-4 * (seed - 1))
    heard = np.round(2047 * heard) / 2047 + noise * np.random.default_rng(seed).normal(size=heard.shape)
    assert "marks_unlike" not in {t.code for t in take_away(pack, heard, 44_100).said}


def test_of_what_is_not_heard_no_lag_is_told():
    """Nothing within a quarter of a turn of any delay: it ended in a division by zero."""
    turn = np.linspace(0.1, 1.0, 50)
    lag, u = lag_of(np.zeros(50, dtype=complex), turn, 3.0, 1.0)
    assert (lag, u) == (3.0, np.inf)
    lag, u = lag_of(-np.exp(-3j * turn), turn, 3.0, 1.0)
    assert u == np.inf

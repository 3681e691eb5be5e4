"""Sweep analysis: known filters, known polynomials, recognised stimuli."""

import numpy as np
import pytest
from scipy import signal as dsp

from utter_calm.analysis.deconvolution import deconvolve
from utter_calm.analysis.response import corners, log_slope, ripple, value_at
from utter_calm.analysis.sweep import analyze_sweep, log_grid
from utter_calm.analysis.sweep_finder import find_sweep
from utter_calm.errors import InputError, NoSignal
from utter_calm.signals.sweep import Sweep


def played(sweep, rate, *, fade_in=0.05, fade_out=0.01, tail=0.6):
    samples = sweep.samples(rate, fade_in_s=fade_in, fade_out_s=fade_out)
    return np.concatenate([np.zeros(round(sweep.onset_s * rate)), samples, np.zeros(round(tail * rate))])


CHAINS = {
    "audio path": (lambda fs: np.vstack([dsp.butter(2, 4, "high", fs=fs, output="sos"),
                                         dsp.butter(2, 0.32 * fs, "low", fs=fs, output="sos")])),
    "first order": lambda fs: dsp.butter(1, [5.5, 0.3 * fs], "band", fs=fs, output="sos"),
    "resonance": lambda fs: dsp.tf2sos(*dsp.iirpeak(1_000, 4, fs)) + np.array([[0.3, 0, 0, 0, 0, 0]]),
}  # fmt: skip


@pytest.mark.sampled(5)
@pytest.mark.parametrize("chain", CHAINS)
@pytest.mark.parametrize(
    ("rate", "start", "stop", "seconds"),
    [(48_000, 10, 22_000, 4), (96_000, 10, 40_000, 3), (44_100, 20, 20_000, 2), (192_000, 5, 84_000, 3)],
)
def test_the_response_of_a_known_filter(chain, rate, start, stop, seconds):
    """0.005 dB and 0.05 degree from 20 Hz to 0.9 of the stop frequency, absolute and with the delay put back."""
    sweep = Sweep(start, stop, seconds, 0.5, onset_s=0.1)
    stimulus = played(sweep, rate)
    sections, late = CHAINS[chain](rate), 37
    response = np.concatenate([np.zeros(late), 1.7 * dsp.sosfilt(sections, stimulus)])[: len(stimulus)]
    found = analyze_sweep(response, stimulus, sweep, rate)
    f = found.frequency_hz
    truth = 1.7 * dsp.sosfreqz(sections, f, fs=rate)[1] * np.exp(-2j * np.pi * f * late / rate)
    error = found.gain * np.exp(-2j * np.pi * f * found.delay_s) / truth
    inside = (f >= 20) & (f <= 0.9 * stop)
    assert np.max(np.abs(20 * np.log10(np.abs(error[inside])))) < 0.005
    assert np.max(np.abs(np.angle(error[inside], deg=True))) < 0.05
    assert found.valid_hz[0] <= max(20, start)
    assert found.valid_hz[1] >= 0.9 * stop


@pytest.mark.parametrize("delay", [0, 12, 500, 37.3])
def test_the_delay_between_samples(delay):
    rate, sweep = 48_000, Sweep(20, 20_000, 2.0, 0.5, onset_s=0.1)
    stimulus = played(sweep, rate)
    spectrum = np.fft.rfft(stimulus, 1 << 18)
    shift = np.exp(-2j * np.pi * np.arange(len(spectrum)) / (1 << 18) * delay)
    found = analyze_sweep(np.fft.irfft(spectrum * shift)[: len(stimulus) + 1_000], stimulus, sweep, rate)
    assert found.delay_s * rate == pytest.approx(delay, abs=0.01)


@pytest.mark.parametrize("phase", [0.0, 0.7])
@pytest.mark.parametrize(("rate", "stop", "seconds"), [(96_000, 20_000, 5), (192_000, 40_000, 3)])
def test_orders_of_a_known_polynomial(phase, rate, stop, seconds, noise):
    """y = x + b x^2 + c x^3: U2 = b A / 2 at -90 degrees, U3 = c A^2 / 4 at 180 degrees, over U1 = 1 + 3/4 c A^2."""
    a, b, c = 0.5, 0.01, 0.02
    sweep = Sweep(20, stop, seconds, a, phase, onset_s=0.1)
    x = played(sweep, rate)
    y = x + b * x**2 + c * x**3 + noise.normal(0, 1e-6, len(x))
    found = analyze_sweep(y, x, sweep, rate)
    first = 1 + 0.75 * c * a**2
    assert np.interp(1_000, found.frequency_hz, np.abs(found.gain)) == pytest.approx(first, rel=1e-4)
    for order, truth, angle in ((0, b * a / 2 / first, -90.0), (1, c * a**2 / 4 / first, 180.0)):
        trace = found.orders[order]
        assert trace.frequency_hz[0] < 100
        assert trace.frequency_hz[-1] > 0.3 * stop
        strong = trace.noise_ratio < truth / 100  # everywhere that is reported
        assert strong.sum() > 300
        assert np.max(np.abs(20 * np.log10(np.abs(trace.ratio[strong]) / truth))) < 0.1
        turned = np.angle(trace.ratio[strong] * np.exp(-1j * np.radians(angle)), deg=True)
        assert np.max(np.abs(turned)) < 2.0
    # there is no fourth or fifth order, and what is shown of them is called noise
    assert np.median(np.abs(found.orders[2].ratio)) < 3e-6


def test_a_linear_path_has_no_distortion():
    rate, sweep = 96_000, Sweep(20, 20_000, 3.0, 0.5, onset_s=0.1)
    x = played(sweep, rate)
    y = dsp.sosfilt(dsp.butter(2, [30, 15_000], "band", fs=rate, output="sos"), x)
    for trace in analyze_sweep(y, x, sweep, rate).orders:
        middle = (trace.frequency_hz > 100) & (trace.frequency_hz < 3_000)
        assert np.max(np.abs(trace.ratio[middle])) < 1e-7


def test_noise_sets_the_stated_uncertainty(noise):
    rate, sweep = 48_000, Sweep(20, 20_000, 2.0, 0.5, onset_s=0.1)
    x = played(sweep, rate)
    found = [analyze_sweep(x + noise.normal(0, 1e-3, len(x)), x, sweep, rate) for _ in range(8)]
    for frequency in (200, 1_000, 8_000):
        gains = [np.interp(frequency, f.frequency_hz, np.abs(f.gain)) for f in found]
        stated = np.mean([np.interp(frequency, f.frequency_hz, f.u_gain) for f in found])
        assert 0.4 < np.std(gains) / stated < 2.5


def test_a_sweep_that_stops_with_a_click_tells_less():
    rate, sweep = 96_000, Sweep(20, 20_000, 2.0, 0.5, onset_s=0.1)
    clean = deconvolve(played(sweep, rate), played(sweep, rate), sweep, rate)
    click = deconvolve(played(sweep, rate, fade_out=0), played(sweep, rate, fade_out=0), sweep, rate)
    assert clean.orders_to_hz > 40_000
    assert click.orders_to_hz < 20_500


def test_silence_is_no_response():
    sweep = Sweep(20, 20_000, 1.0, onset_s=0.1)
    with pytest.raises(NoSignal, match="silent"):
        analyze_sweep(np.zeros(48_000), played(sweep, 48_000), sweep, 48_000)


@pytest.mark.parametrize(
    ("rate", "start", "stop", "seconds", "phase"),
    [(48_000, 17.3, 19_100, 7.77, 0.0), (96_000, 10, 40_000, 3.0, 1.0), (44_100, 20, 20_000, 1.5, -2.0)],
)
def test_a_sweep_is_recognised(rate, start, stop, seconds, phase, noise):
    sweep = Sweep(start, stop, seconds, 0.4, phase, onset_s=0.25)
    stimulus = played(sweep, rate, fade_in=0.1) + noise.normal(0, 1e-7, round((0.25 + seconds + 0.6) * rate))
    found = find_sweep(stimulus, rate)
    assert found.growth_s == pytest.approx(sweep.growth_s, rel=1e-5)
    assert found.start_hz == pytest.approx(start, rel=0.03)
    assert found.stop_hz == pytest.approx(stop, rel=0.03)
    assert found.amplitude == pytest.approx(0.4, rel=0.01)
    # what counts: the two laws keep step from end to end
    t = np.linspace(0.4, seconds, 50) + 0.2
    turn = np.exp(1j * (found.phase_at(t) - sweep.phase_at(t)))
    assert np.max(np.abs(np.angle(turn))) < 0.02


def test_what_is_no_sweep_is_refused(noise):
    t = np.arange(96_000) / 48_000
    straight = np.sin(2 * np.pi * (100 * t + 2_500 * t**2))
    for x in (
        np.zeros(48_000),
        np.sin(2 * np.pi * 997 * t),
        noise.normal(0, 0.1, 96_000),
        straight,
        np.zeros(0),
        t[:100],
    ):
        with pytest.raises(InputError, match="no exponential sweep"):
            find_sweep(x, 48_000)


def test_minus_3_db_of_a_one_pole():
    """CHK: one pole at 18765 Hz is 3.000 dB down at 18720.5 Hz."""
    f = log_grid(10, 90_000)
    low, high = corners(f, 1 / np.sqrt(1 + (f / 18_765) ** 2) / np.hypot(1, 0) * np.hypot(1, 1_000 / 18_765))
    assert low is None
    assert high == pytest.approx(18_765 * np.sqrt((10**0.3) * (1 + (1_000 / 18_765) ** 2) - 1), rel=1e-4)
    low, high = corners(f, 1 / np.sqrt(1 + (20 / f) ** 2))
    assert high is None
    assert low == pytest.approx(20.05, abs=0.05)


def test_values_read_off_a_curve():
    f = np.array([100.0, 1_000.0, 10_000.0])
    m = np.array([1.0, 2.0, 1.0])
    assert value_at(f, m, np.sqrt(1e5)) == pytest.approx(np.sqrt(2))
    assert value_at(f, m, 50.0) is None
    assert ripple(f, m, 100, 10_000) == pytest.approx(2.0)
    assert ripple(f, m, 50, 10_000) is None
    assert log_slope(log_grid(10, 1e4), 1 / log_grid(10, 1e4), 500) == pytest.approx(-1.0, rel=1e-3)


def test_a_resonance_at_the_very_start_of_the_sweep():
    """No smooth stand-in fits it, but no harmonic can lie there either: the raw quotient is exact."""
    rate, sweep = 48_000, Sweep(20, 20_000, 2.0, 0.5, onset_s=0.1)
    stimulus = played(sweep, rate, tail=1.5)
    b, a = dsp.iirpeak(24, 6, rate)
    sections = dsp.tf2sos(b + 0.2 * a, a)
    found = analyze_sweep(dsp.sosfilt(sections, stimulus), stimulus, sweep, rate)
    f = found.frequency_hz
    error = found.gain * np.exp(-2j * np.pi * f * found.delay_s) / dsp.sosfreqz(sections, f, fs=rate)[1]
    start = (f >= 20) & (f <= 27)
    assert np.max(np.abs(20 * np.log10(np.abs(error[start])))) < 0.005


def test_the_curve_covers_what_was_played_and_no_more():
    for rate, start, stop in ((48_000, 20, 20_000), (96_000, 5, 40_000)):
        sweep = Sweep(start, stop, 2.0, 0.5, onset_s=0.1)
        found = analyze_sweep(played(sweep, rate), played(sweep, rate), sweep, rate)
        assert 0.7 * start < found.valid_hz[0] <= start
        assert 0.95 * stop < found.valid_hz[1] < 1.02 * stop
        assert found.frequency_hz[0] == pytest.approx(found.valid_hz[0])
        assert np.all(np.diff(found.frequency_hz) > 0)
        for trace in found.orders:
            if len(trace.frequency_hz):
                assert trace.order * trace.frequency_hz[-1] < rate / 2
                assert trace.frequency_hz[0] > start

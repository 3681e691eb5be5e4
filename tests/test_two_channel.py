"""Impedance from a recording with two channels: sweeps, noise, tones; both sides of the resistor; calibrated; faults."""

import numpy as np
import pytest

from tests.drivers import driver, expected
from utter_calm.analysis.driver.analyse import Run, analyse_free_air
from utter_calm.analysis.sense import HIGH, LOW
from utter_calm.analysis.two_channel import ratio_of
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.sensed import Sensed, add_impedance, impedance_of, ratio_in
from utter_calm.signals.sweep import Sweep

RATE, OHM = 48_000, 10.0


def played(kind, seconds, rng):
    if kind == "sweep":
        law = Sweep(5, 20_000, seconds, 0.5, onset_s=0.2)
        sound = law.samples(RATE, fade_in_s=0.1, fade_out_s=0.01)
        return np.concatenate([np.zeros(round(0.2 * RATE)), sound, np.zeros(RATE)])
    n = round((seconds + 1) * RATE)
    if kind == "noise":
        return 0.2 * rng.standard_normal(n)
    tones = np.unique(np.round(np.geomspace(10, 18_000, 90) * seconds)) / seconds
    t = np.arange(n) / RATE
    return sum(0.01 * np.sin(2 * np.pi * f * t + rng.uniform(0, 6.28)) for f in tones)


def recorded(unit, *, kind="sweep", seconds=5.0, side=LOW, snr=None, hum=0.0, gain=1.013, late=0.3, seed=1):
    """Volts of both channels; the sense channel has a gain and a delay of its own. ``unit``: Hz to ohms."""
    rng = np.random.default_rng(seed)
    x = played(kind, seconds, rng)
    size = 1 << int(np.ceil(np.log2(2 * len(x))))
    f = np.fft.rfftfreq(size, 1 / RATE)
    z, spectrum = unit(np.maximum(f, 1e-3)), np.fft.rfft(x, size)
    sensed = spectrum * OHM / (z + OHM) if side == LOW else spectrum
    both = [spectrum * z / (z + OHM), sensed * gain * np.exp(-2j * np.pi * f * late / RATE)]
    out = np.stack([np.fft.irfft(one, size)[: len(x)] for one in both], axis=1)
    if kind != "sweep":
        out = out[RATE:]  # settled
    if snr is not None:
        out = out + np.std(out[:, 0]) * 10 ** (-snr / 20) * rng.standard_normal(out.shape)
    out[:, 0] += hum * np.std(out[:, 0]) * np.sin(2 * np.pi * 50 * np.arange(len(out)) / RATE)
    return out


def impedance(samples, side=LOW, calibration=None, short=None):
    rig, out = Sensed(OHM, side, 1, 2), ResultBuilder()
    ratios = [None if x is None else ratio_in(Capture(x, RATE), rig, ResultBuilder(), "it", shorted=x is short)
              for x in (samples, calibration, short)]  # fmt: skip
    z, u = impedance_of(ratios[0], rig, ratios[1], OHM, ratios[2])
    add_impedance(out, ratios[0].frequency_hz, z, u, rig, calibrated=calibration is not None)
    return ratios[0].frequency_hz, z, u, out.build()


@pytest.mark.sampled(2)
@pytest.mark.parametrize("side", [LOW, HIGH])
@pytest.mark.parametrize(("kind", "limit"), [("sweep", 1e-4), ("noise", 2e-3), ("tones", 2e-3)])
def test_impedance_is_right_whatever_is_played_and_wherever_the_resistor_sits(kind, limit, side):
    known = recorded(lambda f: OHM + 0 * f, kind=kind, side=side, seed=2)
    f, z, _, result = impedance(recorded(driver, kind=kind, side=side), side, known)
    inside = (f > 12) & (f < 17_000)
    assert np.median(np.abs(z / driver(f) - 1)[inside]) < limit
    assert f[0] < (6 if kind == "sweep" else 15)
    assert f[-1] > 17_500
    near = 0.1 if kind == "noise" else 0.01
    assert result.reading("minimum_impedance").value == pytest.approx(np.min(np.abs(driver(f))), rel=near)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("snr", [None, 60.0])
@pytest.mark.parametrize(("first", "last"), [(0.2, 5.2), (0.2, 6.2), (0.0, 5.2)])
def test_a_sweep_without_silence_before_or_behind_is_a_sweep_all_the_same(first, last, snr):
    """Cut out of a longer recording, to the sample where it begins or ends."""
    cut = [
        recorded(u, snr=snr, seed=k)[round(first * RATE) : round(last * RATE)]
        for k, u in enumerate((driver, lambda f: OHM + 0 * f), 4)
    ]
    f, z, _, _ = impedance(cut[0], LOW, cut[1])
    inside = (f > 10) & (f < 18_000)
    assert np.median(np.abs(z / driver(f) - 1)[inside]) < 1e-3
    assert analyse_free_air(Run(f, np.abs(z), np.unwrap(np.angle(z)))).told.value("fs") == pytest.approx(40.0, rel=1e-3)


@pytest.mark.parametrize(("snr", "hum", "limits"), [
    (60.0, 0.0, {"fs": 5e-4, "qms": 4e-3, "qes": 4e-3, "re": 2e-3, "le_1k": 8e-3}),
    (40.0, 0.01, {"fs": 2e-3, "qms": 1.5e-2, "qes": 1.5e-2}),
])  # fmt: skip
def test_a_driver_out_of_a_raw_sweep(snr, hum, limits):
    f, z, _, _ = impedance(recorded(driver, snr=snr, hum=hum), LOW, recorded(lambda f: OHM + 0 * f, snr=snr, seed=3))
    told = analyse_free_air(Run(f, np.abs(z), np.unwrap(np.angle(z)))).told
    s = np.array([2e3j * np.pi])
    truth = {**expected(), "le_1k": float(((0.02 * s**0.7).imag / s.imag)[0])}
    for name, limit in limits.items():
        assert told.value(name) == pytest.approx(truth[name], rel=limit), name


def test_the_stated_uncertainty_covers_the_scatter():
    f, z, u, _ = impedance(recorded(driver, snr=50.0, gain=1.0, late=0.0))
    error = np.abs(z / driver(f) - 1)
    assert 0.75 < np.mean(error < 2.45 * u) < 1.0  # 95 % of a complex normal error lie within 2.45 of one part's


def test_a_short_takes_the_leads_off():
    leads = lambda f: 0.12 + 2j * np.pi * f * 1e-6  # noqa: E731
    known, short = (recorded(lambda f, z=z: z + leads(f), seed=k) for k, z in ((2, OHM), (3, 0.0)))
    f, z, _, _ = impedance(recorded(lambda f: driver(f) + leads(f)), LOW, known, short)
    inside = (f > 12) & (f < 17_000)
    assert np.median(np.abs(z / driver(f) - 1)[inside]) < 5e-4
    _, off, _, _ = impedance(recorded(lambda f: driver(f) + leads(f)), LOW, known)
    assert np.median(np.abs(off / driver(f) - 1)[inside]) > 5e-3


def test_uncalibrated_short_noisy_and_loud_are_said():
    codes = {t.code for t in impedance(recorded(lambda f: 0.03 + 0 * f))[3].trust}
    assert codes == {"short_circuit", "uncalibrated"}
    assert "noisy" in {t.code for t in impedance(recorded(driver, snr=8.0))[3].trust}
    out = ResultBuilder()
    ratio_in(Capture(np.clip(recorded(driver) * 3, -1, 1), RATE), Sensed(OHM, LOW, 1, 2), out, "it")
    assert "overload" in {t.code for t in out.trust}


@pytest.mark.parametrize(("broken", "words"), [
    (lambda x, _: np.stack([x[:, 0], 0 * x[:, 1]], axis=1), "silent"),
    (lambda x, e: np.stack([x[:, 0], 1e-4 * e], axis=1), "open"),
    (lambda x, e: np.stack([1e-4 * e, x[:, 1]], axis=1), "noise only"),
    (lambda x, _: np.stack([x[:, 0], 1e-6 * x[:, 1]], axis=1), "current"),
])  # fmt: skip
def test_open_leads_and_silence_are_refused(broken, words):
    x = recorded(driver)
    with pytest.raises(NoSignal, match=words):
        impedance(broken(x, np.random.default_rng(8).standard_normal(len(x))))


def test_nothing_that_was_played_is_refused():
    with pytest.raises(ValueError, match="excited"):
        ratio_of(np.ones(4_800), np.ones(4_800), RATE)


@pytest.mark.sampled(6)
@pytest.mark.parametrize("start_hz", [5.0, 10.0, 20.0])
@pytest.mark.parametrize("snr_db", [80, 60, 45, 30, 20])
def test_a_sweep_that_begins_with_the_record_is_one_in_any_noise(start_hz, snr_db):
    """By its crossings of zero it was taken for noise from 60 dB downwards, and a driver's mass came out 15 % off."""
    rate, seconds, ohm = 48_000, 4.0, 10.0
    rng = np.random.default_rng(snr_db)
    at = np.arange(int(rate * seconds)) / rate
    growth = seconds / np.log(20_000 / start_hz)
    volts = np.sin(2 * np.pi * start_hz * growth * (np.exp(at / growth) - 1))
    # a driver with a sharp resonance at 40 Hz, and the current that flows through it behind the resistor
    f = np.fft.rfftfreq(2 * len(at), 1 / rate)
    s = 1j * np.maximum(f, 1e-3) / 40.0
    impedance = 6.0 + 40.0 * (s / 6) / (s**2 + s / 6 + 1) + 2j * np.pi * f * 0.4e-3
    spectrum = np.fft.rfft(volts, 2 * len(at))
    sense = np.fft.irfft(spectrum / (impedance + ohm) * ohm)[: len(at)]
    unit = np.fft.irfft(spectrum * impedance / (impedance + ohm))[: len(at)]
    noise = 10 ** (-snr_db / 20)
    heard = [x + noise * np.std(x) * rng.standard_normal(len(x)) for x in (unit, sense)]
    ratio = ratio_of(heard[0], heard[1], rate)
    band = (ratio.frequency_hz > 2 * start_hz) & (ratio.frequency_hz < 10_000)
    s = 1j * ratio.frequency_hz / 40.0
    true = (6.0 + 40.0 * (s / 6) / (s**2 + s / 6 + 1) + 2j * np.pi * ratio.frequency_hz * 0.4e-3) / ohm
    off = np.abs(ratio.value[band] / true[band] - 1)
    assert np.median(off) < max(3e-3, 3 * noise)
    assert ratio.frequency_hz[0] < 1.5 * start_hz
    # noise itself, and steady tones, are none
    from utter_calm.analysis.two_channel import _sweeps

    assert _sweeps(np.stack(heard), rate)
    assert not _sweeps(rng.standard_normal((2, rate)), rate)
    assert not _sweeps(np.stack([np.sin(2 * np.pi * 100 * at)] * 2), rate)

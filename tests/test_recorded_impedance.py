"""Reactive sources out of recordings: complex with the drive beside, bounds from magnitudes, the magnitude from several loads."""

import json

import numpy as np
import pytest
import soundfile

from utter_calm.analysis.output_impedance import bounds_of_magnitude, from_several_loads
from utter_calm.cli import run
from utter_calm.signals.sweep import Sweep

RATE = 96_000


def source(f):
    """0.05 ohm and 5 microhenries: a resistance at 1 kHz, a reactance at 20 kHz."""
    return 0.05 + 2j * np.pi * f * 5e-6


def signal(kind):
    t = np.arange(int(2.0 * RATE)) / RATE
    if kind == "tones":
        return sum(0.08 * np.sin(2 * np.pi * f * t + f) for f in (100.0, 1_000.0, 5_000.0, 20_000.0))
    return Sweep(20.0, 30_000.0, 2.0, 0.4).samples(RATE, fade_in_s=0.05, fade_out_s=0.01)


def recorded(path, drive, load, rng, late=0):
    f = np.fft.rfftfreq(2 * len(drive), 1 / RATE)
    share = 1.0 if load is None else load / (load + source(f))
    heard = np.fft.irfft(np.fft.rfft(drive, 2 * len(drive)) * 0.9 * share)[: len(drive)]
    both = np.stack([heard, drive], axis=1) + rng.normal(0, 2e-6, (len(drive), 2))
    soundfile.write(path, np.concatenate([rng.normal(0, 2e-6, (late, 2)), both]), RATE, "DOUBLE")
    return path


def told(capsys, *arguments):
    assert run(["analyze", "output-impedance", *(str(a) for a in arguments), "--channel", "1", "--json"]) == 0
    return json.loads(capsys.readouterr().out)


def curve(found):
    """The last: that of all loads together."""
    trace = [t for t in found["traces"] if t["name"] == "output_impedance"][-1]
    return {k: np.array(trace[k]) if trace.get(k) is not None else None for k in ("x", "magnitude", "phase_rad", "uncertainty")}


@pytest.mark.parametrize("kind", ["tones", "sweep"])
def test_with_the_drive_beside_the_impedance_is_complex(tmp_path, capsys, noise, kind):
    drive = signal(kind)
    first = recorded(tmp_path / "open.wav", drive, None, noise)
    second = recorded(tmp_path / "loaded.wav", drive, 8.0, noise, late=777)
    found = curve(told(capsys, first, second, "--load", "8", "--drive-channel", "2"))
    inside = (found["x"] > 90) & (found["x"] < 21_000)
    truth = source(found["x"])
    value = found["magnitude"] * np.exp(1j * found["phase_rad"])
    slack = found["uncertainty"] + (0 if kind == "tones" else 0.03 * np.abs(truth))
    assert np.all(np.abs(value - truth)[inside] < slack[inside])
    assert np.median(found["uncertainty"][inside]) < 5e-3


@pytest.mark.parametrize("kind", ["tones", "sweep"])
def test_magnitudes_give_bounds_that_hold(tmp_path, capsys, noise, kind):
    drive = signal(kind)
    first = recorded(tmp_path / "open.wav", drive, None, noise)
    second = recorded(tmp_path / "loaded.wav", drive, 8.0, noise, late=777)
    result = told(capsys, first, second, "--load", "8")
    found = curve(result)
    assert found["phase_rad"] is None
    inside = (found["x"] > 90) & (found["x"] < 21_000)
    truth = np.abs(source(found["x"]))
    assert np.all(np.abs(found["magnitude"] - truth)[inside] <= found["uncertainty"][inside])
    readings = {r["name"]: r["value"] for r in result["readings"]}
    assert readings["output_impedance_least"] <= abs(source(1e3)) <= readings["output_impedance_most"]
    assert "magnitude_only" in {t["code"] for t in result["trust"]}


def test_three_loads_tell_the_magnitude(tmp_path, capsys, noise):
    drive = signal("tones")
    first = recorded(tmp_path / "open.wav", drive, None, noise)
    others = [recorded(tmp_path / f"{ohm}.wav", drive, ohm, noise, late=300 * k) for k, ohm in enumerate((8.0, 2.0, 1.0))]
    found = curve(told(capsys, first, *others, "--load", "8", "--load", "2", "--load", "1"))
    truth = np.abs(source(found["x"]))
    # where a recording begins is known to some samples, which a tone of two seconds shows by parts per million of its level
    assert np.all(np.abs(found["magnitude"] - truth) < found["uncertainty"] + 2e-4)
    assert found["uncertainty"][-1] < 0.05 * truth[-1]


def test_the_closed_forms():
    """Z = 3 + 4j ohm under 5 and 10 ohm; a resistance and a reactance lie on the bounds."""
    z, loads = 3 + 4j, np.array([5.0, 10.0])
    ratio = np.abs(1 + z / loads)[:, None]
    magnitude, _, real = from_several_loads(ratio, np.full((2, 1), 1e-4), loads)
    assert magnitude == pytest.approx([5.0])
    assert real == pytest.approx([3.0])
    least, most = bounds_of_magnitude(np.abs(1 + np.array([0.3, 0.7j]) / 8.0), 8.0)
    assert (least[0], most[1]) == pytest.approx((0.3, 0.7))


def test_the_spread_of_several_loads_is_what_is_stated():
    rng, z, loads = np.random.default_rng(6), 0.05 + 0.6j, np.array([8.0, 2.0])
    true = np.abs(1 + z / loads)[:, None]
    noisy = true * (1 + rng.normal(0, 1e-4, (2, 400)))
    magnitude, u, _ = from_several_loads(noisy, np.full((2, 400), 1e-4), loads)
    assert 0.8 < np.std(magnitude) / np.median(u) < 1.25

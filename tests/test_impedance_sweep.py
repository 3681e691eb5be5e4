"""The impedance step: resistor on either side or behind a known source, averages, a second pass, its pictures."""

from dataclasses import replace

import numpy as np
import pytest

from tests.test_driver_rig import impedance_of_model
from utter_calm.demo.drivers import calibrated_rig
from utter_calm.errors import NoSignal
from utter_calm.job.facts import Facts, Shown
from utter_calm.measure.calibrate_impedance import calibrate
from utter_calm.measure.impedance_sweep import ImpedanceSweep, ImpedanceSweepSettings
from utter_calm.measure.result import Result, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.present.palette import LIGHT
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.cursor import peaks_of, value_at
from utter_calm.present.picture.draw import draw
from utter_calm.present.picture.drawing import Path
from utter_calm.rig import SimulatedDevice, impedance_rig
from utter_calm.standins import driver as made

SETTINGS = ImpedanceSweepSettings(start_hz=2.0, stop_hz=40_000.0, duration_s=2.0)
QUICK = ImpedanceSweepSettings(duration_s=2.0)


def calibrated(side):
    rig = impedance_rig(side=side)
    device = SimulatedDevice(rig)
    device.set("unit", "bare leads")
    known = calibrate(device, rig, SETTINGS, 100.0, 1e-4, lambda c: device.set("clip", c.position))
    return replace(rig, impedance=known)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("side", ["low", "high", "source"])
def test_wherever_the_resistor_sits(side, monkeypatch):
    from utter_calm.standins import part_box

    monkeypatch.setitem(part_box._CLIPPED, "known resistor", (100.0, 0.0))
    rig = calibrated(side)
    assert rig.sense_side == side
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    capture, result = take_step(ImpedanceSweep(), QUICK, device, rig, load_ohm=None)
    assert capture.count == (1 if side == "source" else 2)
    trace = result.trace("impedance")
    inside = (trace.x > 10) & (trace.x < 20_000)
    z = trace.magnitude * np.exp(1j * trace.phase_rad)
    assert np.max(np.abs(z / impedance_of_model(made.SURROUND, trace.x) - 1)[inside]) < 4e-3
    assert not result.trust
    told = {r.name: r.value for r in result.readings}
    assert 0 < told["power"] <= told["level"] * told["current"]
    assert told["current"] == pytest.approx(0.0133, rel=0.1)


def test_a_rig_that_tells_no_impedance_says_so():
    rig = impedance_rig(side="source")
    rig = replace(rig, parts=())
    assert not rig.senses_impedance
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    with pytest.raises(NoSignal, match="current"):
        take_step(ImpedanceSweep(), QUICK, device, rig, load_ohm=None)


def noisy(monkeypatch, volts):
    """Noise on both inputs."""
    from utter_calm.standins.sensing import Sensing

    rng, plain = np.random.default_rng(5), Sensing.process
    monkeypatch.setattr(Sensing, "process", lambda self, v: plain(self, v) + volts * rng.standard_normal(v.shape))


@pytest.mark.long
def test_averages_lower_the_scatter_by_their_root(monkeypatch):
    noisy(monkeypatch, 2e-3)
    spread = {}
    for count in (1, 9):
        rig = impedance_rig()
        device = SimulatedDevice(rig)
        device.set("unit", "surround driver")
        settings = replace(QUICK, averages=count, closer="no", duration_s=1.0)
        capture, result = take_step(ImpedanceSweep(), settings, device, rig, load_ohm=None)
        assert len(capture.parts) == count
        trace = result.trace("impedance")
        inside = (trace.x > 200) & (trace.x < 5_000)
        z = (trace.magnitude * np.exp(1j * trace.phase_rad))[inside]
        true = impedance_of_model(made.SURROUND, trace.x)[inside] + 0.045
        error = z / true
        spread[count] = float(np.std(error - np.mean(error)))
        assert "9 times" in ImpedanceSweep().signal(settings) or count == 1
    assert spread[9] == pytest.approx(spread[1] / 3, rel=0.35)


@pytest.mark.long
def test_a_peak_that_scatters_is_swept_once_more(monkeypatch):
    noisy(monkeypatch, 3e-3)
    spread = {}
    for closer in ("no", "yes"):
        rig = impedance_rig()
        device = SimulatedDevice(rig)
        device.set("unit", "surround driver")
        capture, result = take_step(ImpedanceSweep(), replace(QUICK, closer=closer), device, rig, load_ohm=None)
        assert len(capture.parts) == (2 if closer == "yes" else 1)
        trace = result.trace("impedance")
        near = (trace.x > 40) & (trace.x < 56)
        z = (trace.magnitude * np.exp(1j * trace.phase_rad))[near]
        error = z / (impedance_of_model(made.SURROUND, trace.x[near]) + 0.045)
        spread[closer] = float(np.sqrt(np.mean(np.abs(error - np.mean(error)) ** 2)))
        assert (np.diff(trace.x) > 0).all()
    assert spread["yes"] < 0.6 * spread["no"]
    rig = impedance_rig()
    device = SimulatedDevice(rig)
    monkeypatch.undo()
    device.set("unit", "surround driver")
    assert len(take_step(ImpedanceSweep(), QUICK, device, rig, load_ohm=None)[0].parts) == 1  # clean and wide: once is enough


def shown():
    f = np.geomspace(5, 20_000, 400)
    z = impedance_of_model(made.SURROUND, f)
    return Shown(Result(traces=(Trace("impedance", 1, f, "Hz", np.abs(z), "ohm", np.angle(z)),)), Facts("impedance_sweep")), f, z


def test_resistance_and_reactance_and_the_loop():
    one, f, z = shown()
    parts = plot_view([one], "parts")
    assert [c.label for c in parts.curves] == ["resistance", "reactance"]
    np.testing.assert_allclose(parts.curves[0].y, z.real)
    np.testing.assert_allclose(parts.curves[1].y, z.imag)
    assert parts.x.log
    loop = plot_view([one], "nyquist")
    np.testing.assert_allclose(loop.curves[0].x, z.real)
    np.testing.assert_allclose(loop.curves[0].y, z.imag)
    assert (loop.x.label, loop.y.label) == ("resistance in Ω", "reactance in Ω")
    assert "50 Hz" in {p.label for p in loop.points}
    # nothing is read off a loop at one x
    assert value_at(loop.curves[0], 10.0, log=False) is None
    assert peaks_of(loop.curves[0], 0, 100) == []
    two = plot_view([one, one], "nyquist")
    assert len(two.curves) == 2
    bare = Shown(Result(traces=(Trace("impedance", 1, f, "Hz", np.abs(z), "ohm"),)), Facts("impedance_sweep"))
    assert "phase" in plot_view([bare], "nyquist").empty


def test_tone_by_tone_tells_the_same():
    rig = calibrated_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    settings = replace(QUICK, played="steps", per_octave=6, start_hz=10.0)
    capture, result = take_step(ImpedanceSweep(), settings, device, rig, load_ohm=None)
    assert "tones 10 Hz" in ImpedanceSweep().signal(settings)
    trace = result.trace("impedance")
    assert len(trace.x) == round(6 * np.log2(2200)) + 1
    z = trace.magnitude * np.exp(1j * trace.phase_rad)
    assert np.max(np.abs(z / impedance_of_model(made.SURROUND, trace.x) - 1)) < 3e-3
    assert not result.trust
    assert result.reading("fs", 0).value == pytest.approx(47.5, rel=0.02)
    assert capture.duration_s < 20


def test_the_uncertainty_is_drawn_about_the_curve():
    one, f, z = shown()
    spread = Trace("impedance", 1, f, "Hz", np.abs(z), "ohm", np.angle(z), uncertainty=0.1 * np.abs(z))
    view = plot_view([replace(one, result=Result(traces=(spread,)))], "impedance")
    low, high = view.curves[0].band
    np.testing.assert_allclose(high - low, np.log10(1.1 / 0.9))
    drawing, _ = draw(view, 800, 500, LIGHT)
    shades = [i for i in drawing.over if isinstance(i, Path) and i.fill]
    assert len(shades) == 1
    assert len(shades[0].points) % 2 == 0


@pytest.mark.parametrize(("told_as", "name", "wanted"), [("current", "current", 2e-3), ("unit", "level", 0.05)])
def test_the_level_as_the_unit_feels_it(told_as, name, wanted):
    """Most is taken where the impedance is least, or most: the mean over the sweep is below what was asked, never above."""
    rig = impedance_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    settings = replace(QUICK, told_as=told_as, level_v=0.05, level_a=2e-3)
    capture, result = take_step(ImpedanceSweep(), settings, device, rig, load_ohm=None)
    assert 0.3 * wanted < result.reading(name, 0).value <= 1.01 * wanted
    role = "current" if told_as == "current" else "voltage"
    most = np.max(np.abs(capture.part(capture.parts[1]).signal(role))) / np.sqrt(2)
    assert most == pytest.approx(wanted, rel=0.05)
    trace = result.trace("impedance")
    inside = (trace.x > 10) & (trace.x < 20_000)
    assert np.max(np.abs(trace.magnitude / np.abs(impedance_of_model(made.SURROUND, trace.x)) - 1)[inside]) < 2e-2


def test_more_than_the_ceiling_is_refused_in_words():
    rig = impedance_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    with pytest.raises(NoSignal, match="more than the ceiling"):
        take_step(ImpedanceSweep(), replace(QUICK, told_as="current", level_a=2.0), device, rig, load_ohm=None)

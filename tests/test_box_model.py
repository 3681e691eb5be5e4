"""Boxes that need not be built: check values in closed form, an independent circuit, limits, laws, the command."""

import json
import math

import numpy as np
import pytest

from utter_calm.analysis.box.coil import coil_chain
from utter_calm.analysis.box.figures import figures_of, volume_for
from utter_calm.analysis.box.high_pass import HighPass
from utter_calm.analysis.box.limits import EXCURSION, PORT, POWER, WHAT, Ratings, highest
from utter_calm.analysis.box.model import BoxDriver, Enclosure, Radiator
from utter_calm.analysis.box.port import ENDS, port_for
from utter_calm.analysis.box.predict import Drive, group_delay, predict

RHO, C = 1.2041, 343.2
WS = 2 * math.pi * 40
DRIVER = BoxDriver(6.0, math.sqrt(WS * 0.025 * 6 / 0.45), 0.025, 1 / (WS**2 * 0.025), WS * 0.025 / 5, 0.0133)
COILED = BoxDriver(6.0, DRIVER.bl, 0.025, DRIVER.cms, DRIVER.rms, 0.0133, le=0.7e-3)
HOLE = math.pi * 0.025**2
F = np.geomspace(10, 2000, 300)


def ladder(driver, box, f, volts=2.83, source=0.0):
    """The equivalent circuit at the terminals by nodal analysis: 0 source, 1 behind the coil, 2 and 3 inside the box's branch."""
    square, sd = driver.bl**2, driver.sd
    w_box = 2 * math.pi * box.resonance_hz(driver)
    cab = box.volume_m3 / (RHO * C**2)
    out = np.zeros((3, len(f)), complex)
    for k, s in enumerate(2j * np.pi * f):
        coil = 1 / (driver.re + source + s * driver.le)
        motion = s * driver.mms / square + 1 / (s * driver.cms * square) + driver.rms / square
        spring = 1 / (s * square * cab / sd**2)  # the box's air, an inductance here
        mass = 1e12 if box.tuned_hz is None else s * sd**2 / (square * w_box**2 * cab)
        leak = 1e12 if box.leak_q is None else box.leak_q / (w_box * cab) * sd**2 / square
        y = np.array([
            [coil + motion + spring, -spring, 0],
            [-spring, spring + mass, -mass],
            [0, -mass, mass + leak],
        ])  # fmt: skip
        v = np.linalg.solve(y, np.array([coil * volts, 0, 0]))
        compressed = sd / driver.bl * (v[0] - v[1])
        out[:, k] = RHO * s * compressed / (2 * math.pi), v[0] / (driver.bl * s), volts / (coil * (volts - v[0])) - source
    return out


@pytest.mark.parametrize("driver", [DRIVER, COILED])
@pytest.mark.parametrize(
    "box", [Enclosure(0.01), Enclosure(0.02, 38.0), Enclosure(0.02, 38.0, leak_q=7), Enclosure(0.05, 25.0, leak_q=3)]
)
def test_the_prediction_is_that_of_the_circuit(driver, box):
    found = predict(driver, box, F, Drive(2.83, source_ohm=0.3))
    pressure, excursion, impedance = ladder(driver, box, F, source=0.3)
    np.testing.assert_allclose(found.pressure_pa, pressure, rtol=1e-8)
    np.testing.assert_allclose(found.excursion_m, excursion, rtol=1e-8)
    np.testing.assert_allclose(found.impedance_ohm, impedance, rtol=1e-8)


def test_closed_box_in_closed_form():
    found = figures_of(DRIVER, Enclosure(0.01))
    assert found.resonance_hz == pytest.approx(64.358, abs=5e-4)
    assert found.q == pytest.approx(0.66424, abs=5e-6)
    assert found.corner_hz == pytest.approx(68.777, abs=5e-4)
    assert found.peak == 1.0
    assert volume_for(DRIVER, math.sqrt(0.5)) == pytest.approx(8.2166e-3, rel=1e-4)
    round_one = Enclosure(volume_for(DRIVER, 1.0))
    assert 20 * math.log10(figures_of(DRIVER, round_one).peak) == pytest.approx(1.249, abs=1e-3)
    x = predict(DRIVER, Enclosure(0.01), np.array([30.0])).excursion_m
    assert abs(x[0]) == pytest.approx(1.00459e-3, rel=1e-5)
    with pytest.raises(ValueError, match="only raises"):
        volume_for(DRIVER, 0.4)


def test_vented_box_in_closed_form():
    box = Enclosure(0.02, 38.0, leak_q=7, port_area_m2=HOLE)
    assert figures_of(DRIVER, box).corner_hz == pytest.approx(35.88, abs=5e-3)
    found = predict(DRIVER, box, np.array([38.0, 34.5]))
    assert np.abs(found.port_velocity_m_s) == pytest.approx([3.94, 4.15], abs=5e-3)
    # the fourth-order polynomial with leaks (Small 1973)
    h, q, qts, alpha = 38 / DRIVER.fs, 7.0, DRIVER.qts, DRIVER.vas / 0.02
    a1, a3 = (q + h * qts) / (math.sqrt(h) * q * qts), (h * q + qts) / (math.sqrt(h) * q * qts)
    a2 = (h + (alpha + 1 + h * h) * q * qts) / (h * q * qts)
    assert (a1, a2, a3) == pytest.approx((2.6244, 3.1848, 2.5075), abs=5e-5)
    p = 2j * np.pi * F / (2 * np.pi * math.sqrt(DRIVER.fs * 38))
    level = predict(DRIVER, box, F, Drive(1.0)).pressure_pa / DRIVER.reference(1.0, 1.0)
    np.testing.assert_allclose(level, p**4 / (p**4 + a1 * p**3 + a2 * p**2 + a3 * p + 1), rtol=1e-9)
    deep = np.geomspace(30, 45, 2000)
    x = np.abs(predict(DRIVER, box, deep).excursion_m)
    assert deep[np.argmin(x)] == pytest.approx(38.26, abs=0.03)


def test_group_delay_is_the_slope_of_the_phase():
    box = Enclosure(0.02, 38.0, leak_q=7)
    f = np.geomspace(10, 300, 20_000)
    found = predict(DRIVER, box, f)
    delay = group_delay(DRIVER, box, f)
    slope = -np.gradient(np.unwrap(np.angle(found.pressure_pa)), 2 * np.pi * f)
    np.testing.assert_allclose(delay[5:-5], slope[5:-5], rtol=1e-4)


def test_losses_lower_what_a_box_gives_and_a_stiff_radiator_is_a_port():
    at = np.array([38.0])
    plain = abs(predict(DRIVER, Enclosure(0.02, 38.0), at).pressure_pa[0])
    for lossy in (Enclosure(0.02, 38.0, absorption_q=20), Enclosure(0.02, 38.0, port_q=20), Enclosure(0.02, 38.0, leak_q=20)):
        assert abs(predict(DRIVER, lossy, at).pressure_pa[0]) < 0.99 * plain
    soft = Enclosure(0.02, 38.0, radiator=Radiator(0.02, 10.0, q=1e6))  # so soft that its air alone tunes it
    np.testing.assert_allclose(
        predict(DRIVER, soft, F).pressure_pa, predict(DRIVER, Enclosure(0.02, 38.0), F).pressure_pa, rtol=1e-3
    )
    # a passive radiator lets nothing through where it resonates by itself, below its tuning with the box
    held = Enclosure(0.02, 38.0, radiator=Radiator(0.02, 0.5e-3, q=1e4))
    own = 38 * math.sqrt(1 / (1 + (0.5e-3 * 0.02**2) / (0.02 / (RHO * C**2))))
    low = np.geomspace(10, 36, 4000)
    assert low[np.argmin(np.abs(predict(DRIVER, held, low).pressure_pa) / low**4)] == pytest.approx(own, rel=2e-3)


def test_port_lengths():
    for ends, length in (("one flanged", 0.16697), ("both flanged", 0.16176), ("both free", 0.17218)):
        assert port_for(0.02, 38, HOLE, ends=ends).length_m == pytest.approx(length, abs=6e-6)
    assert set(ENDS) == {"one flanged", "both flanged", "both free"}
    two, one = port_for(0.02, 38, HOLE, number=2), port_for(0.01, 38, HOLE)
    assert two == one  # half the box each
    with pytest.raises(ValueError, match="lower"):
        port_for(0.02, 200, HOLE)


def test_a_high_pass_is_of_its_order():
    for order in (1, 2, 3, 4):
        h = HighPass(30.0, order).gain(2j * np.pi * np.array([3.0, 30.0, 3000.0]))
        assert np.abs(h[1]) == pytest.approx(math.sqrt(0.5), rel=1e-9)
        assert np.abs(h[0]) == pytest.approx(1 / math.sqrt(1 + 10 ** (2 * order)), rel=1e-9)
        assert h[2] == pytest.approx(1, abs=0.03)
    box = Enclosure(0.02, 38.0, leak_q=7)
    plain, cut = (np.abs(predict(DRIVER, box, np.array([15.0]), Drive(high_pass=h)).excursion_m) for h in (None, HighPass(30, 4)))
    assert cut < 0.1 * plain


def test_what_limits_the_level_and_that_nothing_is_exceeded():
    box, drive = Enclosure(0.02, 38.0, leak_q=7, port_area_m2=HOLE), Drive(2.83, high_pass=HighPass(25, 2))
    seen = predict(DRIVER, box, F, drive)
    ratings = Ratings(5e-3, 10.0, 60.0)
    most = highest(DRIVER, seen, drive, ratings)
    assert {WHAT[k] for k in most.limited_by} == {EXCURSION, PORT, POWER}
    for k in range(0, len(F), 17):
        loud = Drive(float(most.volts[k]), high_pass=drive.high_pass)
        there = predict(DRIVER, box, F[k : k + 1], loud)
        at_driver = abs(loud.high_pass.gain(np.array([2j * np.pi * F[k]]))[0]) * loud.volts
        used = (
            math.sqrt(2) * abs(there.excursion_m[0]) / 5e-3, math.sqrt(2) * abs(there.port_velocity_m_s[0]) / 10,
            at_driver / math.sqrt(60 * 6),
        )  # fmt: skip
        assert max(used) == pytest.approx(1, rel=1e-9)
        assert int(np.argmax(used)) == most.limited_by[k]
        assert abs(there.pressure_pa[0]) == pytest.approx(most.pressure_pa[k], rel=1e-9)
    # far below the resonance the cone's volume alone tells the level: 108.55 + 20 lg(f^2 Sd x)
    level = 20 * math.log10(most.pressure_pa[0] / 2e-5)
    closed = highest(DRIVER, predict(DRIVER, Enclosure(0.01), np.array([30.0])), Drive(), Ratings(5e-3, None, None))
    assert 20 * math.log10(closed.pressure_pa[0] / 2e-5) == pytest.approx(108.55 + 20 * math.log10(900 * 0.0133 * 5e-3), abs=0.01)
    assert level < 80
    assert (highest(DRIVER, seen, drive, Ratings(None, None, None)).limited_by == -1).all()


def test_a_chain_of_inductances_follows_semi_inductance():
    f = np.geomspace(400, 20_000, 100)
    s = 2j * np.pi * f
    for coil in (0.02 * s**0.7, s * 0.2e-3 + s * 0.4e-3 * 6 / (6 + s * 0.4e-3), s * 1e-3):
        chain = coil_chain(f, coil)
        assert np.max(np.abs(chain(s) / coil - 1)) < 0.01
        assert (chain(2j * np.pi * np.geomspace(1, 1e6, 50)).real >= 0).all()


@pytest.fixture
def parameters(tmp_path):
    path = tmp_path / "driver.json"
    plain = {"re": 6.0, "bl": DRIVER.bl, "mms": 0.025, "cms": DRIVER.cms, "rms": DRIVER.rms, "sd": 0.0133}
    path.write_text(json.dumps(plain))
    return path, plain


def told(out):
    found = json.loads(out)
    return {r["name"]: r for r in found["readings"]}, {t["name"]: t for t in found["traces"]}


def test_the_command(call, parameters):
    path, plain = parameters
    status, out, err = call("box", str(path), "--vented", "20l,38Hz", "--leak-q", "7", "--port-diameter", "50mm", "--json")
    assert (status, err) == (0, "")
    readings, traces = told(out)
    assert readings["fb"]["value"] == 38
    assert readings["f3"]["value"] == pytest.approx(35.88, abs=5e-3)
    assert set(traces) == {"response", "excursion", "port_velocity", "impedance", "group_delay"}
    units = {name: t["y_unit"] for name, t in traces.items()}
    assert units == {"response": "Pa", "excursion": "m", "port_velocity": "m/s", "impedance": "ohm", "group_delay": "s"}
    x = traces["response"]["x"]
    assert (x[0], x[-1]) == pytest.approx((10, 2000))
    assert len(x) > 96 * math.log2(200)
    assert "phase_rad" not in traces["group_delay"]
    readings, traces = told(call("box", str(path), "--closed", "10l", "--volts", "1", "--distance", "2m", "--json")[1])
    assert readings["qtc"]["value"] == pytest.approx(0.66424, abs=5e-6)
    assert "port_velocity" not in traces
    assert traces["response"]["magnitude"][-1] == pytest.approx(DRIVER.reference(1.0, 2.0), rel=5e-3)
    # a document of readings, as “driver --json” writes it
    path.write_text(json.dumps({"readings": [{"name": k, "value": v, "unit": ""} for k, v in plain.items()], "traces": []}))
    assert told(call("box", str(path), "--closed", "10l", "--json")[1])[0]["fc"]["value"] == pytest.approx(64.358, abs=5e-4)


@pytest.mark.parametrize(
    ("change", "options", "says"),
    [
        ({"bl": None}, ["--closed", "10l"], "has no bl"),
        ({"mms": -0.025}, ["--closed", "10l"], "mms in driver.json is -0.025"),
        ({"sd": "133"}, ["--closed", "10l"], "sd in driver.json"),
        ({"re": True}, ["--closed", "10l"], "re in driver.json"),
        ({}, [], "no box"),
        ({}, ["--closed", "10l", "--vented", "10l,30Hz"], "two boxes"),
        ({}, ["--vented", "10l"], "40l,38Hz"),
        ({}, ["--vented", "10l,0Hz"], "--vented is 0Hz"),
        ({}, ["--closed", "10l", "--leak-q", "0"], "--leak-q"),
        ({}, ["--closed", "10l", "--port-diameter", "5cm"], "no port"),
        ({}, ["--closed", "10g"], "unit that does not fit"),
    ],
)
def test_what_the_command_refuses(call, parameters, change, options, says):
    path, plain = parameters
    path.write_text(json.dumps({k: v for k, v in {**plain, **change}.items() if v is not None}))
    status, out, err = call("box", str(path), *options)
    assert (status, out) == (2, "")
    assert says in err


def test_a_file_that_is_none(call, parameters):
    path, _ = parameters
    for text in ("[1, 2]", "{", "", '{"re": 1e400}', "[" * 100_000):
        path.write_text(text)
        status, _, err = call("box", str(path), "--closed", "10l")
        assert status == 2
        assert err.count("\n") == 1

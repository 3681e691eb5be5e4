"""The commands driver, boxed, part and analyze impedance: what they print, refuse and write."""

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from tests.drivers import FREQUENCY, TRUTH, driver, expected, noisy, vented, wave, write_curve
from tests.test_two_channel import RATE, recorded

DIAMETER = f"{2e3 * np.sqrt(TRUTH['sd'] / np.pi):.7g}mm"


@pytest.fixture
def curves(tmp_path):
    made = {
        "free": driver(), "mass": driver(mass=0.0125, softer=0.97), "light": driver(mass=0.001),
        "box": driver(box=0.010, air=0.9e-3),
        "large": driver(box=0.200), "vented": vented(), "wave": driver() + wave(FREQUENCY, 700, 8, 0.4),
        "resistor": 8.2 + 0 * FREQUENCY, "cap": 1 / (2e-5j * np.pi * FREQUENCY) + 0.05,
    }  # fmt: skip
    return {name: str(write_curve(tmp_path / f"{name}.zma", FREQUENCY, z)) for name, z in made.items()}


def told(call, *arguments):
    status, out, err = call(*arguments, "--json")
    assert not err
    result = json.loads(out)
    return status, {r["name"]: r for r in result["readings"]}, [t["code"] for t in result["trust"]]


def test_four_ways_and_all_of_them(call, curves):
    decibels = f"{20 * np.log10(expected()['sensitivity_2v83'] / 2e-5):.6f}dB"
    ways = {
        "mass": ("--added-mass", "12.5g", curves["mass"]), "box": ("--box", "10l", curves["box"]),
        "moving_mass": ("--moving-mass", "25g"), "sensitivity": ("--sensitivity", decibels),
    }  # fmt: skip
    for way in ways.values():
        status, readings, _ = told(call, "driver", curves["free"], *way, "--diameter", DIAMETER)
        assert status == 0
        for name in ("re", "fs", "qms", "qes", "qts", "res", "mms", "mmd", "cms", "rms", "bl", "vas", "sd", "eta0",
                     "sensitivity_2v83", "sensitivity_1w"):  # fmt: skip
            assert readings[name]["value"] == pytest.approx(expected()[name], rel=2e-3), name
            assert readings[name]["uncertainty"] is not None
    _, readings, _ = told(call, "driver", curves["free"], *(part for way in ways.values() for part in way), "--area", "133cm2")
    for name in ("mms", "bl", "vas"):
        for way in ways:
            own = readings[f"{name}_from_{way}"]
            assert abs(own["value"] - expected()[name]) < max(own["uncertainty"], 2e-3 * expected()[name])
    assert readings["shift_from_mass"]["value"] < -0.15
    assert readings["fc"]["value"] == pytest.approx(readings["fs"]["value"] * (1 + readings["shift_from_box"]["value"]), rel=1e-9)


def test_free_air_alone_needs_no_diameter(call, curves):
    _, readings, codes = told(call, "driver", curves["free"])
    assert "mms" not in readings
    assert codes == []
    status, out, _ = call("driver", curves["free"])
    assert status == 0
    assert "resonance fs" in out


def test_units_of_every_kind_are_understood(call, curves):
    across = float(DIAMETER[:-2])
    forms = (
        ("12.5g", DIAMETER),
        ("0.4409245oz", f"{across / 25.4}in"),
        ("12 g + 0.5 g", f"{across / 10}cm"),
        ("0.0125", f"{across / 1e3}"),
    )
    found = (told(call, "driver", curves["free"], "--added-mass", m, curves["mass"], "--diameter", d)[1] for m, d in forms)
    assert [readings["vas"]["value"] for readings in found] == pytest.approx([expected()["vas"]] * 4, rel=2e-3)


def test_a_stated_uncertainty_reaches_what_follows(call, curves):
    _, exact, _ = told(call, "driver", curves["free"], "--added-mass", "12.5g", curves["mass"], "--diameter", DIAMETER)
    _, stated, _ = told(call, "driver", curves["free"], "--added-mass", "12.5 g ± 2 %", curves["mass"], "--diameter", DIAMETER)
    assert exact["mms"]["uncertainty"] < 1e-4 * exact["mms"]["value"]
    assert stated["mms"]["uncertainty"] == pytest.approx(0.02 * stated["mms"]["value"], rel=0.02)
    assert stated["bl"]["uncertainty"] == pytest.approx(0.01 * stated["bl"]["value"], rel=0.02)


def test_doubts_are_told(call, curves, tmp_path, noise):
    area = ("--diameter", DIAMETER)
    assert "shift_small" in told(call, "driver", curves["free"], "--added-mass", "1g", curves["light"], *area)[2]
    assert "shift_small" in told(call, "driver", curves["free"], "--box", "200l", curves["large"], *area)[2]
    assert "compliance_moved" in told(call, "driver", curves["free"], "--added-mass", "12.5g", curves["mass"], *area)[2]
    _, readings, codes = told(call, "driver", curves["wave"])
    assert "parasitic_resonance" in codes
    assert readings["parasitic_frequency_1"]["value"] == pytest.approx(690, rel=0.03)
    assert readings["qms"]["value"] == pytest.approx(5.0, rel=5e-3)
    _, readings, codes = told(call, "driver", curves["free"], "--added-mass", "12.5kg", curves["mass"], *area)
    assert "implausible_mms" in codes
    bare = str(write_curve(tmp_path / "bare.txt", FREQUENCY, noisy(driver(), 1e-4, noise), phase=False))
    _, readings, codes = told(call, "driver", bare)
    assert "no_phase" in codes
    assert readings["fs"]["value"] == pytest.approx(40, rel=1e-3)
    coarse = str(write_curve(tmp_path / "coarse.txt", FREQUENCY[::20], driver()[::20]))
    assert "few_points" in told(call, "driver", coarse)[2]
    assert "dc_differs" in told(call, "driver", curves["free"], "--dc-resistance", "6.600")[2]
    assert "dc_differs" not in told(call, "driver", curves["free"], "--dc-resistance", "6.01")[2]


@pytest.mark.parametrize(("arguments", "words"), [
    (("driver", "{resistor}"), "8.2 ohm"), (("driver", "{cap}"), "falls from"),
    (("driver", "{free}", "--added-mass", "12.5g", "{mass}"), "--diameter"),
    (("driver", "{mass}", "--added-mass", "12.5g", "{free}", "--diameter", "130mm"), "raised the resonance"),
    (("driver", "{box}", "--box", "10l", "{free}", "--diameter", "130mm"), "lowered the resonance"),
    (("driver", "{free}", "--added-mass", "12.5g", "{resistor}", "--diameter", "130mm"), "does not go with"),
    (("driver", "{free}", "--added-mass", "-1g", "{mass}", "--diameter", "130mm"), "added mass is"),
    (("driver", "{free}", "--added-mass", "5 V", "{mass}", "--diameter", "130mm"), "unit that does not fit"),
    (("driver", "nowhere.zma"), "There is no"), (("boxed", "{resistor}"), "resistance"),
    (("boxed", "{free}", "--vented"), "one peak"),
    (("part", "{cap}", "--marked", "10"), "no unit"), (("part", "{cap}", "--at", "0"), "0 Hz"),
])  # fmt: skip
def test_what_cannot_be_is_refused_in_a_line(call, curves, arguments, words):
    status, out, err = call(*(a.format(**curves) for a in arguments))
    assert status == 2
    assert not out
    assert words in err
    assert err.count("\n") == 1


def test_too_few_rows_and_broken_rows_are_named(call, curves, tmp_path):
    lines = Path(curves["free"]).read_text().splitlines()
    for name, body, words in (("few", lines[:4], "3 points"), ("word", [*lines[:50], "forty 3 2", *lines[50:]], "line 51")):
        path = tmp_path / f"{name}.zma"
        path.write_text("\n".join(body))
        status, _, err = call("driver", str(path))
        assert status == 2
        assert words in err


def test_boxes_are_told_apart_by_themselves(call, curves):
    _, readings, _ = told(call, "boxed", curves["vented"])
    assert readings["fb"]["value"] == pytest.approx(38.0, rel=1e-3)
    assert readings["ql"]["value"] == pytest.approx(7.0, rel=1e-2)
    assert readings["f_low"]["value"] < readings["f_min"]["value"] < readings["f_high"]["value"]
    assert "fc" not in readings
    _, readings, _ = told(call, "boxed", curves["box"], "--free", curves["free"])
    assert readings["fc"]["value"] == pytest.approx(64.3, rel=0.03)
    assert readings["qtc"]["value"] == pytest.approx(expected()["qts"] * readings["fc"]["value"] / 40, rel=0.05)
    assert "fb" not in readings


def test_a_part_against_its_mark(call, curves):
    status, readings, _ = told(call, "part", curves["cap"], "--marked", "10uF 5%")
    assert status == 0
    assert readings["deviation"]["value"] == pytest.approx(0, abs=1e-4)
    status, readings, _ = told(call, "part", curves["cap"], "--marked", "12uF 5%", "--at", "120Hz")
    assert status == 1
    assert readings["capacitance"]["value"] == pytest.approx(1e-5, rel=1e-4)
    assert readings["dissipation"]["value"] == pytest.approx(0.05 * 2 * np.pi * 120 * 1e-5, rel=1e-3)
    status, _, codes = told(call, "part", curves["resistor"], "--marked", "10uF 5%")
    assert status == 1
    assert "not_as_marked" in codes
    assert told(call, "part", curves["resistor"], "--kind", "resistor")[1]["resistance"]["value"] == pytest.approx(8.2)


def test_from_a_recording_to_a_driver(call, tmp_path):
    files = {}
    for name, samples in (("it", recorded(driver)), ("known", recorded(lambda f: 10 + 0 * f))):
        files[name] = str(tmp_path / f"{name}.wav")
        soundfile.write(files[name], samples, RATE, subtype="FLOAT")
    zma, table = tmp_path / "it.zma", tmp_path / "it.csv"
    rig = ("--sense-resistor", "10", "--calibration", files["known"], "--known", "10")
    status, readings, codes = told(call, "analyze", "impedance", files["it"], *rig, "--zma", str(zma), "--csv", str(table))
    assert status == 0
    assert not codes
    assert readings["fs"]["value"] == pytest.approx(40, rel=3e-3)
    assert told(call, "driver", str(zma))[1]["qts"]["value"] == pytest.approx(expected()["qts"], rel=2e-3)
    assert table.read_text().startswith("frequency Hz,magnitude ohm,phase degrees")
    assert len(table.read_text().splitlines()) - 1 == len(zma.read_text().splitlines()) - 2
    for arguments, words in (
        (("--sense-resistor", "0"), "above zero"), (("--sense-resistor", "10", "--known", "10"), "--calibration"),
        (("--sense-resistor", "10", "--unit-channel", "2"), "same"),
        (("--sense-resistor", "10", "--sense-channel", "3"), "no channel 3"),
    ):  # fmt: skip
        status, _, err = call("analyze", "impedance", files["it"], *arguments)
        assert status == 2
        assert words in err
    soundfile.write(files["it"], recorded(driver)[:, 0], RATE)
    assert "one channel" in call("analyze", "impedance", files["it"], "--sense-resistor", "10")[2]

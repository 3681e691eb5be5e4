"""Slips of whoever types and files of whoever sends: each ends soon, in one sentence, and takes nothing else's place."""

import csv
import io
import time
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import FileError, InputError, UtterCalmError
from utter_calm.formats.curve_text import read_curve
from utter_calm.formats.tables import as_cell
from utter_calm.formats.toml_text import decode_toml
from utter_calm.measure.impedance_level import AMPERES
from utter_calm.measure.impedance_sweep import ImpedanceSweep, ImpedanceSweepSettings
from utter_calm.measure.part_result import read_mark
from utter_calm.measure.take_step import take_step
from utter_calm.rig import Channel, SimulatedDevice, stereo_rig
from utter_calm.rig.bench.profile import Profile
from utter_calm.rig.excursion import parse_moves


@pytest.mark.parametrize("read", [read_mark, parse_moves])
@pytest.mark.parametrize("text", ["10uF" + "," * 50_000 + "x", "1 mm/V" + "," * 50_000, "1/V;" + " " * 50_000, " " * 50_000 + "x"])
def test_separators_without_end_are_refused_at_once(read, text):
    began = time.monotonic()
    with pytest.raises(UtterCalmError) as told:
        read(text)
    assert time.monotonic() - began < 2.0
    assert len(str(told.value)) < 400


@pytest.mark.parametrize(("text", "value", "unit", "within"), [
    ("10uF 5%", 10e-6, "F", 0.05), ("10uF ±5 %", 10e-6, "F", 0.05), ("0.47mH", 0.47e-3, "H", None),
    ("8.2ohm, +/- 10%", 8.2, "ohm", 0.1), ("4,7 kohm 1%", 4700.0, "ohm", 0.01),
])  # fmt: skip
def test_marks_are_read_as_before(text, value, unit, within):
    found = read_mark(text)
    assert found[0] == pytest.approx(value)
    assert found[1] == unit
    assert found[2] == (None if within is None else pytest.approx(within))


@pytest.mark.parametrize("text", ["a." * 20_000 + "b = 1", "x = " + "[" * 400 + "]" * 400, "x = " + "{a=" * 300])
def test_toml_that_nobody_writes_is_refused_at_once(tmp_path, text):
    path = tmp_path / "p.toml"
    path.write_text(text)
    began = time.monotonic()
    with pytest.raises(FileError, match=r"line 1 is too long or too deep"):
        decode_toml(path, Profile)
    assert time.monotonic() - began < 2.0


def test_a_curve_of_a_million_rows_is_read_in_seconds(tmp_path):
    path = tmp_path / "long.frd"
    f = np.geomspace(1, 20_000, 600_000)
    path.write_text("\n".join(f"{x:.7g} 0.5 10" for x in f))
    began = time.monotonic()
    curve = read_curve(path)
    assert time.monotonic() - began < 10.0
    assert curve.value == pytest.approx(0.5)


def test_rows_that_only_add_up_are_looked_at_one_by_one(tmp_path):
    path = tmp_path / "odd.frd"
    path.write_text("10 1 2\n20 1\n30 1 2 40\n")
    with pytest.raises(FileError, match="line 2 has 2 columns"):
        read_curve(path)


def test_a_channel_number_that_no_device_has_is_refused():
    with pytest.raises(InputError, match="counted from 1"):
        Channel(100_000_000)


def test_amperes_that_nothing_tells_are_refused_before_anything_sounds():
    rig = stereo_rig()
    passages = ImpedanceSweep().passages(replace(ImpedanceSweepSettings(), told_as=AMPERES), rig)
    with pytest.raises(InputError, match="tells a current"):
        next(passages)


def test_texts_that_a_spreadsheet_would_compute_are_texts(measured, tmp_path):
    from utter_calm.job.export import export_readings

    assert as_cell('=HYPERLINK("x")') == '\'=HYPERLINK("x")'
    assert as_cell(-1.5) == -1.5
    unit = replace(measured.document.units[0], name='=HYPERLINK("http://a";"b")', sample="")
    measured.edit(measured.document.with_unit(unit))
    take = measured.takes[-1]
    measured.append(take.cell, measured.settings_of(take), measured.full(take).result)
    export_readings(measured, tmp_path / "r.csv")
    rows = list(csv.reader(io.StringIO((tmp_path / "r.csv").read_text("utf-8"))))
    assert not any(cell.startswith(("=", "@")) for row in rows for cell in row)


def test_a_splice_does_not_write_over_what_it_read(call, tmp_path):
    f = np.geomspace(20, 20_000, 400)
    for name in ("near", "far"):
        (tmp_path / f"{name}.frd").write_text("\n".join(f"{x:.6f} 0.0 0.0" for x in f))
    before = (tmp_path / "near.frd").read_bytes()
    for out in ("near", "far"):
        files = ("--near", tmp_path / "near.frd", "--far", tmp_path / "far.frd", "--frd", tmp_path / f"{out}.frd")
        status, _, said = call("splice", *files, "--diaphragm", "130mm")
        assert status == 2
        assert "nothing is written over it" in said
    assert (tmp_path / "near.frd").read_bytes() == before


@pytest.mark.parametrize("second", [1.0, 4.0])
def test_each_output_of_the_simulated_rig_has_its_own_full_scale(second):
    """0.1 V on a second output of 1 V full scale read 0.4 V."""
    from utter_calm.measure.first_look import FirstLook, FirstLookSettings

    rig = stereo_rig(pickup_ratio=1.0)
    rig = replace(rig, outputs=(rig.outputs[0], replace(rig.outputs[1], full_scale=second)),
                  inputs=(rig.inputs[0], replace(rig.inputs[1], full_scale=2.0)))  # fmt: skip
    device = SimulatedDevice(rig)
    device.set("unit", "cable")
    settings = FirstLookSettings(level_v=0.1, duration_s=0.25)
    _, result = take_step(FirstLook(), settings, device, rig, load_ohm=None)
    assert [result.reading("level", n).value for n in (1, 2)] == pytest.approx([0.1, 0.1], rel=1e-3)

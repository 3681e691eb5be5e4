"""Channels and parts of a rig are added, changed and taken out; what stands in the path counts on both sides."""

import math
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import FileError, InputError
from utter_calm.formats.columns import read_columns
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.take_step import take_step
from utter_calm.present.rig import rig_rows, rig_summary
from utter_calm.rig import CURRENT, MICROPHONE, Channel, Correction, Part, SimulatedDevice, peaks_of, stereo_rig
from utter_calm.rig.change import (
    INPUT,
    OUTPUT,
    PART,
    connector_unit,
    corrected,
    correction_from,
    new_channel,
    with_channel,
    with_part,
    without,
)
from utter_calm.rig.rig import AMPLIFIER, DIVIDER, SENSE

RIG = stereo_rig("Cellar bench")


def test_a_channel_is_added_with_the_next_free_number_and_no_calibration():
    fresh = new_channel(RIG, INPUT)
    assert (fresh.number, fresh.full_scale, fresh.calibrated, fresh.u_level) == (3, 4.0, "", 0.0)
    grown = with_channel(RIG, INPUT, None, replace(fresh, role=MICROPHONE, unit="Pa"))
    assert [c.number for c in grown.inputs] == [1, 2, 3]
    assert new_channel(without(grown, INPUT, 0), INPUT).number == 1  # the lowest free one
    with pytest.raises(InputError, match="same number"):
        with_channel(RIG, INPUT, 0, replace(RIG.inputs[0], number=2))


def test_what_is_taken_out_is_gone_but_never_the_last_input():
    assert without(RIG, OUTPUT, 0).outputs == RIG.outputs[1:]
    assert without(RIG, PART, 0).parts == ()
    with pytest.raises(InputError, match="no input"):
        without(without(RIG, INPUT, 0), INPUT, 0)


def test_a_sense_resistor_turns_volts_into_amperes():
    rig = with_channel(RIG, INPUT, 1, replace(RIG.inputs[1], role=CURRENT, unit="A", full_scale=4.0))
    assert connector_unit(rig, rig.inputs[1]) == "A"
    rig = with_part(without(rig, PART, 0), None, Part(SENSE, 0.1, u_value=0.002))
    assert connector_unit(rig, rig.inputs[1]) == "V"
    volts, amperes = rig.recorded
    assert (volts.full_scale, amperes.full_scale, amperes.unit) == (4.0, pytest.approx(40.0), "A")
    assert amperes.u_level == pytest.approx(math.hypot(0.0006, 0.002))


def test_a_power_amplifier_after_the_outputs_counts_for_level_and_ceiling():
    """Ten times after the output: the same volts at the unit need a tenth of the samples, and the ceiling is at the unit."""
    rig = with_part(RIG, None, Part(AMPLIFIER, 10.0, side="output"))
    assert rig.played[0].full_scale == pytest.approx(40.0)
    assert peaks_of(rig, 2) == pytest.approx([40 * math.sqrt(2)] * 2)
    loud = replace(rig, ceiling_v=30.0)
    loud.check_level(20.0)
    with pytest.raises(InputError, match="ceiling"):
        loud.check_level(31.0)
    settings = FirstLookSettings(duration_s=0.3, level_v=0.094, rate_hz=48_000)
    levels = [take_step(FirstLook(), settings, SimulatedDevice(r), r, load_ohm=8.0)[1].reading("gain").value for r in (RIG, rig)]
    assert levels[1] == pytest.approx(levels[0], rel=1e-4)
    before = with_part(RIG, None, Part(AMPLIFIER, 10.0))
    assert before.recorded[0].full_scale == pytest.approx(RIG.recorded[0].full_scale / 10)
    assert with_part(RIG, None, Part(DIVIDER, 10.0, side="output")).played[0].full_scale == pytest.approx(0.4)


def test_a_rig_that_uses_the_second_input_alone_hears_the_second_input():
    from utter_calm.measure.kind import Passage
    from utter_calm.measure.player import Player

    rig = without(RIG, INPUT, 0)
    device = SimulatedDevice(rig)
    assert (device.info.outputs, device.info.inputs) == (2, 2)
    t = np.arange(9_600) / 48_000
    player = Player(device, rig, 48_000, block_frames=1024)
    volts = np.stack([0 * t, 0.01 * np.sin(2 * np.pi * 997 * t)], axis=1)
    heard = player.play(Passage(volts, {}))
    player.close()
    assert heard.samples.shape[1] == 1
    quiet = Player(device, rig, 48_000, block_frames=1024)
    silence = quiet.play(Passage(volts[:, ::-1], {}))  # the other unit channel is driven: hardly any of it is heard here
    quiet.close()
    assert np.std(heard.samples) > 20 * np.std(silence.samples)
    with pytest.raises(InputError, match="input 7"):
        Player(SimulatedDevice(RIG), with_channel(RIG, INPUT, None, Channel(7)), 48_000, block_frames=1024)
    with pytest.raises(InputError, match="output 5"):
        peaks_of(with_channel(RIG, OUTPUT, None, replace(RIG.outputs[0], number=5)), 2)


def test_a_response_is_divided_out_of_what_hears_and_refused_elsewhere():
    bump = correction_from([(20.0, 0.0, 0.0), (1_000.0, 6.0206, 90.0), (20_000.0, 0.0, 0.0)])
    assert bump.magnitude[1] == pytest.approx(2.0, rel=1e-4)
    assert abs(bump.at(np.array([1_000.0]))[0]) == pytest.approx(2.0, rel=1e-4)
    rig = corrected(RIG, INPUT, 0, bump)
    assert rig.recorded[0].correction == bump
    assert corrected(rig, INPUT, 0, None).recorded[0].correction is None
    with pytest.raises(InputError, match="met it already"):
        corrected(RIG, OUTPUT, 0, bump)
    with pytest.raises(InputError, match="power amplifier"):
        with_part(RIG, None, Part(AMPLIFIER, 2.0, side="output", correction=bump))
    for rows in ([(1.0, 0.0)], [(1.0, 0.0), (2.0, 0.0, 0.0)], [(1.0,), (2.0,)]):
        with pytest.raises(InputError, match="two or three columns"):
            correction_from(rows)
    with pytest.raises(InputError, match="rising"):
        correction_from([(2.0, 0.0), (1.0, 0.0)])


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("* a comment\nHz dB\n20 -0.5\n20000 1.5\n", [(20.0, -0.5), (20_000.0, 1.5)]),
        ("20,-0.5,10\r\n20000,1.5,-20\r\n", [(20.0, -0.5, 10.0), (20_000.0, 1.5, -20.0)]),
        ("\ufefff;dB\n20;−0,5\n20000;1,5\n", [(20.0, -0.5), (20_000.0, 1.5)]),
        ("20\t1e-1\n", [(20.0, 0.1)]),
    ],
)
def test_columns_are_read_whatever_stands_around_them(tmp_path, text, rows):
    path = tmp_path / "a.txt"
    path.write_text(text, "utf-8")
    assert read_columns(path) == rows


@pytest.mark.parametrize(("data", "words"), [(b"no numbers\n", "no numbers"), (b"20 1 dB\n", "no row"), (b"20 1e999\n", "finite"),
                                             (b"\xff\xfe\x00", "text")])  # fmt: skip
def test_what_is_no_table_is_said(tmp_path, data, words):
    path = tmp_path / "a.txt"
    path.write_bytes(data)
    with pytest.raises(FileError, match=words):
        read_columns(path)


def test_the_rows_say_every_channel_and_part():
    rig = corrected(with_part(RIG, None, Part(SENSE, 0.1)), INPUT, 0, Correction((20.0, 2e4), (1.0, 2.0)))
    rows = rig_rows(rig)
    assert [r.texts[0] for r in rows] == ["output 1", "output 2", "input 1", "input 2", "divider", "sense resistor"]
    assert "20.0 Hz to 20.0 kHz, 0.0 to 6.0 dB" in rows[2].texts
    assert "divides by 10" in rows[4].texts
    assert "every input in amperes" in rows[5].texts
    assert "never more than 2.00 V" in rig_summary(rig)

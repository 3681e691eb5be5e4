"""Rigs kept by name, and what a channel stands for."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.measure.capture import Capture
from utter_calm.rig import CURRENT, MICROPHONE, Channel, Correction, library, stereo_rig

RATE = 48_000


def test_a_rig_comes_back_by_its_name_as_it_was_kept():
    correction = Correction((20.0, 1_000.0, 20_000.0), (1.02, 1.0, 0.9), (0.1, 0.0, -0.4))
    rig = stereo_rig("Dome bench", pickup_ratio=20.0)
    rig = replace(rig, inputs=(replace(rig.inputs[0], correction=correction, how="by the tone of a calibrator"), *rig.inputs[1:]))
    library.keep_rig(rig)
    assert list(library.known_rigs()) == ["Dome bench"]
    assert library.load_rig("Dome bench") == rig
    library.keep_rig(stereo_rig("../../elsewhere: a/b"))  # a name is no path
    assert library.load_rig("../../elsewhere: a/b").name == "../../elsewhere: a/b"
    assert len(list(library.known_rigs())) == 2
    with pytest.raises(UtterCalmError, match="no rig"):
        library.load_rig("Cellar bench")


def test_a_damaged_rig_is_said(tmp_path):
    library.keep_rig(stereo_rig("Dome bench"))
    (path,) = library.rig_folder().glob("*")
    path.write_text("{")
    with pytest.raises(UtterCalmError, match=r"rig"):
        library.load_rig("Dome bench")


def test_signals_are_physical_and_their_response_divided_out():
    """A microphone whose response falls by a quarter at 1 kHz and turns by 0.3 rad: the pascals of the truth come back."""
    t = np.arange(RATE) / RATE
    correction = Correction((100.0, 1_000.0, 10_000.0), (1.0, 0.75, 0.5), (0.0, 0.3, 0.0))
    channels = (Channel(1, role=MICROPHONE, unit="Pa", full_scale=20.0, correction=correction),
                Channel(2, role=CURRENT, unit="A", full_scale=5.0))  # fmt: skip
    truth = 2.0 * np.sqrt(2) * np.sin(2 * np.pi * 1_000 * t)
    heard = 0.75 * 2.0 * np.sqrt(2) * np.sin(2 * np.pi * 1_000 * t + 0.3) / (20 * np.sqrt(2))
    capture = Capture(np.stack([heard, np.full(RATE, 0.1)], axis=1), RATE, channels)
    inside = slice(RATE // 4, 3 * RATE // 4)
    assert capture.signal(MICROPHONE)[inside] == pytest.approx(truth[inside], abs=0.01)
    assert capture.signal(CURRENT)[0] == pytest.approx(0.1 * 5 * np.sqrt(2))
    assert capture.unit(1) == "Pa"
    with pytest.raises(InputError, match="voltage"):
        capture.signal("voltage")


@pytest.mark.parametrize("changes", [{"number": 0}, {"role": "nose"}, {"full_scale": 0.0}, {"u_level": -0.1}, {"u_flatness": 1.0}])
def test_a_channel_without_sense_cannot_be_made(changes):
    with pytest.raises(InputError):
        replace(Channel(1), **changes)


@pytest.mark.parametrize("bad", [((), ()), ((1.0, 2.0), (1.0,)), ((2.0, 1.0), (1.0, 1.0)), ((1.0, 2.0), (1.0, 0.0)),
                                 ((1.0, 2.0), (1.0, np.nan))])  # fmt: skip
def test_a_correction_without_sense_cannot_be_made(bad):
    with pytest.raises(InputError):
        Correction(*bad)

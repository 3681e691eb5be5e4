"""What the program promises as a whole: truth from -20 to -130 dB, sound that is not wasted, honest limits."""

import numpy as np
import pytest

from utter_calm.analysis.tone import analyze_tone
from utter_calm.job.verdict import is_rig_limited
from utter_calm.measure.frequency_series import FrequencySeries, FrequencySeriesSettings
from utter_calm.measure.kinds import KINDS, is_floored
from utter_calm.measure.result import Reading, Result
from utter_calm.measure.stepped import measured_points
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import amplitude_to_db
from utter_calm.rig import SimulatedDevice, stereo_rig

RATE = 96_000
SECONDS = 4
BAND = 20e3 - 20
SET = (
    "first_look",
    "response",
    "level_series",
    "frequency_series",
    "noise",
    "multitone",
    "crosstalk",
    "intermodulation",
    "edges",
)


@pytest.mark.parametrize("depth_db", [-20, -40, -60, -80, -100, -110, -120, -130])
@pytest.mark.parametrize("harmonic_share", [0.0, 0.7], ids=["noise alone", "noise and distortion"])
def test_thd_n_sinad_and_snr_from_20_to_130_db_down(depth_db, harmonic_share, noise):
    """Noise and a third harmonic whose powers together are known: each ratio within 0.1 dB."""
    t = np.arange(SECONDS * RATE) / RATE
    total = 10 ** (depth_db / 20) / np.sqrt(2)  # r.m.s. in the band, under a tone of peak 1
    third = harmonic_share * total
    rest = np.sqrt(total**2 - third**2)
    x = np.sin(2 * np.pi * 997.3 * t) + third * np.sqrt(2) * np.sin(2 * np.pi * 3 * 997.3 * t + 1)
    x += noise.normal(0, rest * np.sqrt(RATE / 2 / BAND), len(t))
    found = analyze_tone(x, RATE)
    assert amplitude_to_db(found.thd_n) == pytest.approx(depth_db, abs=0.1)
    assert amplitude_to_db(found.sinad) == pytest.approx(-depth_db, abs=0.1)
    assert amplitude_to_db(found.level / found.noise) == pytest.approx(-amplitude_to_db(rest * np.sqrt(2)), abs=0.1)
    assert found.thd_n >= found.thd
    assert found.thd_n == pytest.approx(1 / found.sinad)


@pytest.mark.parametrize("clip", [0.3, 0.6, 0.9, 0.99])
def test_thd_n_is_never_below_thd_however_hard_it_clips(clip):
    t = np.arange(RATE) / RATE
    found = analyze_tone(np.clip(np.sin(2 * np.pi * 997 * t), -clip, clip), RATE)
    assert found.thd_n >= found.thd
    assert found.thd > 1e-4


@pytest.fixture(scope="module")
def electronics():
    """The whole set of one stereo unit."""
    out = {}
    for key in SET:
        kind = KINDS[key]
        rig = stereo_rig()
        out[key] = take_step(kind, kind.settings_type(), SimulatedDevice(rig), rig, load_ohm=8.0)
    return out


@pytest.mark.long
def test_the_whole_set_takes_less_than_30_seconds_of_sound(electronics):
    assert sum(capture.duration_s for capture, _ in electronics.values()) < 30


@pytest.mark.long
def test_nothing_in_the_set_is_doubtful(electronics):
    for key, (_, result) in electronics.items():
        assert not [t for t in result.trust if t.grave], key
        assert {r.channel for r in result.readings} >= {1, 2}, key


@pytest.mark.long
def test_a_series_at_three_levels_plays_little_more_than_it_needs():
    """Needed are a glide and two looks at the tone for each point, and the record that the asked uncertainty takes."""
    rig = stereo_rig()
    settings = FrequencySeriesSettings(lower_levels="0.01 V, 0.03 V")
    capture, result = take_step(FrequencySeries(), settings, SimulatedDevice(rig), rig, load_ohm=8.0)
    points = list(measured_points(capture))
    assert len(points) == 93
    needed = sum(3 * max(0.012, 2 / tags["frequency_hz"]) + part.duration_s for tags, part in points)
    assert capture.duration_s < 1.3 * needed
    assert {t.label for t in result.traces if t.name == "thd_n"} == {"10 mV", "30 mV", "94 mV"}


@pytest.mark.parametrize(("above_db", "limited"), [(0.0, True), (2.9, True), (3.2, False), (10.0, False)])
def test_what_lies_less_than_3_db_above_the_rig_is_marked(above_db, limited):
    value = 1e-5 * 10 ** (above_db / 20)
    own = Result((Reading("thd_n", 1, 1e-5, "1"), Reading("gain", 1, 1.0, "1")))
    result = Result((Reading("thd_n", 1, value, "1", 0.0), Reading("gain", 1, 1.0, "1"))).with_floor(own, is_floored)
    assert is_rig_limited(result.reading("thd_n")) is limited
    assert result.reading("gain").floor is None


def test_what_a_unit_cannot_be_better_than_is_declared_for_every_kind():
    """Unwanted things have a floor; gains, levels and frequencies have none."""
    floored = {name for kind in KINDS.values() for name, item in kind.readings.items() if item.floored}
    assert {
        "thd_n",
        "noise",
        "noise_a",
        "multitone_residual",
        "imd_smpte",
        "crosstalk",
        "worst_thd_n",
        "harmonic_#",
    } <= floored
    assert not floored & {"gain", "level", "power_at_#_percent", "rise_time", "output_impedance", "upper_corner"}
    for kind in KINDS.values():
        for name, item in kind.readings.items():
            assert item.better in ("low", "high", ""), name
            assert not (item.floored and item.better != "low"), name

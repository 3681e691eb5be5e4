"""What leaves the analysis arrives as it is: in verdicts, words, pictures, files and budgets.

Each of these was once put wrong on purpose, and no test noticed.
"""

import csv
import json
import math

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, sosfilt

from tests.conftest import made_take, shown, volts_capture
from utter_calm.analysis.driver.coils import ONE, PARALLEL, SERIES, joined_otherwise
from utter_calm.cli import run
from utter_calm.job.document import Claim
from utter_calm.job.document.claim import MaskPoint
from utter_calm.job.export import trace_csv
from utter_calm.job.verdict import Outcome, judge
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.present.budget import level_budget
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.values import reading_text
from utter_calm.rig import stereo_rig
from utter_calm.rig.volts import MeterReading, full_scale_by_meter
from utter_calm.signals.sweep import Sweep

RATE = 48_000


@pytest.mark.parametrize(
    ("margins", "outcome"),
    [(0.5, Outcome.UNDECIDED), (0.95, Outcome.UNDECIDED), (1.05, Outcome.MET), (-0.95, Outcome.UNDECIDED), (-1.05, Outcome.MISSED)],
)
def test_a_verdict_minds_the_whole_uncertainty(margins, outcome):
    claim = Claim("c", "at most 2 V", "s", "level", high=2.0)
    reading = Reading("level", 1, 2.0 - margins * 0.01, "V", uncertainty=0.01)
    assert judge(claim, Result((reading,), ())).outcome is outcome
    x = np.geomspace(20, 20_000, 50)
    curve = Trace("response", 1, x, "Hz", np.full(50, 2.0 - margins * 0.01), "1", uncertainty=np.full(50, 0.01))
    mask = Claim("m", "mask", "s", "response", mask=(MaskPoint(20, None, 2.0), MaskPoint(20_000, None, 2.0)))
    assert judge(mask, Result((), (curve,))).outcome is outcome


def test_every_column_of_an_export_holds_what_its_heading_says():
    x = np.array([100.0, 1_000.0])
    trace = Trace("response", 1, x, "Hz", np.array([1.0, 2.0]), "1", np.array([0.3, -0.4]), np.array([0.01, 0.02]))
    rows = list(csv.DictReader(trace_csv(trace).splitlines()))
    told = {name: [float(row[name]) for row in rows] for name in rows[0]}
    assert told == {"x_Hz": [100, 1_000], "magnitude_ratio": [1, 2], "phase_rad": [0.3, -0.4], "uncertainty_ratio": [0.01, 0.02]}


def test_the_phase_that_analyze_sweep_writes_is_that_of_the_unit(tmp_path, capsys):
    """A first-order corner turns by 45 degrees."""
    law = Sweep(20.0, 20_000.0, 2.0)
    played = np.concatenate([np.zeros(9_600), law.samples(RATE, fade_in_s=0.02, fade_out_s=5e-3), np.zeros(24_000)])
    heard = sosfilt(butter(1, 300.0, "high", fs=RATE, output="sos"), played)
    for name, record in (("s", played), ("h", heard)):
        soundfile.write(tmp_path / f"{name}.wav", record, RATE, "DOUBLE")
    files = [str(tmp_path / name) for name in ("h.wav", "s.wav", "out.csv")]
    assert run(["analyze", "sweep", files[0], "--stimulus", files[1], "--csv", files[2]]) == 0
    capsys.readouterr()
    rows = list(csv.DictReader((tmp_path / "out.csv").read_text().splitlines()))
    f, gain, phase = (np.array([float(row[name]) for row in rows]) for name in ("frequency_hz", "gain_1", "phase_rad_1"))
    assert np.interp(300.0, f, phase) == pytest.approx(math.pi / 4, abs=0.01)
    assert np.interp(300.0, f, gain) == pytest.approx(0.5**0.5, rel=1e-3)


@pytest.mark.parametrize("start_hz", [2.0, 20.0])
def test_the_fade_of_a_sweep_is_no_silence(tmp_path, capsys, start_hz):
    """60 dB were told as 45.5; and what answers at once does not answer early."""
    played = np.concatenate(
        [np.zeros(24_000), Sweep(start_hz, 20_000.0, 4.0).samples(RATE, fade_in_s=0.3, fade_out_s=5e-3), np.zeros(24_000)]
    )
    heard = 0.5 * played
    noise = 1e-3 * np.sqrt(np.mean(heard[24_000:-24_000] ** 2))
    heard = heard + np.random.default_rng(1).normal(0, noise, len(heard))
    for name, record in (("s", played), ("h", heard)):
        soundfile.write(tmp_path / f"{name}.wav", record, RATE, "DOUBLE")
    files = [str(tmp_path / name) for name in ("h.wav", "s.wav")]
    assert run(["analyze", "sweep", files[0], "--stimulus", files[1], "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    snr = next(r["value"] for r in told["readings"] if r["name"] == "snr")
    assert 20 * math.log10(snr) == pytest.approx(60, abs=0.3)
    assert told["trust"] == []


def test_decibels_are_uncertain_by_all_of_it():
    """One per cent at k = 2 is 0.087 dB."""
    told = reading_text(Reading("gain", 1, 30.0, "1", uncertainty=0.3), "first_look")
    assert (told.unit, float(told.spread)) == ("dB", pytest.approx(0.087, abs=0.004))


def test_a_mask_is_drawn_on_its_own_sides():
    x = np.geomspace(20, 20_000, 50)
    claim = Claim("m", "mask", "s", "response", mask=(MaskPoint(20, 0.5, 2.0), MaskPoint(20_000, 0.5, 2.0)))
    take = made_take("response", (Trace("response", 1, x, "Hz", np.ones(50), "1"),))
    view = plot_view(shown(take), "response", claims=(claim,))
    sides = {bound.side: float(np.mean(bound.y)) for bound in view.bounds}
    assert sides[1] == pytest.approx(-20 * math.log10(2.0), abs=0.01)  # the curve stays above
    assert sides[-1] == pytest.approx(20 * math.log10(2.0), abs=0.01)


def test_headroom_is_what_is_left():
    kind = KINDS["first_look"]
    t = np.arange(RATE) / RATE
    capture = volts_capture(0.25 * np.sin(2 * np.pi * 997 * t)[:, None], RATE, 1.0)
    found = kind.analyze(kind.settings_type(duration_s=1.0, rate_hz=RATE), capture)
    peak = capture.scale(1)
    assert found.reading("headroom").value == pytest.approx(peak / (peak * 0.25), rel=1e-3)


def test_a_budget_holds_everything_that_is_known():
    rig = stereo_rig(u_level=6e-4, u_flatness=3e-4)
    rows = level_budget(rig, 1, u_reading=2e-4)
    assert {round(row.u, 9) for row in rows[:-1]} == {6e-4, 3e-4, 2e-4}
    assert rows[-1].u == pytest.approx(math.hypot(6e-4, 3e-4, 2e-4))
    assert sum(row.share for row in rows[:-1]) == pytest.approx(1)


def test_a_meters_digits_count():
    """A meter that shows 0.40 V may be off by 5 mV: 0.72 % over each reading."""
    coarse, fine = (
        full_scale_by_meter(MeterReading(0.4, digit, 0.1), MeterReading(0.8, digit, 0.2), 1e-4, day="2026-11-02")
        for digit in (0.01, 1e-5)
    )
    digit = 0.01 / math.sqrt(12)
    assert coarse.u == pytest.approx(math.hypot(1e-4, 1 / math.hypot(0.4 / digit, 0.8 / digit)), rel=1e-6)
    assert fine.u == pytest.approx(1e-4, rel=0.01)
    assert "its last digit" in dict(coarse.budget)


def test_coils_in_series_have_four_times_the_inductance():
    one = joined_otherwise({"re": 4.0, "le_1k": 1e-3}, ONE)
    assert one[SERIES] == {"re": 8.0, "le_1k": 4e-3}
    assert one[PARALLEL]["re"] == 2.0
    assert joined_otherwise({"le_1k": 4e-3}, SERIES)[ONE] == {"le_1k": 1e-3}

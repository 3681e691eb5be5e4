"""Two takes held against each other, with what repeats tell as the yardstick."""

import json

import numpy as np
import pytest

from tests.conftest import made_take
from utter_calm.cli import run
from utter_calm.job.compare_readings import pair_curves, pair_readings, repeats_of, spread_of
from utter_calm.job.document import Cell
from utter_calm.job.facts import facts_of
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.result import Reading, Trace
from utter_calm.present.comparison import comparison_view, curve_sentence

X = np.geomspace(20, 20_000, 100)


def take(number, gain, curve_db=0.0, **more):
    readings = (Reading("gain", 1, gain, "1", 1e-3), Reading("noise", 1, 1e-6, "V"))
    traces = (Trace("response", 1, X, "Hz", gain * 10 ** (curve_db / 20) * np.ones(100), "1"),)
    facts = {"settings": {"level_v": 0.1}, "title": "u", "kind": "response", **more}
    return made_take(facts.pop("kind"), traces, readings, number, **facts)


def test_per_cent_decibels_and_whether_it_is_real():
    far, near = (pair_readings(take(1, 2.0), take(2, v))[0] for v in (2.02, 2.001))
    assert far.ratio == pytest.approx(1.01)
    assert far.real is True
    assert near.real is False
    assert pair_readings(take(1, 2.0), take(2, 2.0))[1].real is None  # noise without uncertainties
    rows = comparison_view((facts_of(take(1, 2.0).summary), facts_of(take(2, 2.02, title="v").summary)), [far], []).rows
    assert (rows[0].percent, rows[0].decibels, rows[0].real) == ("1.0000 %", "0.0864 dB", "yes")


def test_repeats_are_the_better_yardstick():
    """A difference far inside the uncertainty is real when the rig repeats better than that."""
    takes = [take(k, 2.0 + 1e-6 * (-1) ** k) for k in range(1, 6)]
    repeats = repeats_of(takes[0].summary, [t.summary for t in takes] + [take(9, 3.0, settings={"level_v": 1.0}).summary])
    assert len(repeats) == 5
    assert spread_of(takes[0].summary.readings[0], repeats).deviation == pytest.approx(1.1e-6, rel=0.01)
    assert pair_readings(takes[0], take(7, 2.0001), repeats)[0].real is True
    assert pair_readings(takes[0], takes[1], repeats)[0].real is False


def test_cables_that_cannot_be_told_apart():
    one, two = take(1, 1.0), take(2, 1.0, 0.0004)
    (pair,) = pair_curves(one, two, [one, take(3, 1.0, 0.0006)])
    words = curve_sentence(pair, ("no. 1", "no. 2"))
    assert "no. 1 and no. 2 cannot be told apart: largest difference 0.0004 dB" in words
    assert "repeatability 0.0006 dB" in words
    (pair,) = pair_curves(one, take(2, 1.0, 0.1), [one, take(3, 1.0, 0.0006)])
    assert "differ: largest difference 0.1000 dB" in curve_sentence(pair, ("a", "b"))
    assert "take one of them twice" in curve_sentence(pair_curves(one, two)[0], ("a", "b"))


def test_compare_from_the_command_line(measured, capsys):
    eight, four = measured.document.plans[0].setups()
    cells = [Cell("u1", "first-look", eight)] * 2
    run_cells(measured, cells, simulated_bench(measured.document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    first, second = (
        measured.current(Cell("u1", "first-look", eight)).id,
        measured.current(Cell("u1", "first-look", four)).id,
    )
    measured.close()
    assert run(["compare", str(measured.path), str(first), str(second), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    gain = next(r for r in found["readings"] if r["name"] == "gain")
    assert gain["real"] is True
    assert gain["repeatability"] < 1e-4 * gain["first"]
    assert run(["compare", str(measured.path), str(first), str(second)]) == 0
    assert "beyond uncertainty" in capsys.readouterr().out
    assert run(["compare", str(measured.path), "1", "999"]) == 2


def test_all_readings_as_a_table(measured, tmp_path, capsys):
    measured.close()
    assert run(["table", str(measured.path), "--csv", str(tmp_path / "r.csv")]) == 0
    lines = (tmp_path / "r.csv").read_text().splitlines()
    assert lines[0].startswith("take,unit_under_test,step,role,conditions")
    assert len(lines) > 100
    assert run(["table", str(measured.path), "--csv", str(tmp_path / "r.json")]) == 0
    assert {r["name"] for r in json.loads((tmp_path / "r.json").read_text())} >= {"gain", "thd_n", "upper_corner"}


def test_of_many_repeats_the_newest_count_so_that_a_day_of_takes_is_shown_at_once():
    day = [take(k, 2.0 + k / 1000).summary for k in range(1, 251)]
    kept = repeats_of(day[-1], day)
    assert [t.id for t in kept] == list(range(151, 251))
    assert spread_of(day[0].readings[0], kept).mean == pytest.approx(2.2005)

"""Two takes held against each other, with what repeats tell as the yardstick."""

import json

import numpy as np
import pytest

from tests.conftest import made_take
from utter_calm.cli import run
from utter_calm.job.compare_readings import compare_takes, repeats_of, spread_of, values_in
from utter_calm.job.document import Cell
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Reading, Trace
from utter_calm.present.comparison import comparison_view
from utter_calm.present.picture.across import laid_over
from utter_calm.present.picture.compose import plot_view

X = np.geomspace(20, 20_000, 100)


def take(number, gain, curve_db=0.0, **more):
    readings = (Reading("gain", 1, gain, "1", 1e-3), Reading("noise", 1, 1e-6, "V"))
    traces = (Trace("response", 1, X, "Hz", gain * 10 ** (curve_db / 20) * np.ones(100), "1"),)
    facts = {"settings": {"level_v": 0.1}, "title": "u", "kind": "response", **more}
    return made_take(facts.pop("kind"), traces, readings, number, **facts)


def held(one, two, *repeats):
    """Hold one take against another, with the repeats of the first."""
    groups = [[t.summary for t in repeats]], [list(repeats)]
    (found,) = compare_takes(one, [two], *(groups if repeats else ((), ())))
    return found


def view_of(one, *others, repeats=()):
    found = compare_takes(one, others, [[t.summary for t in repeats]], [list(repeats)])
    return comparison_view([facts_of(t.summary) for t in (one, *others)], found)


def test_per_cent_decibels_and_whether_it_is_beyond_chance():
    far, near = (held(take(1, 2.0), take(2, v)).readings[0] for v in (2.02, 2.0005))
    assert far.ratio == pytest.approx(1.01)
    assert (far.real, near.real) == (True, False)
    assert held(take(1, 2.0), take(2, 2.0)).readings[1].real is None  # noise without uncertainties
    row = view_of(take(1, 2.0), take(2, 2.02, title="v")).rows[0]
    # the uncertainty of 0.001 (k = 2) of either is 0.003 dB of their difference: three decimals
    assert (row.difference, row.beyond) == ("0.086 dB", "yes")


def test_moments_are_told_apart_in_seconds_and_equals_by_a_word():
    one, two = (
        made_take("response", (), (Reading("delay", 1, v, "s"), Reading("gain", 1, 2.0, "1")), k) for k, v in ((1, 3e-3), (2, 1e-4))
    )
    rows = {row.title: row.difference for row in view_of(one, two).rows}
    assert list(rows.values()) == ["−2.9000 ms", "none"]


def test_repeats_are_the_better_yardstick():
    """A difference far inside the uncertainty is real when the rig repeats better than that."""
    takes = [take(k, 2.0 + 1e-6 * (-1) ** k) for k in range(1, 6)]
    repeats = repeats_of(takes[0].summary, [t.summary for t in takes] + [take(9, 3.0, settings={"level_v": 1.0}).summary])
    assert len(repeats) == 5
    assert spread_of(takes[0].summary.readings[0], values_in(repeats)).deviation == pytest.approx(1.1e-6, rel=0.01)
    assert held(takes[0], take(7, 2.0001), *takes).readings[0].real is True
    assert held(takes[0], takes[1], *takes).readings[0].real is False


@pytest.mark.sampled(2)
@pytest.mark.parametrize("repeated", [0, 3, 6])
def test_equals_are_said_to_differ_in_one_comparison_of_twenty_however_many_readings_are_compared(repeated):
    """The chance of a false alarm holds for the whole of 30 readings, by stated uncertainties and by repeats alike."""
    rng = np.random.default_rng(repeated)

    def noisy(number):
        return made_take("response", (), tuple(Reading(f"r{k}", 1, 1 + 1e-3 * rng.standard_normal(), "V", 2e-3) for k in range(30)),
                         number, settings={}, title="u")  # fmt: skip

    alarms = 0
    for _ in range(150):
        first, second, *more = (noisy(k) for k in range(1, 3 + max(0, repeated - 1)))
        repeats = [first, *more] if repeated else ()
        alarms += any(p.real for p in held(first, second, *repeats).readings)
    assert 0.006 < alarms / 150 < 0.11  # of 5 %, over 150 trials: standard deviation 1.8 %


def test_cables_that_cannot_be_told_apart():
    one, two = take(1, 1.0), take(2, 1.0, 0.0004, title="v")
    words = view_of(one, two, repeats=(one, take(3, 1.0, 0.0006))).verdict
    assert words == (
        "u and v cannot be told apart: largest difference 0.0004 dB at 20.0 Hz, repeatability 0.0006 dB; "
        "1 reading compared, none beyond what chance gives."
    )
    words = view_of(one, take(2, 1.0, 0.1, title="v"), repeats=(one, take(3, 1.0, 0.0006))).verdict
    assert words.startswith("u and v differ: response, ch 1 by 0.1000 dB at 20.0 Hz. 1 reading compared, 0 beyond")
    assert "take one of them twice" in view_of(one, two).verdict


def test_nothing_to_hold_against_is_said():
    bare = [
        made_take("response", (), (Reading("noise", 1, v, "V"),), k, settings={}, title=t)
        for k, v, t in ((1, 1.0, "u"), (2, 2.0, "v"))
    ]
    assert "is not known" in view_of(*bare).verdict


def test_a_family_stands_side_by_side_what_differs_first():
    takes = [take(k, g, title=t) for k, g, t in ((1, 2.0, "u"), (2, 2.0, "v"), (3, 2.1, "w"))]
    view = view_of(*takes)
    assert view.titles == ("u", "v", "w")
    assert view.rows[0].title == "gain, ch 1"
    assert view.rows[0].difference == "0.424 dB (w)"
    assert [r.beyond for r in view.rows] == ["yes", "not known"]
    assert view.verdict.startswith("These 3 takes differ: gain, ch 1 by 0.424 dB (w). 2 readings")


def test_repeats_are_named_by_their_numbers_and_what_is_lost_in_noise_is_not_the_largest_difference():
    def repeat(number, level, seventh):
        readings = (Reading("level", 1, level, "V", 1e-6), Reading("harmonic_7", 1, seventh, "1", 1e-8))
        return made_take("first_look", (), readings, number, settings={})

    view = view_of(repeat(1, 1.0, 1e-8), repeat(2, 1.000001, 1.9e-8))
    assert view.titles == ("take 1", "take 2")
    assert "of level, ch 1" in view.verdict


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
    assert "beyond what chance gives" in " ".join(capsys.readouterr().out.split())
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
    assert spread_of(day[0].readings[0], values_in(kept)).mean == pytest.approx(2.2005)


def spectra(kind, names, **more):
    traces = tuple(Trace(n, 1, X, "Hz", np.full(100, 1e-3 * (k + 1)), "V") for k, n in enumerate(names))
    take = made_take(kind, traces, (), more.pop("number", 1), settings={}, title="u")
    return Shown(take.result, facts_of(take.summary))


def test_takes_of_different_steps_share_a_picture_where_their_quantity_agrees():
    first, noise = spectra("first_look", ["spectrum"]), spectra("noise", ["noise_spectrum"])
    own = kind_of("noise")
    name = next(p for p in own.plots if p.dense).traces[0]
    noise = spectra("noise", [name], number=2)
    spec = next(p for p in own.plots if name in p.traces)
    both = laid_over([(first, "First look"), (noise, "Noise")], spec)
    assert [[t.name for t in one.result.traces] for one in both] == [[name], [name]]
    view = plot_view(both, spec.key)
    assert [c.label for c in view.curves] == ["First look", "Noise"]
    # a gain over frequency is none of it
    assert len(laid_over([(spectra("response", ["response"]), "Response"), (noise, "Noise")], spec)) == 1


def loudspeaker(number, magnitude, f):
    traces = (Trace("response", 1, f, "Hz", magnitude, "Pa/V", valid=(150.0, 10_000.0)),)
    settings = {"band_low_hz": 100.0, "band_high_hz": 3000.0}
    return made_take("loudspeaker", traces, (), number, settings=settings, title=f"u{number}")


@pytest.mark.parametrize("gain", [1.2, 0.5])
def test_two_loudspeakers_are_a_pair_within_the_worst_place(gain):
    f = np.geomspace(100, 10_000, 400)
    bump = 10 ** (1.5 * np.exp(-((np.log2(f / 2000) / 0.2) ** 2)) / 20)
    one, two = loudspeaker(1, np.ones(400), f), loudspeaker(2, gain * bump, f)
    match = held(one, two).match
    level = 20 * np.log10(gain)
    assert match.mean_db + match.worst_db == pytest.approx(level + 1.5, abs=0.02)
    assert match.at_hz == pytest.approx(2000, rel=0.02)
    assert match.band_hz == (pytest.approx(150), pytest.approx(3000))  # below 150 Hz nothing is known
    assert match.mean_db == pytest.approx(level + 1.5 * 0.2 * np.sqrt(np.pi) / np.log2(20), abs=0.02)
    assert "As a pair: within 1.37 dB" in view_of(one, two).verdict
    assert held(take(1, 2.0), take(2, 2.0)).match is None  # no sound


def test_curves_that_touch_zero_are_compared_where_both_are_there():
    """A curve that is zero in places lies infinitely far off in decibels there: nothing overflows, and nothing is said of it."""
    from utter_calm.job.compare_readings import _as_ratio, _largest
    from utter_calm.measure.result import Trace

    x = np.geomspace(20, 20_000, 50)
    one, two = np.full(50, 1e-3), np.full(50, 1.1e-3)
    one[10:14], two[30] = 0.0, 0.0
    largest, _at = _largest(Trace("a", 1, x, "Hz", one, "1"), Trace("a", 1, x, "Hz", two, "1"))
    assert largest == pytest.approx(1.1)
    with pytest.raises(ValueError, match="nowhere"):
        _largest(Trace("a", 1, x, "Hz", np.zeros(50), "1"), Trace("a", 1, x, "Hz", two, "1"))
    assert _as_ratio(5e5) == float("inf")

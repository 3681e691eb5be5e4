"""What is shown: ticks, labels, words, pictures, panels."""

import itertools
import math
import re
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import made_take, shown
from tests.untimed import given, st
from utter_calm.job.compare import compare, difference
from utter_calm.job.document import Cell, Factor, Reference, Setup
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.gain import Gain
from utter_calm.job.verdict import Outcome
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.present.chain import chain_view, clips_from, level_of, level_ruled_by, level_view
from utter_calm.present.coverage import coverage_view
from utter_calm.present.live import clips
from utter_calm.present.palette import DARK, LIGHT
from utter_calm.present.panel import panel_view
from utter_calm.present.picture.axis import Axis, linear_ticks, log_ticks, percent_ticks, sensible_range, tick_text
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.curve_labels import end_labels
from utter_calm.present.picture.draw import draw
from utter_calm.present.picture.drawing import Frame, Text
from utter_calm.present.picture.layout import spread_labels, straightened, thinned
from utter_calm.present.picture.mapper import Mapper, whole_window
from utter_calm.present.picture.over import over_something
from utter_calm.present.picture.sketch import sketch_of
from utter_calm.present.picture.typed import height_of, height_text
from utter_calm.present.picture.view import CurveView, empty_plot
from utter_calm.present.values import beside_text, reading_text, reading_texts
from utter_calm.present.words import in_runs, title_lines
from utter_calm.quantities import Measured, quantity

OHM_8, OHM_4 = Measured(8.0, "ohm"), Measured(4.0, "ohm")


def test_ticks_of_the_audio_band():
    major, minor = log_ticks(20, 20_000)
    assert [tick_text(v) for v in major] == ["20", "50", "100", "200", "500", "1k", "2k", "5k", "10k", "20k"]
    assert 300 in [round(v) for v in minor]
    assert linear_ticks(-1.0, 1.0)[0] == pytest.approx([-1, -0.8, -0.6, -0.4, -0.2, 0, 0.2, 0.4, 0.6, 0.8, 1]) or len(
        linear_ticks(-1.0, 1.0)[0]
    ) in range(4, 10)
    assert tick_text(-0.5, 0.5) == "−0.5"
    assert [tick_text(v) for v in log_ticks(2e-9, 5e-3)[0]] == ["10n", "100n", "1µ", "10µ", "100µ", "0.001"]


@given(st.floats(-1e6, 1e6), st.floats(1e-3, 1e6))
def test_linear_ticks_lie_inside_on_round_steps(low, span):
    ticks, _ = linear_ticks(low, low + span)
    assert all(low - 1e-6 * span <= t <= low + span + 1e-6 * span for t in ticks)
    assert 2 <= len(ticks) <= 12
    step = ticks[1] - ticks[0]
    assert round(step / 10 ** math.floor(math.log10(step) + 1e-6)) in (1, 2, 5, 10)


def test_per_cent_and_db_are_one_quantity():
    ticks = percent_ticks(-150.0, 0.0)
    assert [place for place, _ in ticks] == [-140, -120, -100, -80, -60, -40, -20, 0]
    for place, text in ticks[1:]:
        assert 20 * math.log10(float(text.removesuffix(" %")) / 100) == pytest.approx(place)
    assert ticks[0][1] == "10⁻⁵ %"


@given(st.lists(st.floats(0, 400), max_size=12))
def test_labels_never_overlap_and_keep_their_order(wanted):
    placed = spread_labels(wanted, 15, 0, 400)
    ordered = sorted(placed)
    assert all(b - a >= 15 - 1e-9 for a, b in itertools.pairwise(ordered))
    assert all(p <= 400 for p in placed)
    ranks = np.argsort(np.argsort(wanted, kind="stable"), kind="stable")
    assert np.array_equal(np.argsort(np.argsort(placed, kind="stable"), kind="stable"), ranks)


def test_labels_that_would_meet_are_spread_evenly_about_their_curves():
    assert spread_labels([100, 100, 300], 20, 0, 400) == pytest.approx([90, 110, 300])
    assert spread_labels([399, 400], 20, 0, 400) == pytest.approx([380, 400])


def two_channels(apart):
    x = np.geomspace(20, 20_000, 50)
    curves = tuple(CurveView(x, np.full(50, 1.0 + apart * (k > 0)), f"8 Ω, ch {k + 1}", 0, k + 1) for k in range(2))
    view = replace(empty_plot("", ""), curves=curves, empty="")
    return Mapper(view, Frame(64, 12, 600, 400), whole_window(view))


def test_channels_that_coincide_share_a_label():
    assert [label.text for label in end_labels(two_channels(0.001))] == ["8 Ω, ch 1, 2"]
    assert [label.text for label in end_labels(two_channels(0.3))] == ["8 Ω, ch 1", "8 Ω, ch 2"]


def test_the_scale_holds_what_the_main_readings_say_and_marks_it():
    """A −3 dB point far outside of what a response would be drawn over is on the plot."""
    x = np.geomspace(1, 1_000_000, 2_000)
    height = 1 / np.abs(1 + 1j * x / 30_000) ** 6  # falls so steeply that its range is cut
    made = made_take(
        "response", (Trace("response", 1, x, "Hz", height, "1"),), (Reading("upper_corner", 1, 500_000.0, "Hz"),), 1, settings={}
    )
    view = plot_view([Shown(made.result, facts_of(made.summary))], "response")
    (point,) = view.points
    assert point.x == 500_000
    assert view.y.low < point.y < view.y.high
    assert point.y == pytest.approx(20 * np.log10(1 / np.abs(1 + 1j * 500_000 / 30_000) ** 6), abs=0.01)


def test_the_labels_of_an_axis_are_all_fives_or_none_and_reach_its_ends():
    view = replace(empty_plot("", ""), curves=two_channels(0.0).view.curves, empty="")
    drawn, _ = draw(view, 460, 300, LIGHT)
    below = [i.text for i in drawn.axes if isinstance(i, Text) and i.anchor == "middle" and not i.turned]
    assert {"20", "100", "1k", "10k", "20k"} <= set(below)
    assert ("50" in below) == ("500" in below) == ("5k" in below)


def test_thinning_keeps_every_peak(noise):
    x = np.linspace(0, 1, 100_000)
    y = noise.normal(size=100_000)
    y[41_234] = 99.0
    at, height = thinned(x, y, 500)
    assert len(at) <= 1_000
    assert height.max() == 99.0
    assert height.min() == y.min()
    assert at[np.argmax(height)] == pytest.approx(0.41234, abs=0.003)
    short = np.arange(10.0)
    assert thinned(short, short, 500)[0] is short


def test_points_on_a_straight_line_are_left_out_and_no_more():
    x = np.linspace(0, 600, 1_200)
    at, height = straightened(x, 0.3 * x, 0.04)
    assert len(at) < 10
    bent = 200 / (1 + np.exp(-(x - 300) / 40))
    at, height = straightened(x, bent, 0.04)
    assert len(at) < 200
    assert np.max(np.abs(np.interp(x, at, height) - bent)) < 0.2
    assert (at[0], at[-1]) == (x[0], x[-1])
    noise = np.random.default_rng(2).normal(0, 5, len(x))
    assert len(straightened(x, noise, 0.04)[0]) > 0.9 * len(x)
    gap = np.where(np.abs(x - 300) < 20, np.nan, bent)
    assert np.isnan(straightened(x, gap, 0.04)[1]).sum() == np.isnan(gap).sum()


def test_a_sensible_range_holds_everything():
    low, high = sensible_range(np.array([29.4, 29.6, np.nan]), least_span=12, step=5)
    assert low <= 29.4 - 5
    assert high >= 29.6
    assert (low / 5).is_integer()


@pytest.mark.parametrize(
    ("reading", "text", "beside"),
    [
        (Reading("thd_n", 1, 3.043e-5, "1", 2.4e-7), "0.003043 %", "−90.33 dB"),
        (Reading("thd", 1, 1.14e-8, "1", None), "−158.9 dB", "11 ppb"),
        (Reading("thd", 1, 3.7e-7, "1", 2e-7), "−128.6 dB", "0.37 ppm"),
        (Reading("level", 1, 2.822, "V", 0.0034), "2.822 V", "9.01 dBV, 11.23 dBu"),
        (Reading("gain", 1, 30.03, "1", 0.036), "29.551 dB", ""),
        (Reading("noise", 1, 80.6e-6, "V", 0.7e-6), "80.6 µV", "−81.87 dBV"),
        (Reading("level", 1, 0.5, "FS", 1e-9), "0.50000 FS", "−6.02 dBFS"),
        (Reading("upper_corner", 1, 66_241.0, "Hz", 34.0), "66.24 kHz", ""),
    ],
)
def test_readings_as_text(reading, text, beside):
    assert str(reading_text(reading)) == text
    assert beside_text(reading) == beside


def test_what_differs_and_what_is_the_same(measured):
    eight, four = measured.document.plans[0].setups()
    takes = [measured.current(Cell("u1", "response", s)) for s in (eight, four)]
    differs, same = title_lines([facts_of(t) for t in takes])
    assert differs == "8 Ω and 4 Ω"
    assert "Dome amplifier DA-3" in same
    assert same.endswith(": the same")
    assert title_lines([facts_of(takes[0])])[0] == ""
    twice = compare([facts_of(takes[0])] * 2)
    assert twice.differs[0][0] == "take"


def test_a_family_in_one_picture(measured):
    full = [measured.full(measured.current(Cell("u1", "response", s))) for s in measured.document.plans[0].setups()]
    view = plot_view(shown(*full), "response")
    assert [c.label for c in view.curves] == ["8 Ω, ch 1", "8 Ω, ch 2", "4 Ω, ch 1", "4 Ω, ch 2"]
    assert [c.hue for c in view.curves] == [0, 0, 1, 1]
    assert [c.channel for c in view.curves] == [1, 2, 1, 2]
    for curve in view.curves:
        assert curve.y.min() >= view.y.low
        assert curve.y.max() <= view.y.high
    assert view.detail is not None


def test_a_difference_is_the_ratio(measured):
    full = [measured.full(measured.current(Cell("u1", "response", s))) for s in measured.document.plans[0].setups()]
    view = plot_view(shown(*full), "response", reference=0)
    one, two = (t.result.trace("response") for t in full)
    at = np.interp(np.log(20_000), np.log(view.curves[0].x), view.curves[0].y)
    truth = 20 * np.log10(np.interp(20_000, two.x, two.magnitude) / np.interp(20_000, one.x, one.magnitude))
    assert at == pytest.approx(truth, abs=1e-3)
    assert view.title == "Difference to 8 Ω"
    same = difference(one, one)
    assert np.allclose(same.magnitude, 1.0)
    wave = [measured.full(measured.current(Cell("u1", "first-look", s))) for s in measured.document.plans[0].setups()]
    waves = plot_view(shown(*wave), "waveform", reference=0)
    assert waves.y.label == "difference in V"
    assert all(np.isfinite(c.y).all() for c in waves.curves)
    other = Trace("x", 1, np.array([1.0, 2.0]), "s", np.ones(2), "V")
    with pytest.raises(ValueError, match="cannot be held against"):
        difference(one, other)


def test_floor_bounds_and_noise_are_in_the_picture(measured):
    eight = measured.document.plans[0].setups()[0]
    take, floor = (
        measured.full(measured.current(Cell("u1", "response", eight))),
        measured.full(measured.floor("response")),
    )
    distortion = plot_view(shown(take), "distortion", floor=shown(floor)[0])
    assert distortion.floor is not None
    assert distortion.y.percent
    assert any(c.doubtful is not None and c.doubtful.any() for c in distortion.curves)
    relative = plot_view(shown(take), "relative", claims=measured.document.plans[0].claims)
    assert {b.side for b in relative.bounds} == {1, -1}
    assert plot_view([], "x").empty


def test_the_panel_says_what_makes_sense_here(measured):
    eight = measured.document.plans[0].setups()[0]
    take = measured.full(measured.current(Cell("u1", "first-look", eight)))
    view = panel_view(shown(take)[0], measured.verdicts(Cell("u1", "first-look", eight)))
    assert view.main[0].name == "thd_n"
    assert len(view.main[0].values) == 2
    assert "rig alone" in view.main[0].floor
    assert "Band 20 to 20000 Hz" in view.main[0].definition
    assert {c.outcome for c in view.claims} == {Outcome.MET, Outcome.NOT_REACHABLE}
    floor = panel_view(shown(measured.full(measured.floor("first-look")))[0], ())
    assert "power" not in [r.name for r in floor.main]


def test_the_coverage(measured):
    view = coverage_view(measured, measured.document.units[0])
    assert view.rows == ("First look", "Response")
    assert view.columns == ("rig alone", "8 Ω", "4 Ω")
    assert (view.taken, view.total) == (4, 4)
    assert view.cells[1][2].outcome is Outcome.MISSED
    assert view.cells[1][2].headline.endswith("kHz")
    assert not view.missing()


def test_a_cell_tells_a_tenth_of_a_decibel_and_three_digits(measured):
    headlines = [cell.headline for row in coverage_view(measured, measured.document.units[0]).cells for cell in row]
    assert all(re.fullmatch(r"taken|[−\d.]+ (dB|%|kHz|µV)", text) for text in headlines)
    assert max(len(text) for text in headlines) <= 9


def test_the_chain_says_what_changed_and_what_is_dangerous(measured):
    plan, unit = measured.document.plans[0], measured.document.units[0]
    step = measured.document.step("response")
    take = measured.current(Cell("u1", "response", measured.document.plans[0].setups()[1]))
    links = {v.key: v for v in chain_view(plan, unit, step, OHM_8, take, simulated=True)}
    assert links["load"].badge == "was 4 Ω"
    assert links["output"].simulated
    loud = step.with_settings(type(step.typed_settings())(level_v=1.9))
    gain = Gain(30.2, "by its data sheet")
    assert (
        "more than the load can take"
        in {v.key: v for v in chain_view(plan, unit, loud, OHM_4, None, simulated=True, gain=gain)}["load"].warning
    )
    assert not {v.key: v for v in chain_view(plan, unit, loud, OHM_4, None, simulated=True)}["load"].warning  # gain not known
    mild = {"next_load": Measured(600.0, "ohm"), "simulated": True, "gain": gain}
    assert not {v.key: v for v in chain_view(plan, unit, loud, OHM_4, None, **mild)}["load"].warning
    assert level_view(measured, unit, step, OHM_8, 0.0937).main.startswith("9")
    assert "W into 8 Ω" in level_view(measured, unit, step, OHM_8).main
    assert "V" in level_view(measured, unit, step, None).main


def test_one_level_rules_and_is_shown(measured):
    """316 mV stood in the bar, 100 mV by the plan were played; and 278 W into 4 ohm in bold where 101 W had been measured."""
    plan, unit = measured.document.plans[0], measured.document.units[0]
    step = measured.document.step("first-look")
    setup = plan.setups_of(step)[0]
    assert level_ruled_by(plan, step, setup) == ""
    level = Factor("level", (Measured(0.1, "V"),), sets="level_v")
    ruled = replace(plan, factors=(*plan.factors, level))
    under = Setup((*setup.conditions, ("level", Measured(0.1, "V"))))
    assert level_of(ruled, step, under) == 0.1
    assert level_ruled_by(ruled, step, under) == "100 mV by the plan's level"
    follows = replace(step, relative=0.5)
    referred = replace(plan, reference=Reference(0.506, "1 W"))
    assert level_of(referred, follows, setup) == pytest.approx(0.253)
    assert "re the plan's reference of 506 mV" in level_ruled_by(referred, follows, setup)
    assert level_of(ruled, replace(follows, relative=None), setup) == step.settings["level_v"]
    load = setup.value("load")
    assert clips_from(measured, unit, load) is None
    readings = (Reading("level", 1, 20.0, "V"), Reading("thd_n", 1, 0.217, "1"))
    measured.append(Cell(unit.id, step.id, setup), step.typed_settings(), Result(readings, ()), kind="first_look", unit_title="it")
    assert clips_from(measured, unit, load) == 20.0
    view = level_view(measured, unit, step, load, 1.9)
    assert " ".join(view.main.split()) == f"clips above {400 / load.value:.1f} W into {load.value:g} Ω"


def test_a_unit_that_folds_back_draws_two_ways_and_no_zigzag():
    drive = np.geomspace(0.1, 2.0, 40)
    power = np.where(drive < 1, 100 * drive**2, 100 / drive**2)
    traces = (Trace("thd_n", 1, drive, "V", drive / 10, "1"), Trace("power", 1, drive, "V", power, "W"))
    spec = KINDS["level_series"].plots[0]
    over = next(o for o in spec.over if o.trace == "power")
    one = over_something(shown(made_take("level_series", traces))[0], spec, over)
    up, back = (t for t in one.result.traces if t.name == "thd_n")
    assert np.all(np.diff(up.x) >= 0)
    assert np.all(np.diff(back.x) >= 0)
    assert np.all(np.diff(up.magnitude) > 0)  # each way is smooth
    assert np.all(np.diff(back.magnitude) < 0)
    steady = (traces[0], replace(traces[1], magnitude=np.minimum(power[0] * np.arange(1, 41), 20 + 1e-3 * np.sin(drive * 90))))
    one = over_something(shown(made_take("level_series", steady))[0], spec, over)
    assert len([t for t in one.result.traces if t.name == "thd_n"]) == 1


def test_each_channel_has_its_own_colour_where_nothing_else_needs_one():
    """Two spectra stood in one hue."""
    x = np.geomspace(20, 20_000, 50)
    traces = tuple(Trace("spectrum", c, x, "Hz", np.full(50, 1e-3 * c), "V") for c in (1, 2))
    one = plot_view(shown(made_take("first_look", traces)), "spectrum")
    assert [c.hue for c in one.curves] == [0, 1]
    two = plot_view(shown(made_take("first_look", traces), made_take("first_look", traces, number=2)), "spectrum")
    assert [c.hue for c in two.curves] == [0, 0, 1, 1]  # takes are told apart first


def test_a_division_that_was_typed_is_drawn_as_typed():
    """1 dB was asked for, and every second line was drawn where words had no room."""
    x = np.geomspace(20, 20_000, 50)
    level = 10 ** (np.linspace(0, 30, 50) / 20)
    view = plot_view(shown(made_take("response", (Trace("response", 1, x, "Hz", level, "1"),))), "response")
    view = replace(view, y=replace(view.y, low=0.0, high=30.0, step=1.0))
    drawn, _ = draw(view, 460, 240, LIGHT)
    lines = [i.points for i in drawn.axes if hasattr(i, "stroke") and i.stroke == LIGHT.grid and len(i.points) == 2]
    across = sorted({round(float(p[0, 1]), 2) for p in lines if p[0, 1] == p[1, 1]})
    assert len(across) == 31
    assert np.diff(across) == pytest.approx(np.diff(across)[0], abs=0.05)


def test_a_tone_that_is_cut_off_at_its_tops_clips():
    """Live work never said that the unit clips."""
    t = 2 * np.pi * np.arange(400) / 100
    sine, other = np.sin(t), np.sin(t) - 0.1 * np.sin(3 * t)
    cut = np.clip(sine, -0.7, 0.7)

    def told(*thd_n):
        return Result(tuple(Reading("thd_n", c, v, "1") for c, v in enumerate(thd_n, start=1)), ())

    assert clips(told(1e-4, 0.14), np.stack([sine, cut], axis=1)) == (2,)
    assert clips(told(0.1), other[:, None] * 1.0) == ()  # it distorts, and is not cut off
    assert clips(None, cut[:, None]) == ()


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=lambda p: p.name)
def test_both_themes_can_be_read(palette):
    """Contrast by WCAG 2: 4.5 for text, 3 for lines that carry meaning; hues differ for the colour-blind too."""

    def rgb(colour):
        return np.array([int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)])

    def luminance(colour):
        c = rgb(colour)
        linear = np.where(c <= 0.03928, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
        return float(linear @ [0.2126, 0.7152, 0.0722])

    def contrast(a, b):
        high, low = sorted((luminance(a), luminance(b)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    for ground in (palette.ground, palette.surface, palette.raised):
        assert contrast(palette.text, ground) > 10
        assert contrast(palette.soft_text, ground) > 4.5
        assert all(contrast(c, ground) > 3 for c in (*palette.hues, palette.good, palette.bad, palette.open))
    assert contrast(palette.accent_text, palette.accent) > 4.5
    assert contrast(palette.warn_text, palette.warn_ground) > 4.5
    # red-green blindness, crudely: what is left are brightness and blue against yellow
    seen = [(luminance(h) ** 0.45, rgb(h)[2] - rgb(h)[:2].mean()) for h in palette.hues[:2]]
    assert math.dist(*seen) > 0.15


def test_a_sketch_shows_a_sweep_whole_and_of_what_would_be_a_solid_block_a_few_periods():
    whole = sketch_of(KINDS["response"], KINDS["response"].settings_type())
    assert whole.words == "5.0 s, peak 133 mV"
    assert whole.low[-1] == whole.high[-1] == 0  # the silence behind it
    part = sketch_of(KINDS["edges"], KINDS["edges"].settings_type())
    assert part.words.endswith("a part of it")
    turns = np.sum(np.diff(np.sign(part.high + part.low)) > 0)
    assert turns in (2, 3)
    assert sketch_of(KINDS["noise"], KINDS["noise"].settings_type()).words == "silence: it only listens"


@pytest.mark.parametrize(("view", "place", "text"), [
    (quantity("part").first, 5.0, "5 %"), (quantity("gain").first, -3.0, "-3 dB"), (quantity("phase").first, 90.0, "90"),
    (quantity("impedance").view("log"), 1.0, "10.00 Ω"),
])  # fmt: skip
def test_a_height_is_typed_again_as_it_is_written(view, place, text):
    axis = Axis("height", view, 0.0, 1.0)
    assert height_text(place, axis) == text
    assert height_of(text, axis) == pytest.approx(place)


def test_channels_side_by_side_stand_in_one_unit():
    row = [Reading("thd", 1, 1.08e-6, "1", 2e-8), Reading("thd", 2, 9.8e-7, "1", 2e-8)]
    assert [str(s) for s in reading_texts(row)] == ["−119.3 dB", "−120.2 dB"]
    assert [str(s) for s in reading_texts(row[:1])] == ["0.000108 %"]


@pytest.mark.parametrize(
    ("numbers", "words"), [([], ""), ([7], "7"), ([3, 4], "3, 4"), ([1, 2, 3, 5, 8, 9, 10, 11], "1 to 3, 5, 8 to 11")]
)
def test_many_takes_are_named_by_the_ends_of_their_runs(numbers, words):
    assert in_runs(numbers) == words

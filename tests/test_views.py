"""What is shown of series, searches, repeats and conditions; the same for window, report and command line."""

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import made_take, shown, small_demo
from utter_calm.demo import demo_document
from utter_calm.errors import InputError
from utter_calm.job.document import Cell, Factor, Plan, Setup, Step
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.facts import Facts
from utter_calm.job.gain import Gain
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.precheck import check_leads, needs_check
from utter_calm.job.run.prompt import WIRING, Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.measure.kinds import KINDS, declared
from utter_calm.measure.level_effect import Effect
from utter_calm.measure.result import Reading, Trace, Trust
from utter_calm.present.chain import chain_view, level_of, level_view
from utter_calm.present.coverage import coverage_view, setup_title
from utter_calm.present.panel import panel_view
from utter_calm.present.picture.compose import plot_view, trace_words
from utter_calm.present.picture.search import search_view
from utter_calm.present.values import reading_text
from utter_calm.present.words import title_lines
from utter_calm.quantities import read_value, si_text, value_text
from utter_calm.quantities.parse import parse_list
from utter_calm.report.svg import plot_svg
from utter_calm.rig import acoustic_rig, stereo_rig

X = np.geomspace(20, 20_000, 40)


def take(kind, *args, **more):
    """A result as it is shown."""
    return shown(made_take(kind, *args, **more))[0]


def curve(name, level=1e-3, channel=1, at="", unit="1", x=X):
    return Trace(name, channel, x, "Hz", level * np.ones(len(x)), unit, at=named(at))


def named(text):
    """Coordinates with one value, as it is written; none for an empty text."""
    return (("level", read_value(text)),) if text else ()


@pytest.mark.parametrize(
    ("name", "title"),
    [("power_at_1_percent", "power at 1 %"), ("power_at_0_1_percent", "power at 0.1 %"), ("idle_tone_3", "idle tone 3"),
     ("idle_tone_3_hz", "idle tone 3 at"), ("noise_468", "noise, 468"), ("imd_ccif_2", "IMD 19 + 20 kHz, 2nd")],
)  # fmt: skip
def test_families_of_readings_have_their_own_names(name, title):
    assert declared(name).title == title
    assert declared(name).text


@pytest.mark.parametrize(
    ("value", "text"),
    [("8 ohm", "8 Ω"), ("10000 ohm", "10 kΩ"), ("10 kohm", "10 kΩ"), ("600 ohm", "600 Ω"), ("0.5 ohm", "500 mΩ"), ("boost",
    "boost"),
     ("24 V", "24 V"), ("softly ohm", "softly ohm")],
)  # fmt: skip
def test_conditions_read_as_people_write_them(value, text):
    assert value_text(read_value(value)) == text


@pytest.mark.parametrize(
    ("value", "unit", "digits", "text"),
    [(0.99999, "V", 3, "1.00 V"), (999.96, "Hz", 4, "1.000 kHz"), (5.4e-7, "V/√Hz", 3, "540 nV/√Hz"),
     (3.9e5, "V/s", 3, "0.390 V/µs"),

     (6.8e-10, "F", 2, "680 pF"), (0.0452, "ohm", 3, "45.2 mΩ")],
)  # fmt: skip
def test_prefixes_are_chosen_after_rounding(value, unit, digits, text):
    assert str(si_text(value, unit, digits=digits)) == text


def test_lists_as_people_type_them():
    assert parse_list("0.1 %, 1 %; 10%", "1") == pytest.approx([1e-3, 1e-2, 0.1])
    assert parse_list("94 mV, -20 dBV", "V") == pytest.approx([0.094, 0.1])
    assert parse_list("", "V") == []
    for bad in ("1 %, loud", "0 %", "-1"):
        with pytest.raises(InputError):
            parse_list(bad, "1")


def test_several_levels_in_one_take_have_hues_of_their_own():
    traces = [curve("thd_n", level, channel, at) for level, at in ((1e-3, "0.1 V"), (1e-4, "1 V")) for channel in (1, 2)]
    view = plot_view([take("frequency_series", [*traces, curve("thd", 1e-5, 1, "0.1 V")])], "distortion")
    assert view.title == "Distortion against frequency: THD+N"
    assert {(c.hue, c.channel) for c in view.curves} == {(0, 1), (0, 2), (1, 1), (1, 2)}
    assert {c.label for c in view.curves} == {"100 mV, ch 1", "100 mV, ch 2", "1 V, ch 1", "1 V, ch 2"}
    assert view.y.percent


def test_one_level_shows_all_that_was_told():
    view = plot_view([take("frequency_series", [curve("thd_n"), curve("thd", 5e-4)])], "distortion")
    assert {c.label for c in view.curves} == {"THD+N", "THD"}
    assert [trace_words(n) for n in ("harmonic_2", "harmonic_3", "harmonic_4", "noise_ratio")] == [
        "2nd harmonic", "3rd harmonic", "4th harmonic", "noise"]  # fmt: skip


@pytest.mark.parametrize(
    ("valid", "told"), [((20.0, 20_000.0), False), ((20.5, 19_700.0), False), ((20, 9_000), True), ((60, 2e4), True)]
)
def test_a_curve_is_called_faded_where_that_is_seen(valid, told):
    one = replace(curve("response"), valid=valid, invalid_reason="the sweep does not reach there")
    assert bool(plot_view([take("response", [one])], "response").notes) == told


@pytest.mark.parametrize(("value", "word"), [(1.0, "positive"), (-1.0, "negative")])
def test_a_polarity_is_a_word(value, word):
    known = declared("polarity", "loudspeaker")
    assert str(known.shown(value, "1")).strip() == known.glance(value, "1") == word


def test_an_impedance_stands_on_a_logarithmic_scale_with_its_unit():
    view = plot_view([take("impedance", [curve("output_impedance", 0.045, unit="ohm")])], "impedance")
    assert view.y.decades
    assert 10 ** view.curves[0].y[0] == pytest.approx(0.045)
    svg = plot_svg(view)
    assert "impedance in Ω" in svg
    assert ">0.05<" in svg
    small = plot_svg(plot_view([take("impedance", [curve("output_impedance", 5e-5, unit="ohm")])], "impedance"))
    assert ">50µ<" in small


def test_a_power_series_is_a_table_with_a_row_for_each_load_and_channel(tmp_path):
    readings = [Reading(name, channel, value, unit, u, at=named(load))
                for load, watts, label in (("8 Ω", 61.5, 60.0), ("4 Ω", 96.2, 100.0)) for channel in (1, 2)
                for name, value, unit, u in (("rated_power", watts, "W", 0.3), ("claimed_power", label, "W", None),
                                             ("part_of_claim", watts / label, "1", 0.005))]  # fmt: skip
    one = take("power_series", readings=readings)
    sheet = plot_view([one], "sheet").sheet
    assert sheet.headings == ("under", "ch", "power", "claimed", "of the claim")
    assert sheet.rows[0] == ("8 Ω", "1", "61.5 W", "60 W", "102.5 %")
    assert sheet.rows[3] == ("4 Ω", "2", "96.2 W", "100 W", "96.2 %")
    assert len(sheet.rows) == 4
    assert [r[:2] for r in plot_view([one], "sheet", channels=frozenset({2})).sheet.rows] == [
        ("8 Ω", "2"),
        ("4 Ω", "2"),
    ]
    assert sheet.as_text(",").splitlines()[1] == "8 Ω,1,61.5 W,60 W,102.5 %"
    warm = take("power_series", readings=readings, number=2, setup=Setup((("lid", "off"),)))
    both = plot_view([one, warm], "sheet").sheet
    assert len(both.rows) == 8
    assert both.rows[4][0] == "lid off, 8 Ω"


def test_stepped_and_swept_are_laid_over_each_other_with_what_limits_the_sweep():
    stepped = take("frequency_series", [curve(n, v, at=w) for n in ("thd_n", "thd") for v, w in ((1e-4, "30 mV"), (1e-5,
    "300 mV"))],
                   settings={"method": "stepped", "lower_levels": "30 mV"})  # fmt: skip
    swept = take("frequency_series", [curve("thd", 2e-5)], number=2, settings={"method": "out of a sweep", "lower_levels": ""})
    swept = replace(
        swept, result=replace(swept.result, trust=(Trust("out_of_a_sweep", "Orders 2 to 5 alone count.", grave=False),))
    )
    view = plot_view([stepped, swept], "distortion")
    assert view.title.endswith(": THD")  # the one that both have
    assert [c.label for c in view.curves] == ["stepped, 30 mV", "stepped, 300 mV", "out of a sweep"]
    assert len({c.hue for c in view.curves}) == 3
    assert view.differs == "stepped and out of a sweep"
    assert view.notes == ("out of a sweep: Orders 2 to 5 alone count.",)
    assert "tones" not in view.same  # one of them is a sweep
    alone = plot_view([swept], "distortion")
    assert alone.notes == ()


def test_curves_of_one_name_are_told_by_their_channel_alone():
    one = take("impedance", [curve("output_impedance", 0.045, c, unit="ohm") for c in (1, 2)])
    assert [c.label for c in plot_view([one], "impedance").curves] == ["ch 1", "ch 2"]


def test_sound_and_current_are_drawn_one_at_a_time():
    """A current stood on an axis of sound pressure, as -36 dB SPL."""
    one = take("multitone", [curve("spectrum", 1e-2, 1, unit="Pa"), curve("spectrum", 5e-3, 2, unit="A")])
    floor = take("multitone", [curve("spectrum", 1e-4, 1, unit="Pa"), curve("spectrum", 1e-1, 2, unit="A")], role=FLOOR)
    view = plot_view([one], "spectrum", floor=floor)
    assert view.y.view.label == "dB SPL"
    assert [c.channel for c in view.curves] == [1]
    assert any("Channel 2, in A" in note for note in view.notes)
    assert view.floor is None or np.max(view.floor.y) < np.min(view.curves[0].y)
    alone = plot_view([one], "spectrum", channels=frozenset({2}))
    assert (alone.y.view.label, alone.y.decades) == ("A", True)
    assert [c.channel for c in alone.curves] == [2]
    assert not alone.notes
    volts = take("multitone", [curve("spectrum", 1e-2, 1, unit="V")])
    assert [c.channel for c in plot_view([volts, one], "spectrum").curves] == [1]  # the one in focus says in what
    assert not plot_view([take("multitone", [curve("spectrum", 1.0, c, unit="V") for c in (1, 2)])], "spectrum").notes


def test_values_side_by_side_are_told_apart_where_a_current_stands_beside_a_sound():
    readings = [Reading("sfdr", channel, 100.0, "1") for channel in (1, 2)]
    for rig, whose in ((acoustic_rig(), ("microphone", "current")), (stereo_rig(), ())):
        one = take("multitone", [], readings=readings)
        assert panel_view(replace(one, facts=replace(one.facts, rig=rig)), ()).heard_by == whose
    sound_only = take("multitone", [], readings=readings[:1])
    assert panel_view(replace(sound_only, facts=replace(sound_only.facts, rig=acoustic_rig())), ()).heard_by == ()


def test_a_few_points_are_marked_not_only_joined():
    one = Trace("rated_power", 1, np.array([997.0]), "Hz", np.array([60.0]), "W", at=named("8 Ω"))
    svg = plot_svg(plot_view([take("power_series", [one])], "power"))
    assert svg.count("<circle") == 1


def test_the_rigs_own_curve_is_drawn_only_under_what_is_unwanted():
    floor = take("crosstalk", [curve("crosstalk", 1e-6), curve("balance", 1.0)], role=FLOOR)
    unit = take("crosstalk", [curve("crosstalk", 1e-4), curve("balance", 1.01)])
    assert plot_view([unit], "crosstalk", floor=floor).floor is not None
    assert plot_view([unit], "balance", floor=floor).floor is None


def test_every_kind_draws_every_picture_of_an_empty_take_without_falling():
    for key, kind in KINDS.items():
        for spec in kind.plots:
            view = plot_view([take(key)], spec.key)
            assert "no such" in view.empty or view.sheet.rows == ()


def test_variants_are_rows_and_kinships_are_words():
    readings = [Reading("rated_power", 1, 60.0, "W", at=named("8 Ω")), Reading("rated_power", 1, 95.0, "W", at=named("4 Ω")),
                Reading("idle_tone_1", 1, 1e-6, "V", note="50 Hz mains"), Reading("idle_tone_1", 2, 2e-6, "V")]  # fmt: skip
    panel = panel_view(take("power_series", readings=readings), ())
    assert [v.title for v in panel.main] == ["power, 8 Ω", "power, 4 Ω"]
    (tone,) = [v for v in panel.others if v.name.startswith("idle")]
    assert len(tone.values) == 2
    assert "50 Hz mains" in tone.title


def test_repeats_tell_their_spread_beside_the_value():
    made = [made_take("first_look", readings=[Reading("gain", 1, 30 + 1e-3 * k, "1")], number=k) for k in (1, 2, 3)]
    takes = shown(*made)
    panel = panel_view(takes[0], (), [t.summary for t in made])
    assert "3 takes ± 0.0033 %" in panel.main[0].beside
    assert "takes" not in panel_view(takes[0], ()).main[0].beside
    same = [made_take("loudspeaker", readings=[Reading("polarity", 1, 1.0, "1")], number=k) for k in (1, 2, 3)]
    assert "3 takes, all the same" in panel_view(shown(*same)[0], (), [t.summary for t in same]).main[0].beside


def test_a_search_is_drawn_as_it_goes():
    tries = [(0.001, 0.03), (0.01, 0.3), (0.03, 0.95)]
    view = search_view(Effect("watts", 1.0), tries)
    assert view.x.log
    assert view.y.decades
    assert view.y.label == "power in W"
    assert view.differs == "3 tries, the last at 0.03 V gave 950 mW"
    assert view.same == "wanted: 1.00 W"
    assert 10 ** view.curves[0].y == pytest.approx([0.03, 0.3, 0.95])
    assert 10 ** view.curves[1].y == pytest.approx([1.0, 1.0])
    for what, words, unit in (
        ("spl", "93.5 dB SPL", "dB SPL"), ("spl_noise", "93.5 dB SPL", "dB SPL"), ("thd_n", "95 % THD+N", ""),
        ("dbfs", "−0.4 dBFS", "dBFS"),
        ("volts", "950 mV", "V"),
    ):  # fmt: skip
        view = search_view(Effect(what, 1.0), tries)
        assert view.differs.endswith(f"gave {words}")
        assert view.y.unit == unit
        assert view.y.low < view.curves[1].y[0] < view.y.high


def test_what_limits_itself_is_not_warned_about():
    plan, unit = demo_document().plans[0], demo_document().units[0]
    look = plan.step("first-look")
    loud = replace(look, settings={**look.settings, "level_v": 2.0})
    series = plan.step("level-series")
    gain = Gain(unit.nominal_gain, "by its data sheet")

    def warn(step):
        links = chain_view(plan, unit, step, read_value("4 ohm"), None, simulated=True, gain=gain)
        return next(v.warning for v in links if v.key == "load")

    assert "more than the load can take" in warn(loud)
    assert warn(series) == ""


def test_the_bench_that_holds_another_unit_is_said():
    plan, unit = demo_document().plans[1], demo_document().units[1]
    links = {v.key: v for v in chain_view(plan, unit, plan.steps[0], None, None, simulated=True, standing_unit="dome amplifier")}
    assert links["unit"].badge == "on the bench: dome amplifier"
    links = {v.key: v for v in chain_view(plan, unit, plan.steps[0], None, None, simulated=True, standing_unit="preamplifier")}
    assert links["unit"].badge == ""


def test_levels_of_series_silence_and_tones(tmp_path):
    job = Job.create(tmp_path / "a.calm", demo_document())
    plan = job.document.plans[0]
    words = {s.id: level_view(job, job.document.units[0], s, read_value("8 ohm")).main for s in plan.steps}
    assert words["first-look"].endswith("into 8 Ω")
    assert words["level-series"] == "up to 2.00 V out"
    assert words["noise"] == "no signal"
    assert level_of(plan, None) is None
    job.close()


def test_cells_that_are_not_planned_are_shown_and_not_counted(tmp_path):
    job = Job.create(tmp_path / "a.calm", demo_document())
    plan = job.document.plans[1]
    view = coverage_view(job, job.document.units[1])
    used = {str(u) for s in plan.steps if s.deduction is None for u in plan.setups_of(s)}
    assert len(view.columns) == 1 + len(used) < 1 + len(plan.setups())
    assert view.total == sum(len(plan.setups_of(s)) for s in plan.steps)
    planned = {(c.cell.step, str(c.cell.setup)) for row in view.cells for c in row[1:] if c.planned}
    assert len(planned) == view.total
    assert all(cell.role == FLOOR or plan.step(cell.step).where == () or cell.setup.fits(plan.step(cell.step).where)
               for cell in view.missing())  # fmt: skip
    assert setup_title(plan, plan.setups()[0]) == "low, cut, 0 Ω"
    job.close()


def test_a_plan_that_plays_nothing_has_no_leads_to_check(tmp_path):
    """A supply has no input: the probe would call it dead."""
    job = Job.create(tmp_path / "a.calm", new_document("Supply", start=STARTS["supply"]))
    (plan,), (unit,) = job.document.plans, job.document.units
    cell = next(c for c in job.document.cells(unit) if c.role != FLOOR)
    assert not needs_check(job, job.document, cell)
    played = replace(plan, steps=(*plan.steps, Step("played", "first_look")))
    assert needs_check(job, replace(job.document, plans=(played,)), cell)


@pytest.mark.long
def test_the_leads_are_checked_once_for_each_setup(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    document = job.document
    eight, four = document.plans[0].setups()
    bench = simulated_bench(document.plans[0].rig)
    asked = []

    def ask(prompt):
        asked.append(prompt)
        bench.control.set("wiring", read_value("straight"))
        return Answer.DONE if prompt.factor == WIRING else Answer.LET_RIG

    bench.control.set("wiring", read_value("right reversed"))
    assert needs_check(job, document, Cell("u1", "first-look", eight))
    assert not needs_check(job, document, Cell.floor("first-look"))
    run_cells(job, [Cell("u1", "first-look", eight), Cell("u1", "response", eight)], bench, RunHooks(ask=ask, check=True))
    assert [p.factor for p in asked] == [WIRING]
    assert "wrong way round" in asked[0].text
    assert not needs_check(job, document, Cell("u1", "response", eight))
    assert needs_check(job, document, Cell("u1", "response", four))
    bench.control.set("wiring", read_value("swapped"))
    left = check_leads(lambda: document, Cell("u1", "response", four), bench.device, lambda _: Answer.SKIP, None)
    assert [f.code for f in left] == ["swapped"]
    job.close()


def test_steps_under_factors_and_where():
    values = lambda *texts: tuple(read_value(t) for t in texts)  # noqa: E731
    plan = Plan(
        steps=(Step("a", "noise", where=(("load", read_value("8 ohm")),)).with_settings(KINDS["noise"].settings_type()),),
        factors=(
            Factor("load", values("8 ohm", "4 ohm")),
            Factor("band to", values("20 kHz", "40 kHz"), sets="band_high_hz"),
        ),
    )
    setups = plan.setups_of(plan.steps[0])
    assert len(setups) == 2
    assert [plan.steps[0].under(plan.factors, plan.reference, s).band_high_hz for s in setups] == [20_000.0, 40_000.0]
    broken = replace(plan, factors=(Factor("band to", ("loud",), sets="band_high_hz"),))
    with pytest.raises(InputError):
        broken.steps[0].under(broken.factors, None, Setup((("band to", "loud"),)))


def test_densities_and_phases_have_their_units():
    assert str(reading_text(Reading("noise_density", 1, 5.44e-7, "V/√Hz", 3e-9))) == "544 nV/√Hz"
    assert reading_text(Reading("interchannel_phase", 0, 0.21, "°")).unit == "°"
    assert str(reading_text(Reading("input_capacitance", 1, 6.8e-10, "F", 1e-11))).endswith("pF")


def test_of_a_curve_from_elsewhere_no_settings_are_told():
    """A maker's curve was told to be unlike in 22 settings, and to be of the same sweep, which nobody knows."""
    settings = {"start_hz": 20.0, "stop_hz": 20_000.0, "duration_s": 2.0, "level_v": 1.0, "band_low_hz": 100.0, "band_high_hz": 1e4}
    here = Facts("loudspeaker", "Wedge", (("situation", "in a room"),), settings)
    maker = replace(here, unit="maker", settings={})
    differs, same = title_lines([maker, here])
    assert differs == "maker and Wedge"
    assert same.startswith("situation in a room; sweep 20 Hz to 20 kHz in 2 s at 1.00 V")
    assert same.endswith("; how maker was taken is not known")
    louder = replace(here, unit="Wedge 2", settings={**settings, "level_v": 2.0})
    differs, same = title_lines([maker, here, louder])
    assert differs == "maker, Wedge and Wedge 2; level at the output not alike"


def test_takes_are_told_apart_by_their_conditions_where_those_do():
    """A caption of nine lines said every height that was known of one and not of the other."""
    here = Facts("loudspeaker", "Wedge", (("situation", "in a room"),), {"source_m": 1.0, "wall_m": 3.4, "microphone_m": 1.2})
    close = Facts(
        "loudspeaker", "Wedge", (("situation", "close to the cone"),), {"source_m": 0.0, "wall_m": 0.0, "microphone_m": 0.0}
    )
    differs, same = title_lines([here, close])
    assert differs == (
        "situation in a room and situation close to the cone; loudspeaker's height above the floor, microphone's height, "
        "nearest side wall not alike"
    )
    assert "Wedge" in same
    lower = replace(here, settings={**here.settings, "source_m": 0.0})
    assert title_lines([here, lower])[0] == (
        "loudspeaker's height above the floor 1 m and loudspeaker's height above the floor not known"
    )

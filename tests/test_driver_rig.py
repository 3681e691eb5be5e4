"""Drivers and parts from an empty job through the simulated rig: what the stand-ins are is what is found."""

import csv
import math
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of
from tests.drivers import driver, vented
from utter_calm.demo.drivers import calibrated_rig
from utter_calm.errors import InputError, MeasurementError, NoSignal
from utter_calm.formats.curve_text import read_curve
from utter_calm.job.compare_readings import compare_takes
from utter_calm.job.cone import cone_of
from utter_calm.job.document import Cell, Step, Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.export import export_take
from utter_calm.job.facts import facts_of
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import WIRING, Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import MODELLED
from utter_calm.measure.box_design import BoxSettings, driver_of
from utter_calm.measure.boxed import Box, BoxedSettings
from utter_calm.measure.capture import Capture
from utter_calm.measure.deduction import Given
from utter_calm.measure.driver import DriverSettings
from utter_calm.measure.impedance_sweep import ImpedanceSweep, ImpedanceSweepSettings
from utter_calm.measure.part import PartSettings
from utter_calm.measure.result import Result, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.present.chain import chain_view, level_view
from utter_calm.present.comparison import comparison_view
from utter_calm.present.coverage import coverage_view
from utter_calm.present.words import origin_words
from utter_calm.quantities import read_value
from utter_calm.rig import CURRENT, impedance_rig, stereo_rig
from utter_calm.standins import driver as made
from utter_calm.standins.base import Bench
from utter_calm.standins.leads import USUAL
from utter_calm.standins.linear import LinearCircuit
from utter_calm.standins.sensing import Sensing

QUICK = ImpedanceSweepSettings(duration_s=2.0)


def impedance_of_model(m, frequency):
    """From the circuit's own equations, its creep as the chain of relaxations that it is."""
    s = 2j * np.pi * frequency
    lossy = sum(1 / (1 / (h * s) + 1 / r) for h, r in m.lossy)
    times = made._CREEP_TIMES
    late = m.creep * math.log10(times[1] / times[0]) * m.cms
    fast = m.cms - sum(late / (1 + (2 * math.pi * (m.creep_hz or made._resonance(m)) * t) ** 2) for t in times)
    compliance = fast + sum(late / (1 + s * t) for t in times)
    return m.re + m.leads_ohm + m.le * s + lossy + m.bl**2 / (m.rms + s * m.mms + (1 / compliance + m.air) / s)


def taken(unit, settings=QUICK, **knobs):
    rig, device, _ = bench_of("impedance_sweep")
    device.set("unit", unit)
    for knob, position in knobs.items():
        device.set(knob, position)
    return take_step(ImpedanceSweep(), settings, device, rig, load_ohm=None)[1]


@pytest.mark.sampled(5)
@pytest.mark.parametrize(("unit", "model"), [
    ("surround driver", made.SURROUND), ("mid-woofer", made.WOOFER), ("tweeter", made.TWEETER), ("subwoofer", made.SUBWOOFER),
])  # fmt: skip
@pytest.mark.parametrize("state", ["free air", "with mass", "in the test box"])
def test_what_the_rig_hears_is_the_model(unit, model, state):
    trace = taken(unit, state=state).trace("impedance")
    true = impedance_of_model(model.in_state(state), trace.x)
    z = trace.magnitude * np.exp(1j * trace.phase_rad)
    assert np.max(np.abs(z / true - 1)[(trace.x > 8) & (trace.x < 20_000)]) < 3e-3
    assert trace.x[-1] > 21_000


def test_another_of_a_circuit_goes_its_own_way():
    one = LinearCircuit(np.array([[-600.0]]), np.array([600.0]), np.ones(1), 48_000)
    sound = np.random.default_rng(3).normal(size=3_000)
    other, third = one.another(), one.another()
    _, first = one.process(sound)
    assert np.array_equal(other.process(sound)[1], first)
    parts = [third.process(sound[:1_000])[1], third.another().process(sound[1_000:])[1]]
    assert np.allclose(np.concatenate(parts), first, atol=1e-12)


def test_a_circuit_answers_as_its_equations_say_up_to_nearly_half_the_rate():
    """A first-order low-pass by itself: against its closed form, sines in steady state."""
    rate, corner = 48_000, 9_000.0
    w = 2 * np.pi * corner
    for f in (20.0, 1_000.0, 15_000.0, 21_000.0):
        t = np.arange(48_000) / rate
        circuit = LinearCircuit(np.array([[-w]]), np.array([w]), np.ones(1), rate)
        late, answer = circuit.process(np.sin(2 * np.pi * f * t))
        steady = slice(20_000, 44_000)
        turn = np.exp(2j * np.pi * f * t[steady])
        ratio = np.vdot(turn, answer[steady]) / np.vdot(turn, late[steady])
        assert ratio == pytest.approx(1 / (1 + 1j * f / corner), rel=1e-3 if f < 20_000 else 5e-3), f


def test_blocks_of_any_size_give_the_same():
    rng = np.random.default_rng(1)
    volts = np.stack([rng.standard_normal(9_000)] * 2, axis=1)
    bench = Bench(48_000, math.inf, leads=USUAL)
    whole = made.on_bench(made.SURROUND, bench).process(volts)
    one = made.on_bench(made.SURROUND, bench)
    pieces = np.concatenate([one.process(volts[a:b]) for a, b in ((0, 1), (1, 700), (700, 701), (701, 9_000))])
    assert np.allclose(whole, pieces, atol=1e-12)


def quick(step):
    return step.with_settings(replace(step.typed_settings(), duration_s=2.0)) if step.kind == "impedance_sweep" else step


_MADE = {}


def job_of(path, start, stand_in, **plan_changes):
    """A job of one unit, all of it measured, its takes and what was asked; measured once, then copied."""
    key = (start, stand_in, repr(plan_changes))
    if key not in _MADE:
        job, takes, asked = _measured(path, start, stand_in, **plan_changes)
        job.close()
        _MADE[key] = path.read_bytes(), [t.id for t in takes], asked
    content, ids, asked = _MADE[key]
    path.write_bytes(content)
    job = Job.open(path)
    return job, [job.take(number) for number in ids], list(asked)


def typed(step):
    """What the compliance of a driver rests on, as somebody weighed and measured it."""
    if step.kind != "driver":
        return step
    return step.with_settings(replace(step.typed_settings(), amount="10.1 g", diameter="130 mm"))


def test_nothing_is_guessed_about_a_driver(tmp_path):
    """Vas came out as 15.2 l for 41.5 of a diameter that nobody had typed."""
    free = _measured(tmp_path / "a.calm", "driver", "surround driver")[0]
    step, takes = free.document.step("driver"), free.takes
    given = {"free": (free.given(takes[0]),), "second": (free.given(takes[1]),)}
    for amount, diameter, lacks in (("", "130 mm", "added mass"), ("10.1 g", "", "effective diameter"), ("", "", "and the")):
        settings = replace(step.typed_settings(), amount=amount, diameter=diameter)
        result = step.deduction.deduce(settings, given)
        assert {r.name for r in result.readings}.isdisjoint({"mms", "vas", "bl", "cms"})
        assert result.reading("fs") is not None
        assert lacks in next(t.text for t in result.trust if t.code == "not_typed")
    assert DriverSettings().not_typed
    free.close()


def _measured(path, start, stand_in, **plan_changes):
    document = new_document("A job", Unit(name="It", stand_in=stand_in), STARTS[start])
    plan = document.plans[0]
    steps = tuple(typed(quick(step)) for step in plan.steps)
    job = Job.create(path, document.with_plan(replace(plan, rig=calibrated_rig(), steps=steps, **plan_changes)))
    asked = []

    def ask(prompt):
        asked.append(prompt)
        return Answer.LET_RIG

    cells = list(job.document.cells(job.document.units[0]))
    takes = run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=ask, check=True))
    return job, takes, asked


@pytest.mark.parametrize(("stand_in", "softer"), [("surround driver", 1.0), ("tired surround driver", 1.31)])
def test_from_an_empty_job_to_parameters(tmp_path, stand_in, softer):
    job, takes, asked = job_of(tmp_path / "a.calm", "driver", stand_in)
    assert [t.cell.role for t in takes] == ["unit"] * 3  # no rig alone
    assert not [p for p in asked if p.factor == WIRING]
    last = [p.text for p in asked][-1]
    assert last.startswith("Bring the driver to this state: with mass. ")
    assert " g move the resonance clearly" in last
    m, told = made.SURROUND, {r.name: r for r in takes[-1].readings}
    for name, true in (("re", m.re), ("mms", m.mms), ("bl", m.bl), ("cms", softer * m.cms)):
        assert told[name].value == pytest.approx(true, rel=3e-3), name
    assert takes[-1].sources
    view = coverage_view(job, job.document.units[0])
    assert not any(row[0].planned for row in view.cells)
    moves = cone_of(job, job.document.units[0].id)
    assert moves.m_per_v == pytest.approx(told["bl"].value * told["cms"].value / told["re"].value)
    assert (moves.resonance_hz, moves.q) == (told["fs"].value, told["qts"].value)
    assert cone_of(job, "nobody") is None
    job.close()


@pytest.mark.long
def test_a_shelf_is_found_and_does_not_move_the_driver(tmp_path):
    job, takes, _ = job_of(tmp_path / "a.calm", "driver", "surround driver on a shelf")
    told = {r.name: r.value for r in takes[-1].readings}
    assert "parasitic_resonance" in {t.code for t in takes[-1].trust}
    assert told["parasitic_frequency_1"] == pytest.approx(187, rel=0.05)
    assert told["fs"] == pytest.approx(made._resonance(made.SURROUND), rel=0.01)
    assert told["bl"] == pytest.approx(made.SURROUND.bl, rel=0.01)
    job.close()


@pytest.mark.long
def test_a_box_of_parts_is_held_against_its_marks(tmp_path):
    job, takes, _ = job_of(tmp_path / "a.calm", "parts", "part box")
    told = {t.setup.value("part"): {r.name: r.value for r in t.readings} for t in takes if t.kind == "part"}
    wanted = {
        "R1 8.2 ohm 5 %": ("resistance", 8.27), "L1 0.47 mH 5 %": ("inductance", 0.478e-3),
        "C1 10 uF 5 %": ("capacitance", 10.18e-6),
    }  # fmt: skip
    for part, (name, value) in wanted.items():
        assert told[part][name] == pytest.approx(value, rel=0.01)
    assert told["L2 2.2 mH 5 %"]["deviation"] == pytest.approx(2.02 / 2.2 - 1, abs=2e-3)
    assert all(abs(values["deviation"]) < 0.05 for part, values in told.items() if not part.startswith("L2"))
    job.close()


def test_coils_against_each_other_do_not_move():
    peaks = {coils: taken("subwoofer", coils=coils).reading("zmax", 0) for coils in made.COILS}
    assert peaks["in series"].value > 3 * peaks["one coil"].value
    assert peaks["in series, one reversed"] is None


def test_a_rig_without_a_current_is_told_what_it_lacks():
    capture = Capture(np.random.default_rng(1).standard_normal((9_600, 2)) / 9, 96_000, stereo_rig().recorded, stereo_rig())
    with pytest.raises(NoSignal, match="current"):
        ImpedanceSweep().analyze(QUICK, capture)


def test_leads_that_are_open_are_said(monkeypatch):
    monkeypatch.setattr(Sensing, "process", lambda _self, volts: np.stack([volts[:, 0], 0 * volts[:, 0]], axis=1))
    with pytest.raises(NoSignal, match="open"):
        taken("surround driver")


def test_the_chain_says_what_hangs_on_the_leads(tmp_path):
    job, _, _ = job_of(tmp_path / "a.calm", "parts", "part box")
    unit, plan = job.document.units[0], job.document.plans[0]
    links = {link.key: link for link in chain_view(plan, unit, plan.steps[0], read_value("8 ohm"), None, simulated=True)}
    assert links["pickup"].main == "sense resistor 10 Ω"
    assert links["load"].main == "the unit itself"
    assert not links["load"].warning
    assert "at most" in level_view(job, unit, plan.steps[0], None).beside
    job.close()


@pytest.mark.parametrize(("settings", "words"), [
    (DriverSettings(amount="some"), "added mass"), (DriverSettings(diameter="0 mm"), "diameter"),
    (DriverSettings(dc_resistance="x"), "DC resistance"), (DriverSettings(way="box", amount="20 g"), "does not fit"),
    (PartSettings(marked="ten"), "mark"), (ImpedanceSweepSettings(stop_hz=46_000.0), "half the rate"),
    (ImpedanceSweepSettings(start_hz=100.0, stop_hz=150.0), "octave"),
])  # fmt: skip
def test_settings_that_cannot_be_are_refused_in_words(settings, words):
    with pytest.raises(InputError, match=words):
        settings.check()


def test_swapped_runs_are_said(tmp_path):
    job, takes, _ = job_of(tmp_path / "a.calm", "driver", "surround driver")
    step = job.document.step("driver")
    given = {"free": takes[1], "second": takes[0]}
    with pytest.raises(MeasurementError, match="swapped"):
        step.deduction.deduce(step.typed_settings(), {k: (job.given(t),) for k, t in given.items()})
    job.close()


def test_an_impedance_rig_hears_volts_and_amperes():
    rig = impedance_rig(sense_ohm=5.0)
    assert [c.unit for c in rig.recorded] == ["V", "A"]
    assert rig.recorded[1].role == CURRENT
    assert rig.recorded[1].full_scale == pytest.approx(4.0 / 5.0)


def test_two_samples_are_told_apart_by_the_group_that_moved(tmp_path):
    jobs = [job_of(tmp_path / f"{k}.calm", "driver", unit) for k, unit in enumerate(("surround driver", "tired surround driver"))]
    one, two = (job.full(takes[-1]) for job, takes, _ in jobs)
    found = compare_takes(one, [two], (), ())
    verdict = comparison_view([facts_of(t.summary) for t in (one, two)], found).verdict
    assert "Moved: suspension (compliance Cms +3" in verdict
    assert "motor, moving mass, coil" in verdict.partition("As it was")[2]
    for job, _, _ in jobs:
        job.close()


def test_a_vented_box_hangs_in_a_plan_as_well():
    f = np.geomspace(5, 20_000, 400)
    z = vented(f)
    result = Result((), (Trace("impedance", 1, f, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z))),))
    told = Box().deduce(BoxedSettings(), {"impedance": (Given((), {}, result, impedance_rig(), 1),)})
    assert told.reading("fb", 0).value == pytest.approx(38.0, rel=1e-3)
    assert told.trace("impedance_fit") is not None
    one_peak = driver(f)
    flat = Result((), (Trace("impedance", 1, f, "Hz", np.abs(one_peak), "ohm", np.unwrap(np.angle(one_peak))),))
    with pytest.raises(MeasurementError, match="two"):
        Box().deduce(BoxedSettings(box="vented"), {"impedance": (Given((), {}, flat, impedance_rig(), 1),)})


def test_an_impedance_leaves_as_ohms_and_as_a_one_port(tmp_path):
    """Read back by the formats' own words: Touchstone's option line, the reflection turned into ohms again."""
    job, takes, _ = job_of(tmp_path / "a.calm", "driver", "surround driver")
    trace = job.full(takes[0]).result.trace("impedance")
    z = trace.magnitude * np.exp(1j * trace.phase_rad)
    for ending in (".zma", ".s1p"):
        export_take(job, takes[0], tmp_path / f"it{ending}")
    curve = read_curve(tmp_path / "it.zma", positive=True)
    assert curve.value * np.exp(1j * curve.phase_rad) == pytest.approx(z, rel=1e-5)
    lines = (tmp_path / "it.s1p").read_text().splitlines()
    assert [line for line in lines if line.startswith("#")] == ["# HZ S RI R 50"]
    rows = np.array([[float(v) for v in line.split()] for line in lines if line[0] not in "!#"])
    s = rows[:, 1] + 1j * rows[:, 2]
    assert 50 * (1 + s) / (1 - s) == pytest.approx(z, rel=1e-6)
    assert np.all(np.abs(s) <= 1)
    job.close()


def test_a_box_is_modelled_from_what_was_measured(tmp_path):
    """Parameters, box and all: against the circuit of the stand-in itself, its semi-inductance and all."""
    job, _, _ = job_of(tmp_path / "a.calm", "driver", "surround driver")
    document = job.document
    settings = BoxSettings(box="closed", volume_m3=0.009, leak_q=1e5, excursion_m=4e-3)
    step = Step("model", "box_model").with_settings(settings)
    plan = replace(document.plans[0], steps=(step, *document.plans[0].steps))  # before what it needs
    job.edit(document.with_plan(plan))
    takes = run_cells(
        job, job.document.cells(job.document.units[0]), simulated_bench(plan.rig), RunHooks(ask=lambda _p: Answer.LET_RIG)
    )
    take = next(t for t in takes if t.kind == "box_model")
    assert take.origin == MODELLED
    assert origin_words(take).startswith(", modelled from take ")
    result = job.full(take).result
    # its suspension creeps: the loss of that is in the Rms that is stated, and stays there in the model
    boxed = replace(
        made.SURROUND, cms=1 / (1 / made.SURROUND.cms + made._RHO * made._C**2 * made.SURROUND.sd**2 / 0.009), creep=0.0
    )
    trace = result.trace("impedance")
    true = impedance_of_model(boxed, trace.x)
    assert np.max(np.abs(trace.magnitude * np.exp(1j * trace.phase_rad) / true - 1)) < 0.06
    told = {r.name: r for r in result.readings}
    fc, _ = true_peak(boxed)
    assert told["fc"].value == pytest.approx(fc, abs=2 * told["fc"].uncertainty + 0.003 * fc)
    assert 0 < told["fc"].uncertainty < 0.03 * fc
    # a newer driver makes the model stale, and to renew it is one step
    assert not job.stale(take)
    job.deduce(Cell(job.document.units[0].id, "driver", take.setup))
    assert "again since" in job.stale(take)
    job.close()


def true_peak(m):
    f = np.geomspace(20, 200, 20_001)
    at = int(np.argmax(np.abs(impedance_of_model(replace(m, le=1e-9, lossy=()), f))))
    return float(f[at]), at


def test_free_air_alone_makes_no_box():
    with pytest.raises(MeasurementError, match="free air alone"):
        driver_of(Result(), 3)


def test_parameters_leave_as_documents_that_a_box_can_be_made_of(tmp_path, call):
    job, takes, _ = job_of(tmp_path / "a.calm", "driver", "surround driver")
    number, path = takes[-1].id, tmp_path / "a.calm"
    job.close()
    assert call("export", path, number, tmp_path / "p.json")[0] == 0
    status, out, _ = call("box", tmp_path / "p.json", "--closed", "9l", "--json")
    assert status == 0
    assert '"fc"' in out
    assert call("export", path, number, tmp_path / "p.readings.csv")[0] == 0
    assert call("export", path, number, tmp_path / "again.csv", "--trace", "readings")[0] == 0
    rows = list(csv.DictReader((tmp_path / "p.readings.csv").read_text().splitlines()))
    assert (tmp_path / "p.readings.csv").read_text() == (tmp_path / "again.csv").read_text()
    bl = next(r for r in rows if r["name"] == "bl")
    assert float(bl["value"]) == pytest.approx(made.SURROUND.bl, rel=3e-3)
    assert bl["unit"] == "T m"
    assert float(bl["uncertainty"]) > 0
    # a reflection at another reference, read back by hand
    assert call("export", path, takes[0].id, tmp_path / "z.s1p", "--reference", "8 ohm")[0] == 0
    text = (tmp_path / "z.s1p").read_text().splitlines()
    assert "# HZ S RI R 8" in text
    f, re, im = np.array([line.split() for line in text if line[0] not in "!#"], dtype=float).T
    s = re + 1j * im
    z = 8 * (1 + s) / (1 - s)
    true = impedance_of_model(made.SURROUND.in_state("with mass") if "mass" in str(takes[0].setup) else made.SURROUND, f)
    inside = (f > 20) & (f < 15_000)
    assert np.max(np.abs(z / true - 1)[inside]) < 3e-3
    assert call("export", path, takes[0].id, tmp_path / "z.s1p", "--reference", "0 ohm")[0] == 2


@pytest.mark.long
def test_two_boxes_are_held_against_each_other(tmp_path):
    """A box and its leaky twin: which of tuning, losses, driver and volume differ, and by how much."""
    taken_of = {}
    for unit in ("vented box", "leaky vented box"):
        job, takes, _ = job_of(tmp_path / f"{unit}.calm", "box", unit)
        taken_of[unit] = job.full(next(t for t in takes if t.kind == "boxed"))
        job.close()
    good, leaky = taken_of.values()
    told = {r.name: r.value for r in good.result.readings}
    assert told["fb"] == pytest.approx(36.0, rel=5e-3)
    assert told["alpha"] == pytest.approx(made._BOXED, rel=0.03)
    assert told["ql"] == pytest.approx(1 / (1 / 9 + 1 / 300), rel=0.05)
    found = compare_takes(good, [leaky], (), ())
    verdict = comparison_view([facts_of(t.summary) for t in (good, leaky)], found).verdict
    assert verdict.startswith("Moved: tuning (tuning fb −3.9 %")
    assert "losses (leakage Q, QL −5" in verdict
    assert "As it was" in verdict
    assert "driver" in verdict.partition("As it was")[2]

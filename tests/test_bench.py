"""The bench is one value: nothing that one unit or plan left standing is measured with the next, and each take stores all of it."""

import math
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.job.bench import Apart, BenchState, place_words, relevant, unlike_plan, wanted
from utter_calm.job.compare_readings import repeats_of
from utter_calm.job.document import UNIT, Factor
from utter_calm.job.document.fresh import new_document, with_new_unit
from utter_calm.job.document.starts import STARTS
from utter_calm.job.document.unit import Unit
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench, simulated_bench
from utter_calm.job.run.microphone import with_calibrated
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.quantities import NONE, Measured
from utter_calm.rig import UNITS, SimulatedDevice, acoustic_rig, impedance_rig, normal_of, stereo_rig
from utter_calm.rig.calibrated import Calibrated
from utter_calm.rig.microphone import capsule_of, with_sensitivity

METRE, EIGHT = Measured(1.0, "m"), Measured(8.0, "ohm")


@pytest.mark.parametrize("unit", UNITS)
def test_a_unit_that_nobody_touched_stands_in_its_normal_position(unit):
    knobs = dict(normal_of(unit))
    rig = acoustic_rig() if "situation" in knobs else impedance_rig() if "state" in knobs else stereo_rig()
    volts = 0.1 * np.random.default_rng(1).standard_normal((4096, 2))

    def heard(touched):
        device = SimulatedDevice(rig)
        device.set("unit", unit)
        for factor, value in touched:
            device.set(factor, value)
        return device.stand_in(48_000, 5).process(volts)

    assert np.array_equal(heard(()), heard(normal_of(unit)))
    assert dict(normal_of(unit)).items() <= dict(_connected(rig, unit).standing).items()


def _connected(rig, unit):
    device = SimulatedDevice(rig)
    device.set("unit", unit)
    return device


@pytest.fixture
def four(tmp_path):
    """Four units in one job, with plans that turn, carry and tune what the others leave alone."""
    document = new_document("Dome", Unit(name="A", stand_in="ceiling loudspeaker"), STARTS["loudspeaker"])
    document = with_new_unit(document, Unit(name="B", stand_in="console wedge"), STARTS["all-round"])
    tone = {"bass": ("cut", "boost"), "treble": ("flat", "boost")}
    document = with_new_unit(document, Unit(name="C", stand_in="preamplifier"), STARTS["preamplifier"], tone)
    document = with_new_unit(document, Unit(name="D", stand_in="preamplifier"), STARTS["preamplifier"])
    job = Job.create(tmp_path / "a.calm", document)
    yield job
    job.close()


def cells_of(job, name, kind):
    document = job.document
    unit = next(u for u in document.units if u.name == name)
    return [c for c in document.cells(unit) if c.role == UNIT and document.step(c.step).kind == kind]


def run(job, bench, cells, answer=Answer.LET_RIG):
    asked = []

    def ask(prompt):
        asked.append(prompt.text)
        return answer

    return run_cells(job, cells, bench, RunHooks(ask=ask)), asked


def test_what_was_close_to_the_cone_is_at_its_distance_for_the_next_unit(four):
    bench = simulated_bench(four.document.plans[0].rig)
    run(four, bench, [c for c in cells_of(four, "A", "loudspeaker") if c.setup.value("situation") == "close to the cone"])
    round_it = cells_of(four, "B", "loudspeaker")
    some = [round_it[0], round_it[-1]]
    takes, _ = run(four, bench, some)
    alone, _ = run(four, simulated_bench(four.document.plans[1].rig), some)
    front, behind = (t.reading("sensitivity_2v83").value for t in takes)
    assert [front, behind] == pytest.approx([t.reading("sensitivity_2v83").value for t in alone], rel=2e-3)
    assert behind < 0.5 * front


def test_what_was_turned_is_turned_back_for_the_next_unit(four):
    bench = simulated_bench(four.document.plans[0].rig)
    room = [c for c in cells_of(four, "A", "loudspeaker") if c.setup.value("situation") == "in a room"]
    (before,), _ = run(four, bench, room)
    run(four, bench, [cells_of(four, "B", "loudspeaker")[-1]])
    assert bench.value("angle") == Measured(math.pi, "rad")
    (after,), asked = run(four, bench, room)
    assert after.reading("sensitivity_2v83").value == pytest.approx(before.reading("sensitivity_2v83").value, rel=2e-3)
    assert after.bench.value("angle") == Measured(0.0, "rad")
    assert len(asked) == 1  # the unit; what only goes back to its normal position the rig does by itself


def test_tone_controls_of_one_preamplifier_are_flat_for_the_next(four):
    bench = simulated_bench(four.document.plans[2].rig)
    last = cells_of(four, "C", "first_look")[-1]
    run(four, bench, [last])
    assert bench.value("treble") == "boost"
    (take,), _ = run(four, bench, cells_of(four, "D", "first_look")[:1])
    assert 20 * math.log10(take.reading("gain").value) == pytest.approx(5.913, abs=0.01)
    assert dict(take.bench.factors)["treble"] == "flat"


def test_a_normal_position_is_the_plans_to_state(four):
    plan = four.document.plans[3]
    four.edit(four.document.with_plan(replace(plan, normal=(("treble", "boost"), ("situation", "free field")))))
    cell = cells_of(four, "D", "first_look")[0]
    stated = dict(wanted(four.document, cell))
    assert stated["treble"] == "boost"
    assert stated["bass"] == "flat"
    assert "situation" not in stated  # a preamplifier has none


def test_a_distance_that_is_typed_is_where_the_microphone_stands(four):
    plan = four.document.plans[0]
    step = next(s for s in plan.steps if s.kind == "loudspeaker")
    far = replace(step, settings={**step.settings, "distance_m": 2.0, "source_m": 1.5})
    four.edit(four.document.with_plan(replace(plan, steps=tuple(far if s is step else s for s in plan.steps))))
    room = [c for c in cells_of(four, "A", "loudspeaker") if c.setup.value("situation") == "in a room"]
    (take,), _ = run(four, simulated_bench(plan.rig), room)
    assert take.bench.value("distance") == Measured(2.0, "m")
    assert take.bench.value("microphone height") == Measured(1.5, "m")
    assert take.reading("delay").value == pytest.approx(2.0 / 343.2, abs=30e-6)
    # what hears the room after it stands where the plan's sweep says
    noise = next(c for c in cells_of(four, "A", "noise") if c.setup.value("situation") == "in a room")
    assert dict(wanted(four.document, noise))["distance"] == Measured(2.0, "m")


def test_each_take_stores_all_that_stood(four):
    bench = simulated_bench(four.document.plans[0].rig)
    cells = [*cells_of(four, "C", "first_look")[:2], *cells_of(four, "A", "loudspeaker"), *cells_of(four, "B", "loudspeaker")[:1]]
    for cell in cells:
        (take,), _ = run(four, bench, [cell])
        assert take.bench.factors == relevant(bench.device.standing)
        assert not unlike_plan(four.document, cell, take.bench)
    path = four.path
    stored = [t.bench for t in four.takes]
    again = Job.open(path)
    assert [t.bench for t in again.takes] == stored
    again.close()


def test_a_knob_that_is_turned_while_it_plays_is_grave(four):
    bench = simulated_bench(four.document.plans[3].rig)
    cell = cells_of(four, "D", "first_look")[0]
    hooks = RunHooks(ask=lambda _: Answer.LET_RIG, block=lambda _block: bench.device.set("bass", "boost"))
    (take,) = run_cells(four, [cell], bench, hooks)
    said = {t.code: t for t in take.trust}
    assert said["bench_moved"].grave
    assert "bass went from flat to boost" in said["bench_moved"].text


def test_a_bench_that_is_not_as_planned_is_told(four):
    cell = cells_of(four, "D", "first_look")[0]
    state = BenchState((("bass", "boost"), ("treble", "flat")))
    (told,) = unlike_plan(four.document, cell, state)
    assert told.grave
    assert "bass: boost, not flat" in told.text
    assert not unlike_plan(four.document, cell, BenchState((("bass", "flat"),)))


def test_takes_under_unlike_benches_are_no_repeats(four):
    bench = simulated_bench(four.document.plans[3].rig)
    cell = cells_of(four, "D", "first_look")[0]
    for _ in range(2):
        run(four, bench, [cell])
    plan = four.document.plans[3]
    four.edit(four.document.with_plan(replace(plan, normal=(("bass", "boost"),))))
    run(four, bench, [cell])
    first, second, other = four.takes
    assert {t.id for t in repeats_of(first, four.takes)} == {first.id, second.id}
    assert {t.id for t in repeats_of(other, four.takes)} <= {other.id}
    assert first.bench.apart(other.bench) == (Apart("bass", "flat", "boost"),)
    # the take that stands in the cell was made before the plan said otherwise
    four.edit(four.document.with_plan(plan))
    assert "bass: boost, not flat" in four.replanned(four.current(cell))


def test_of_another_units_knobs_nobody_knows_anything():
    class Real:
        class info:  # noqa: N801 - as the device calls it
            simulated = False

    bench = Bench(Real())
    for factor, value in (("unit", "A"), ("volume", "half"), ("angle", Measured(1.0, "rad")), ("load", EIGHT)):
        bench.note(factor, value)
    bench.note("unit", "cable")  # the rig alone: nobody turned anything
    bench.note("unit", "A")
    assert bench.value("volume") == "half"
    bench.note("unit", "B")
    assert bench.value("volume") is None
    assert bench.value("angle") is None
    assert bench.value("load") == EIGHT


def test_a_microphone_that_was_carried_elsewhere_is_set_up_anew():
    class Real:
        class info:  # noqa: N801 - as the device calls it
            simulated = False

    bench = Bench(Real())
    bench.note("situation", "in a room")
    bench.note("distance", METRE)
    bench.note("situation", "close to the cone")
    bench.note("situation", "in a room")
    assert bench.value("distance") is None


def test_a_hand_is_told_all_that_it_needs():
    place = (("situation", "in a room"), ("distance", METRE), ("height", Measured(1.2, "m")),
             ("microphone height", Measured(1.2, "m")), ("angle", Measured(0.0, "rad")))  # fmt: skip
    assert place_words(place) == (
        "the microphone 1 m before the loudspeaker, both 1.2 m high, the loudspeaker turned to 0°, in a room"
    )
    assert place_words((("situation", "close to the cone"), ("distance", METRE))) == "the microphone close to the cone"
    assert place_words((("position", "seat 2"),)) == "the microphone at seat 2"


def test_a_load_that_no_plan_asks_for_is_taken_off(four):
    bench = simulated_bench(four.document.plans[2].rig)
    run(four, bench, cells_of(four, "D", "first_look")[:1])
    assert bench.value("load") == Measured(10e3, "ohm")
    run(four, bench, cells_of(four, "A", "loudspeaker")[:1])
    assert bench.value("load") == NONE


def test_factors_that_a_step_sets_are_no_part_of_the_bench(four):
    plan = four.document.plans[3]
    varied = replace(plan, factors=(*plan.factors, Factor("level at the output", (Measured(0.1, "V"),), sets="level_v")))
    document = four.document.with_plan(varied)
    cell = next(c for c in document.cells(document.units[3]) if c.role == UNIT)
    assert "level at the output" not in dict(wanted(document, cell))


# --- what belongs to the rig's channels ------------------------------------------------------------------------------


def test_a_second_unit_on_the_same_rig_has_its_calibrated_microphone(tmp_path):
    document = new_document("Dome", Unit(name="A", stand_in="ceiling loudspeaker"), STARTS["loudspeaker"])
    rig = document.plans[0].rig
    made = Calibrated("2026-12-02", 12.31e-3, 1e-4, "94 dB")
    document = with_calibrated(document, rig, made)
    document = with_new_unit(document, Unit(name="B", stand_in="console wedge"), STARTS["all-round"])
    assert capsule_of(document.plans[1].rig).value == 12.31e-3
    assert capsule_of(document.plans[1].rig).history == (made,)
    # and what is calibrated later on the one is on the other as well
    later = with_sensitivity(document.plans[1].rig, replace(made, value=12.4e-3))
    job = Job.create(tmp_path / "a.calm", document)
    job.edit(document.with_plan(replace(document.plans[1], rig=later)))
    assert capsule_of(job.document.plans[0].rig).value == 12.4e-3
    job.close()


def test_full_scale_and_ceiling_are_the_rigs_and_a_divider_the_plans(tmp_path):
    document = new_document("Dome", Unit(name="A"), STARTS["power-amplifier"])
    document = with_new_unit(document, Unit(name="B", stand_in="preamplifier"), STARTS["preamplifier"])
    job = Job.create(tmp_path / "a.calm", document)
    rig = document.plans[0].rig
    told = replace(rig.inputs[0], full_scale=4.123, u_level=0.002, calibrated="2026-12-02")
    job.edit(document.with_plan(replace(document.plans[0], rig=replace(rig, inputs=(told, *rig.inputs[1:]), ceiling_v=0.7))))
    other = job.document.plans[1].rig
    assert (other.inputs[0].full_scale, other.inputs[1].full_scale) == (4.123, rig.inputs[1].full_scale)
    assert other.ceiling_v == 0.7
    assert other.pickup_ratio == 1.0
    third = with_new_unit(job.document, Unit(name="C", stand_in="cable"), STARTS["cable"]).plans[2].rig
    assert (third.ceiling_v, third.inputs[0].full_scale, third.pickup_ratio) == (0.7, 4.123, 1.0)
    alone = with_new_unit(document, Unit(name="C", stand_in="cable"), STARTS["cable"]).plans[2].rig
    assert alone.ceiling_v == 3.9  # nobody said another
    job.close()


def test_a_part_is_called_by_its_label_until_another_is_clipped_on():
    """What a hand calls a position that the simulated leads have under a name of their own."""
    bench = simulated_bench(impedance_rig(), unit="part box")
    bench.control.set("part", "C1 10 uF 5 %")
    bench.note("part", "P1 10 uF")
    assert bench.value("part") == "P1 10 uF"
    bench.control.set("part", "C2 4.7 uF 5 %")
    assert bench.value("part") == "C2 4.7 uF 5 %"  # whoever named the one said nothing of the other


def test_a_hand_is_asked_once_for_where_everything_stands(four):
    """On a rig that switches nothing by itself: one sentence for the place, and nothing more while it stands so."""
    from utter_calm.job.run.hands import Hands

    class Real:
        class info:  # noqa: N801 - as the device calls it
            simulated = False

    bench, asked = Bench(Real()), []

    def ask(prompt):
        asked.append(prompt.text)
        return Answer.DONE

    room, cone = cells_of(four, "A", "loudspeaker")[:2]
    for cell in (room, room, cone, room):
        assert Hands(four.document, cell, bench, ask, None).prepare() is not None
    place = [text for text in asked if text.startswith("Set up")]
    assert place[0].startswith("Set up the microphone 1 m before the loudspeaker, ")
    assert place[0].endswith("in a room.")
    assert len(place) == 3
    assert "close to the cone" in place[1]
    assert place[2] == place[0]  # the microphone was carried away meanwhile


def test_what_a_turntable_turns_is_turned_by_it_and_not_by_saying_so(four):
    from utter_calm.job.run.hands import Hands

    class Real:
        class info:  # noqa: N801 - as the device calls it
            simulated = False

    class Turntable:
        stands = None

        def can_set(self, factor):
            return factor == "angle"

        def set(self, factor, value):
            self.stands = value

    table, asked = Turntable(), []
    bench = Bench(Real(), table)
    bench.note("angle", Measured(1.0, "rad"))

    def ask(prompt):
        asked.append(prompt.text)
        return Answer.DONE

    assert Hands(four.document, cells_of(four, "A", "loudspeaker")[0], bench, ask, None).prepare() is not None
    assert table.stands == Measured(0.0, "rad")
    assert not any("turned to" in text for text in asked)

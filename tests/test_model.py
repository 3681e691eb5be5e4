"""The document of a job: setups, steps, claims; frozen, and the same after a journey through JSON."""

from dataclasses import FrozenInstanceError, replace

import msgspec
import pytest

from tests.conftest import small_demo
from utter_calm.demo import demo_document
from utter_calm.errors import InputError
from utter_calm.job.document import Claim, Factor, JobDocument, Plan, Reference, Setup, Step
from utter_calm.job.document.fresh import new_document
from utter_calm.job.recent import MOST, recent_jobs, remember
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.kinds import KINDS, declared
from utter_calm.measure.response import ResponseSettings
from utter_calm.quantities import Measured, read_value
from utter_calm.rig import SimulatedDevice

OHM_8, OHM_4 = Measured(8.0, "ohm"), Measured(4.0, "ohm")


def test_setups_are_all_combinations():
    document = Plan(
        factors=(
            Factor("load", (OHM_8, OHM_4)),
            Factor("supply", (Measured(24.0, "V"),)),
            Factor("gain", ("low", "high")),
        )
    )
    setups = document.setups()
    assert len(setups) == len(set(setups)) == 4
    assert setups[0].conditions == (("load", OHM_8), ("supply", Measured(24.0, "V")), ("gain", "low"))
    assert [f.name for f in document.varied_factors()] == ["load", "gain"]
    assert Plan().setups() == (Setup(),)


def test_a_claim_holds_where_its_conditions_do():
    setup = Setup((("load", "8 ohm"), ("supply", "24 V")))
    assert setup.fits(())
    assert setup.fits((("supply", "24 V"),))
    assert not setup.fits((("supply", "30 V"),))
    assert not setup.fits((("lamp", "on"),))
    claims = (Claim("a", "a", "s", "thd", conditions=(("load", "8 ohm"),)), Claim("b", "b", "other", "thd"))
    assert [c.id for c in Plan(claims=claims).claims_for("s", setup)] == ["a"]


@pytest.mark.parametrize(("value", "ohm"), [("8 ohm", 8.0), ("4.7 kΩ", 4_700.0), ("none", None)])
def test_the_load_in_ohm(value, ohm):
    assert Setup((("load", read_value(value)),)).load_ohm == ohm
    assert Setup().load_ohm is None


@pytest.mark.parametrize("document", [small_demo(), new_document("x"), JobDocument()], ids=["demo", "new", "bare"])
def test_a_document_survives_json(document):
    assert msgspec.json.decode(msgspec.json.encode(document), type=JobDocument) == document


def test_documents_are_frozen():
    document = small_demo()
    with pytest.raises(FrozenInstanceError):
        document.title = "other"
    assert replace(document, title="other").title == "other"
    assert document.title != "other"


def test_steps_know_their_settings():
    step = Step("look", "first_look").with_settings(FirstLookSettings(level_v=0.2))
    assert step.typed_settings() == FirstLookSettings(level_v=0.2)
    assert step.title == "First look"
    assert Step("look", "first_look").typed_settings() == FirstLookSettings()
    with pytest.raises(InputError, match="unusable"):
        Step("look", "first_look", {"level_v": "loud"}).typed_settings()
    with pytest.raises(InputError, match="lies between"):
        Step("look", "first_look", {"duration_s": -1.0}).typed_settings()
    with pytest.raises(InputError, match="does not know the kind"):
        Step("x", "seance").typed_settings()
    with pytest.raises(InputError, match="has no step"):
        small_demo().step("x")


def test_prompts_name_what_to_do():
    assert Factor("load", (OHM_8,), "Switch the load to {value}.").instruction(OHM_8) == "Switch the load to 8 Ω."
    assert Factor("volume", ("half",)).instruction("half") == "Set volume to half."


def test_recent_jobs_newest_first_and_only_those_that_are_there(tmp_path):
    assert recent_jobs() == ()
    paths = [tmp_path / f"{n}.calm" for n in range(MOST + 3)]
    for path in paths:
        path.touch()
        remember(path)
    assert recent_jobs()[0] == paths[-1]
    assert len(recent_jobs()) == MOST
    remember(paths[5])
    assert recent_jobs()[0] == paths[5]
    paths[5].unlink()
    assert paths[5] not in recent_jobs()


def test_a_damaged_list_of_recent_jobs_counts_as_empty(tmp_path, monkeypatch):
    from utter_calm.job import recent

    remember(tmp_path / "a.calm")
    recent._list_path().write_text("{broken")
    assert recent_jobs() == ()
    monkeypatch.setattr(recent, "_list_path", lambda: tmp_path / "file" / "below.json")
    (tmp_path / "file").touch()
    remember(tmp_path / "a.calm")  # cannot be written: nobody is disturbed


def test_every_reading_the_kinds_give_has_a_definition(measured):
    for take in measured.takes:
        for reading in take.readings:
            assert declared(reading.name).text, reading.name
    assert declared("harmonic_7").title == "harmonic 7"
    assert declared("something_new").title == "something new"


def test_the_whole_demo_can_be_measured():
    """Ids are unique, settings are sound, claims refer to steps and setups that are planned, the bench has every unit."""
    document = demo_document()
    ids = [step.id for step in document.steps]
    assert len(ids) == len(set(ids))
    assert len({c.id for p in document.plans for c in p.claims}) == sum(len(p.claims) for p in document.plans)
    device = SimulatedDevice(document.plans[0].rig)
    for unit in document.units:
        plan = document.plan(unit.plan)
        device.set("unit", unit.stand_in)
        for factor in plan.factors:
            assert factor.sets or all(device.set(factor.name, value) is None for value in factor.values)
        for step in plan.steps:
            setups = plan.setups_of(step)
            assert setups
            for setup in setups:
                plan.settings_of(step, setup)
        for claim in plan.claims:
            assert any(s.may_fit(claim.conditions) for s in plan.setups_of(plan.step(claim.step))), claim.id
            assert declared(claim.name).text or claim.mask, claim.id


def test_a_factor_may_set_a_setting_and_a_level_may_follow_the_reference():
    plan = Plan(factors=(Factor("level at the output", (Measured(0.05, "V"), Measured(2.0, "V")), sets="level_v"),))
    step = Step("a", "response").with_settings(ResponseSettings())
    assert [plan.settings_of(step, s).level_v for s in plan.setups()] == [0.05, 2.0]
    ten_down = replace(step, relative=10 ** (-10 / 20))
    with pytest.raises(InputError, match="there is none"):
        Plan().settings_of(ten_down, Setup())
    with_reference = Plan(reference=Reference(1.0, "1 W"))
    assert with_reference.settings_of(ten_down, Setup()).level_v == pytest.approx(0.3162, rel=1e-3)


@pytest.mark.parametrize(("field", "value", "words"), [
    ("level_v", -1.0, "The level at the output is −1 V. It lies between 1 µV and 100 V."),
    ("frequency_hz", 1e7, "The frequency is 10 MHz. It lies between 2 Hz and 180 kHz."),
    ("rate_hz", 50_000, "50 kHz is no sample rate of a converter."), ("duration_s", float("nan"), "The duration is nan."),
])  # fmt: skip
def test_what_is_out_of_bounds_is_said_in_the_users_units(field, value, words):
    with pytest.raises(InputError) as problem:
        KINDS["first_look"].settings_type(**{field: value}).check()
    assert str(problem.value).replace("\N{NO-BREAK SPACE}", " ").startswith(words)

"""Bench instruments over real sockets: set, read back, recorded with takes; and what misbehaves, told in words."""

import contextlib
import math
import time
from dataclasses import replace

import pytest

from utter_calm.cli import run
from utter_calm.errors import DeviceGone, FileError, InputError, MeasurementError
from utter_calm.job.document import Factor, Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import start_of
from utter_calm.job.job import Job
from utter_calm.job.run.bench import bench_for
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.quantities import NONE, Measured, read_value
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.bench.control import BenchControl
from utter_calm.rig.bench.profile import Profile, Quantity, known_profiles, load_profile, own_folder, read_profile
from utter_calm.rig.bench.scpi import ScpiInstrument
from utter_calm.standins.scpi.models import MODELS, LoadModel, MeterModel, SupplyModel, TurntableModel
from utter_calm.standins.scpi.server import ScpiServer


@pytest.fixture
def serve():
    """Start stand-ins; all are stopped at the end."""
    servers, instruments = [], []

    def do(profile, model, **more):
        server = ScpiServer(model, **more)
        servers.append(server)
        made = ScpiInstrument(BenchInstrument(profile, server.address, 3.0 if profile == "supply" else None))
        instruments.append(made)
        return server, made

    yield do
    for made in instruments:
        made.close()
    for server in servers:
        server.close()


@pytest.mark.sampled(3)
@pytest.mark.parametrize("name", sorted(MODELS))
def test_every_shipped_profile_fits_its_stand_in(name, serve):
    assert name in known_profiles()
    server, made = serve(name, MODELS[name]())
    if name != "load-switch":  # which has nothing connected at first
        words = made.try_out() if name != "meter" else made.read("AC volts")
        assert words
    for quantity in load_profile(name).quantities:
        if quantity.set:
            value = 8.0 if quantity.per_unit == 1 else 0.5
            made.set(quantity.factor, Measured(value, quantity.unit))
            assert made.read(quantity.factor).value == pytest.approx(value, abs=0.01)
    assert "*IDN?" in server.heard


def test_what_is_set_is_read_back(serve):
    _, supply = serve("supply", SupplyModel(lambda volts: volts / 12.0, limit_a=3.0))
    supply.set("supply", Measured(24.0, "V"))
    assert supply.read("supply").value == pytest.approx(24.0, abs=2e-3)
    assert supply.read("supply current").value == pytest.approx(2.0, abs=2e-3)
    with pytest.raises(MeasurementError, match=r"was set to 48 V and reads 36"):  # its current limit holds it back
        supply.set("supply", Measured(48.0, "V"))
    with pytest.raises(InputError, match="does not go to 80 V"):
        supply.set("supply", Measured(80.0, "V"))
    with pytest.raises(InputError, match="cannot set the supply to high"):
        supply.set("supply", "high")
    with pytest.raises(InputError, match="has no “angle”"):
        supply.set("angle", read_value("30 deg"))


def test_positions_and_refusals(serve):
    switched = []
    _, load = serve("load-switch", LoadModel(switched.append))
    load.set("load", Measured(4.0, "ohm"))
    load.set("load", NONE)
    assert switched == [None, 4.0, None]
    with pytest.raises(MeasurementError, match="out of range"):
        load.read("load")
    with pytest.raises(MeasurementError, match=r"refuses “LOAD 5”: -222"):
        load.set("load", Measured(5.0, "ohm"))
    load.set("load", Measured(8.0, "ohm"))  # its queue of errors was emptied


@pytest.mark.parametrize(
    ("answer", "word"),
    [("lots", "no number"), ("2.4 A", "no number in V"), ("9.91E+37", "out of range"), ("", "no number"), ("nan", "no number")],
)
def test_nonsense_is_told(serve, answer, word):
    _, supply = serve("supply", SupplyModel(), mangle=lambda text: answer if "E" in text and "," not in text else text)
    with pytest.raises(MeasurementError, match=word):
        supply.read("supply")


def test_a_number_with_its_unit_or_more_behind_is_read(serve):
    for answer in ("2.400E+1 V", "+24.0,0", " 24"):
        _, supply = serve("supply", SupplyModel(), mangle=lambda text, a=answer: a if "E" in text and "," not in text else text)
        assert supply.read("supply").value == 24.0


@pytest.mark.parametrize("more", ["\n", "\n1", "\n+7.0E+00"])
def test_an_answer_too_many_is_not_taken_for_the_next(serve, more):
    """One blank line, and every answer after it belonged to the question before: 1 V was read, of *OPC?."""
    server, supply = serve("supply", SupplyModel(), mangle=lambda text: text + more)
    supply.set("supply", Measured(12.0, "V"))
    assert [supply.read("supply").value for _ in range(3)] == pytest.approx([12.0] * 3, abs=0.02)
    assert supply.read("supply current").value < 1
    assert server.heard.count("MEAS:VOLT?") == 4


def test_an_answer_that_is_no_text_is_told(serve):
    _, supply = serve("supply", SupplyModel())
    supply._open()
    supply._link.query = lambda _query: b"\xb5".decode("ascii")
    with pytest.raises(MeasurementError, match="with what is no text"):
        supply.read("supply")


def test_time_outs_and_lost_links_are_told_and_it_goes_on_afterwards(serve, monkeypatch):
    quiet = []
    server, supply = serve("supply", SupplyModel(), mangle=lambda text: None if quiet else text)
    supply.set("supply", Measured(5.0, "V"))
    object.__setattr__(supply, "profile", replace_profile(supply.profile, timeout_s=0.3))
    supply._drop()
    quiet.append(True)
    began = time.monotonic()
    with pytest.raises(DeviceGone, match="did not answer"):
        supply.read("supply")
    assert time.monotonic() - began < 2
    quiet.clear()
    assert supply.read("supply").value == pytest.approx(5.0, abs=1e-2)
    server.close()
    with pytest.raises(DeviceGone, match=r"does not answer|did not answer"):
        ScpiInstrument(BenchInstrument("supply", server.address)).read("supply")


def replace_profile(profile, **changes):
    return Profile(**{**{name: getattr(profile, name) for name in profile.__struct_fields__}, **changes})


def test_the_wrong_instrument_is_told(serve, tmp_path):
    own_folder().mkdir(parents=True)
    lines = ['title = "Picky"', 'says = "^Dome Bench,METER"', "[[quantities]]", 'factor = "x"', 'read = "X?"']
    (own_folder() / "picky.toml").write_text("\n".join(lines))
    _, made = serve("picky", SupplyModel())
    with pytest.raises(InputError, match="says that it is “Dome Bench,SUPPLY"):
        made.read("x")


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("title = 1", "title"), ("x", "describes no instrument"),
        ('title = "a"\nquantities = [{factor = "x"}]', "neither"),
        ('title = "a"\nquantities = [{factor = "x", set = "GO"}]', "value"),
        ('title = "a"\nsays = "("\nquantities = []', "no instrument"),
        ('title = "a"\nquantities = [{factor = "x", read = "X?", per_unit = 0.0}]', "per_unit"),
        ('title = "a"\nquantities = [{factor = "x", set = "X {other}{value}"}]', "other"),
    ],
)  # fmt: skip
def test_a_bad_profile_says_where_it_is_bad(tmp_path, text, word):
    (tmp_path / "bad.toml").write_text(text)
    with pytest.raises(FileError, match=word):
        read_profile(tmp_path / "bad.toml")
    with pytest.raises(InputError, match="There are: load-switch, meter, supply, turntable"):
        load_profile("nothing")
    assert Quantity("x").per_unit == 1.0
    with pytest.raises(InputError, match="address"):
        BenchInstrument("supply", " ")


def test_the_first_instrument_that_knows_a_factor_has_it(serve):
    first, _ = serve("turntable", TurntableModel())
    second, _ = serve("meter", MeterModel(lambda: 0.4012))
    control = BenchControl((BenchInstrument("turntable", first.address), BenchInstrument("meter", second.address)))
    assert control.can_set("angle")
    assert not control.can_set("AC volts")
    assert control.read("AC volts") == Measured(0.4012, "V")
    assert control.read("nothing") is None
    control.set("angle", read_value("-30 deg"))
    assert control.read("angle").value == pytest.approx(math.radians(-30.0))
    assert control.readable == ("angle", "AC volts", "DC volts", "resistance")
    control.close()


def test_conditions_set_themselves_and_takes_keep_what_the_supply_gave(serve, tmp_path):
    """A plan over two supplies and two loads: nobody is asked for what the instruments set."""
    document = new_document("bench")
    plan, unit = document.plans[0], document.units[0]
    supply, _ = serve("supply", SupplyModel(lambda volts: volts / 48.0))
    instruments = (BenchInstrument("supply", supply.address, 3.0),)
    factors = (
        Factor("load", (Measured(8.0, "ohm"),), "Connect {value}."),
        Factor("supply", (Measured(24.0, "V"), Measured(30.0, "V")), "Set the supply to {value}."),
    )
    steps = tuple(s for s in plan.steps if s.kind == "first_look")
    plan = replace(plan, rig=replace(plan.rig, instruments=instruments), factors=factors, steps=steps, claims=())
    document = replace(document, units=(replace(unit, nominal_gain=30.0),), plans=(plan,))
    assert isinstance(unit, Unit)
    with contextlib.closing(Job.create(tmp_path / "bench.calm", document)) as job:
        cells = [c for c in document.cells(document.units[0]) if c.role != FLOOR]
        asked = []

        def ask(prompt):
            asked.append((prompt.factor, prompt.rig_can))
            return Answer.LET_RIG

        with contextlib.closing(bench_for(document, "u1")) as bench:
            run_cells(job, cells, bench, RunHooks(ask=ask))
        assert ("supply", True) in asked
        takes = {t.setup.value("supply").value: t for t in job.takes}
        assert set(takes) == {24.0, 30.0}
        for volts, take in takes.items():
            amperes = volts / 48.0
            assert take.reading("supply_voltage", 0).value == pytest.approx(volts, abs=2e-3)
            assert take.reading("supply_current", 0).value == pytest.approx(amperes, abs=2e-3)
            power = take.reading("power", 1).value + take.reading("power", 2).value
            assert take.reading("efficiency", 0).value == pytest.approx(power / (volts * amperes), rel=2e-3)
        capture = job.capture(job.takes[-1])
        assert dict(capture.bench)["supply"].unit == "V"
        supply.close()
        with contextlib.closing(bench_for(document, "u1")) as bench, pytest.raises(DeviceGone, match="answer"):
            run_cells(job, cells[:1], bench, RunHooks(ask=ask))
        assert len(job.takes) == 2


QUIET_SUPPLY = """
title = "Supply that is switched off"
start = ["OUTP ON"]
quiet = ["OUTP OFF"]
[[quantities]]
factor = "supply"
unit = "V"
set = "VOLT {value:.4f}"
read = "MEAS:VOLT?"
high = 60.0
"""


def powered(tmp_path, address):
    """A job of one step whose unit is fed by an instrument that is to be switched off when it is let go."""
    own_folder().mkdir(parents=True)
    (own_folder() / "quiet-supply.toml").write_text(QUIET_SUPPLY)
    document = new_document("bench")
    plan = document.plans[0]
    rig = replace(plan.rig, instruments=(BenchInstrument("quiet-supply", address),))
    factors = (Factor("load", (Measured(8.0, "ohm"),), ""), Factor("supply", (Measured(24.0, "V"),), ""))
    plan = replace(plan, rig=rig, factors=factors, steps=tuple(s for s in plan.steps if s.kind == "first_look"), claims=())
    document = replace(document, units=(replace(document.units[0], nominal_gain=30.0),), plans=(plan,))
    Job.create(tmp_path / "fed.calm", document).close()
    return tmp_path / "fed.calm"


def test_a_run_by_command_lets_its_instruments_go(serve, tmp_path):
    """They were left as they stood, and held, for whoever came next."""
    server, _ = serve("supply", SupplyModel())
    assert run(["run", str(powered(tmp_path, server.address)), "--missing"]) == 0
    assert "VOLT 24.0000" in server.heard
    end = time.monotonic() + 10
    while server.heard[-1] != "OUTP OFF" and time.monotonic() < end:  # nothing answers it, so it may be heard later
        time.sleep(0.01)
    assert server.heard[-1] == "OUTP OFF"


@pytest.mark.long
def test_a_turntable_turns_a_loudspeaker_by_itself(serve, tmp_path):
    """What is measured at 60 degrees differs from the front as the stand-in's directivity says: nobody turned by hand."""
    document = new_document("round", start=start_of("all-round"))
    plan, unit = document.plans[0], document.units[0]
    angles = (read_value("0 deg"), read_value("60 deg"))
    unit = replace(unit, stand_in="ceiling loudspeaker", nominal_gain=1.0)
    bench = bench_for(document := replace(document, units=(unit,)), unit.id)
    turned = []

    def turn(degrees):
        turned.append(degrees)
        bench.device.set("angle", Measured(math.radians(degrees), "rad"))

    server, _ = serve("turntable", TurntableModel(turn))
    rig = replace(plan.rig, instruments=(BenchInstrument("turntable", server.address),))
    steps = tuple(s for s in plan.steps if s.kind == "loudspeaker")
    plan = replace(plan, rig=rig, factors=(replace(plan.factors[0], values=angles),), steps=steps, claims=())
    document = replace(document, plans=(plan,))
    bench.have(rig)
    with contextlib.closing(Job.create(tmp_path / "round.calm", document)) as job, contextlib.closing(bench):
        cells = [c for c in document.cells(unit) if c.role != FLOOR]
        run_cells(job, cells, bench, RunHooks(ask=lambda _prompt: Answer.LET_RIG))
        assert turned in ([60.0], [0.0, 60.0], [60.0, 0.0])
        levels = {}
        for take in job.takes:
            curve = job.full(take).result.trace("response", 1)
            levels[take.setup.value("angle")] = 20 * math.log10(float(curve.magnitude[(curve.x > 8_000).argmax()]))
        assert levels[angles[0]] - levels[angles[1]] > 2.0  # treble goes forward


def test_a_supply_that_falls_silent_in_the_middle_is_told_and_the_take_is_kept(serve, tmp_path):
    document = new_document("silent")
    plan, quiet = document.plans[0], []
    server, _ = serve("supply", SupplyModel(), mangle=lambda text: "lots" if quiet and "E" in text and "," not in text else text)
    step = next(s for s in plan.steps if s.kind == "first_look")
    rig = replace(plan.rig, instruments=(BenchInstrument("supply", server.address),))
    plan = replace(plan, rig=rig, factors=plan.factors[:1], steps=(step,), claims=())
    document = replace(document, plans=(plan,))
    with contextlib.closing(Job.create(tmp_path / "silent.calm", document)) as job:
        cell = next(c for c in document.cells(document.units[0]) if c.role != FLOOR)
        quiet.append(True)
        with contextlib.closing(bench_for(document, "u1")) as bench, pytest.raises(MeasurementError, match="no number"):
            run_cells(job, [cell], bench, RunHooks(ask=lambda _prompt: Answer.LET_RIG))
        assert job.takes[-1].reading("level", 1) is not None
        assert not job.pending()


# --- a supply is switched on by nothing but a voltage and a limit that stand ---------------------------------------------


def test_looking_at_a_supply_switches_nothing_on(serve):
    server, supply = serve("supply", SupplyModel())
    assert supply.try_out()
    assert supply.read("supply").value == pytest.approx(0.0, abs=1e-2)
    assert not server.model.on


def test_a_supply_is_on_only_after_voltage_and_limit_were_read_back(serve):
    seen = []

    class Watched(SupplyModel):
        def write(self, header, value):
            seen.append(header)
            return super().write(header, value)

        def query(self, header):
            seen.append(header)
            return super().query(header)

    server, supply = serve("supply", Watched())
    supply.set("supply", Measured(12.0, "V"))
    assert server.model.on
    assert [s for s in seen if s in ("CURR", "CURR?", "VOLT", "VOLT?", "OUTP")] == ["CURR", "CURR?", "VOLT", "VOLT?", "OUTP"]
    supply.close()
    end = time.monotonic() + 2.0
    while server.model.on and time.monotonic() < end:
        time.sleep(0.01)
    assert not server.model.on


@pytest.mark.parametrize("stuck", ["VOLT?", "CURR?", "MEAS:VOLT?"])
def test_a_supply_that_does_not_stand_as_told_is_off(serve, stuck):
    class Stuck(SupplyModel):
        def query(self, header):
            return "7.7E+00" if header == stuck else super().query(header)

    server, supply = serve("supply", Stuck())
    with pytest.raises(MeasurementError, match=r"reads 7\.7"):
        supply.set("supply", Measured(12.0, "V"))
    end = time.monotonic() + 2.0
    while server.model.on and time.monotonic() < end:
        time.sleep(0.01)
    assert not server.model.on


def test_a_supply_without_a_limit_stays_off(serve):
    server, _ = serve("supply", SupplyModel())
    bare = ScpiInstrument(BenchInstrument("supply", server.address))
    with pytest.raises(InputError, match="stays off"):
        bare.set("supply", Measured(12.0, "V"))
    assert not server.model.on
    bare.close()

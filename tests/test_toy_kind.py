"""Adding a kind touches nothing else: a toy in pascal, with a surface, and a deduction on it, made here alone.

It is taken through run, store, claims, pictures, report, export, command line and window, none of which knows its names.
"""

import csv
import json
from dataclasses import dataclass, replace

import numpy as np
import pytest

from utter_calm.cli import run
from utter_calm.job.document import Cell, Claim, Factor, JobDocument, Plan, Setup, Step, Unit
from utter_calm.job.export import export_take, readings_table
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import DEDUCED, FLOOR, PLAYED
from utter_calm.job.verdict import Outcome
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.deduction import Deduction, Need
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, setting
from utter_calm.measure.kinds import also
from utter_calm.measure.result import Reading, ResultBuilder, Surface, Trace
from utter_calm.quantities import SPL_REFERENCE_PA, Measured
from utter_calm.report.svg import plot_svg
from utter_calm.report.write import report_html
from utter_calm.rig import MICROPHONE, stereo_rig

HALL = "row"
NEAR, FAR = Measured(0.5, "m"), Measured(1.0, "m")


@dataclass(frozen=True, slots=True)
class HumSettings(StepSettings):
    level_v: float = setting(0.1, "Level at the output", "V", low=1e-3, high=2)
    lines: int = setting(8, "Lines", "1", low=2, high=20, analysis_only=True)
    rate_hz: int = setting(48_000, "Sample rate", "Hz", low=44_100, high=192_000)


class Murmur(SingleStimulus[HumSettings]):
    key, title, question = "murmur", "Murmur", "How loud the hall answers"
    settings_type = HumSettings
    readings = with_roles(
        {
            "murmur_level": Declared("murmur", "sound_pressure", "R.m.s. pressure.", better="low", floored=True),
            "murmur_delay": Declared("delay", "time", "When it comes."),
        },
        "murmur_level", "murmur_delay",
    )  # fmt: skip
    traces = {"murmur": Declared("murmur", "sound_pressure", "Pressure over frequency.", floored=True)}
    surfaces = {"murmur_fall": Declared("murmur fall", "sound_pressure", "Pressure over frequency and time.")}
    plots = (
        PlotSpec("murmur", "Murmur", ("murmur",), unwanted=True),
        PlotSpec("fall", "Murmur fall", ("murmur_fall",), surface=True),
    )

    def signal(self, settings):
        return "a knock"

    def stimulus(self, settings):
        t = np.arange(4_800) / settings.rate_hz
        return Stimulus(settings.level_v * np.sqrt(2) * np.sin(2 * np.pi * 1_000 * t) * np.hanning(len(t)), settings.rate_hz)

    def conclude(self, settings, prepared, *, progress=None):
        out = ResultBuilder()
        f = np.geomspace(100, 10_000, 50)
        for number in prepared.numbers:
            pressure = float(np.sqrt(np.mean(prepared.signal(number) ** 2)))
            out.add("murmur_level", number, pressure, prepared.unit(number), pressure * prepared.u_level(number))
            out.add("murmur_delay", number, 0.0125, "s", 1e-5)
            out.traces.append(Trace("murmur", number, f, "Hz", pressure * (f / 1e3) ** -0.5, "Pa"))
            t = np.linspace(0, 0.3, settings.lines)
            fall = pressure * np.exp(-t[:, None] * 20) * (f / 1e3) ** -0.5
            out.surfaces.append(Surface("murmur_fall", number, f, "Hz", t, "s", fall, "Pa"))
        return out.build()


@dataclass(frozen=True, slots=True)
class RatioSettings(StepSettings):
    power: float = setting(1.0, "Power of the law", "1", low=0.1, high=4, analysis_only=True)


class Law(Deduction[RatioSettings]):
    key, title, question = "murmur_law", "Law of distance", "How the murmur falls with distance"
    settings_type = RatioSettings
    readings = with_roles({"murmur_ratio": Declared("near over far", "gain", "Pressure near over pressure far.")}, "murmur_ratio")
    traces = {"murmur_law": Declared("law", "sound_pressure", "Pressure over distance.")}
    plots = (PlotSpec("law", "Law of distance", ("murmur_law",), x="length"),)

    def signal(self, settings):
        return "from two distances"

    def needs(self, settings):
        return (Need("each", "at each distance", "murmur", many=True),)

    def consumes(self, settings):
        return (HALL, "load")

    def deduce(self, settings, takes):
        out = ResultBuilder()
        given = sorted(takes["each"], key=lambda g: g.conditions[0][1].value)
        x = np.array([g.conditions[0][1].value for g in given])
        y = np.array([g.result.reading("murmur_level").value for g in given])
        out.traces.append(Trace("murmur_law", 1, x, "m", y, "Pa"))
        out.add("murmur_ratio", 1, float((y[0] / y[-1]) ** settings.power), "1", 1e-3)
        return out.build()


@pytest.fixture(autouse=True)
def _toys():
    with also(Murmur(), Law()):
        yield


def hall_rig():
    rig = stereo_rig("Hall", pickup_ratio=1.0, inputs=1)
    return replace(rig, inputs=(replace(rig.inputs[0], role=MICROPHONE, unit="Pa", full_scale=20.0, u_level=0.02),))


def document(factor=Factor(HALL, (NEAR, FAR), "Move the microphone to {value}.")):  # noqa: B008 - frozen
    steps = tuple(Step(key, key).with_settings(t()) for key, t in (("murmur", HumSettings), ("murmur_law", RatioSettings)))
    claims = (
        Claim("loud", "Murmur below 130 dB SPL", "murmur", "murmur_level", high=SPL_REFERENCE_PA * 10 ** (130 / 20)),
        Claim("law", "At least 6 dB from near to far", "murmur_law", "murmur_ratio", low=10 ** (6 / 20)),
    )
    plan = Plan("p", rig=hall_rig(), steps=steps, factors=(factor,), claims=claims)
    return JobDocument("Hall", (Unit(id="u1", plan="p", name="Dome hall", nominal_gain=1.0),), (plan,))


CELLS = [Cell.floor("murmur"), *(Cell("u1", "murmur", Setup(((HALL, v),))) for v in (NEAR, FAR)), Cell("u1", "murmur_law", Setup())]


@pytest.fixture
def hall(tmp_path):
    job = Job.create(tmp_path / "hall.calm", document())
    bench = simulated_bench(job.document.plans[0].rig)
    run_cells(job, CELLS, bench, RunHooks(ask=lambda _: Answer.DONE))
    yield job
    job.close()


def test_it_runs_and_comes_back_out_of_the_file(hall):
    assert hall.missing() == []
    again = Job.open(hall.path)
    near, law = again.current(CELLS[1]), again.current(CELLS[3])
    assert (near.origin, law.origin) == (PLAYED, DEDUCED)
    assert [s.role for s in near.sources] == [FLOOR]
    assert {s.take for s in law.sources} == {again.current(c).id for c in CELLS[1:3]}
    assert near.reading("murmur_level").unit == "Pa"
    full = again.full(near).result
    (fall,) = full.surfaces
    assert fall.values.shape == (8, 50)
    assert fall.values[0] == pytest.approx(full.trace("murmur").magnitude)
    again.close()


def test_its_claims_are_judged_in_its_own_units(hall):
    outcomes = {(v.claim.id, str(cell.setup)): v.outcome for v, cell in hall.claim_rows()}
    assert len(outcomes) == 3
    assert {o for (claim, _), o in outcomes.items() if claim == "loud"} == {Outcome.MET}
    assert [o for (claim, _), o in outcomes.items() if claim == "law"] == [Outcome.MISSED]


def test_a_newer_take_makes_the_deduction_stale_and_one_call_renews_it(hall):
    law = hall.current(CELLS[3])
    assert not hall.stale(law)
    before = hall.verdicts(CELLS[3])[0]
    elder = hall.current(CELLS[1])
    louder = replace(hall.full(elder).result, readings=(Reading("murmur_level", 1, 3.0, "Pa"),))
    hall.append(CELLS[1], HumSettings(), louder, capture=hall.capture(elder))
    assert "measured again since" in hall.stale(law)
    assert hall.verdicts(CELLS[3])[0] == before  # fixed when it was made
    renewed = hall.renew(hall.current(CELLS[3]))
    assert not hall.stale(renewed)
    assert hall.verdicts(CELLS[3])[0] != before


def test_the_report_and_both_pictures_say_pascal_and_decibels(hall):
    html = report_html(hall)
    for words in ("Murmur", "Law of distance", "dB SPL", "distance"):
        assert words in html
    from tests.conftest import shown
    from utter_calm.present.picture.compose import plot_view

    (near,) = shown(hall.full(hall.current(CELLS[1])))
    curve, fall = (plot_view([near], key) for key in ("murmur", "fall"))
    assert "dB SPL" in curve.y.label
    assert fall.surface is not None
    assert "data:image/png" in plot_svg(fall)
    assert "dB SPL" in plot_svg(fall)


def test_it_is_exported_whole(hall, tmp_path):
    take = hall.current(CELLS[1])
    export_take(hall, take, tmp_path / "a.json")
    told = json.loads((tmp_path / "a.json").read_text())
    assert {"murmur_fall"} == {m["name"] for m in told["surfaces"]}
    export_take(hall, take, tmp_path / "fall.csv", trace="murmur_fall")
    rows = list(csv.reader((tmp_path / "fall.csv").read_text().splitlines()))
    assert len(rows) >= 9
    export_take(hall, hall.current(CELLS[3]), tmp_path / "law.csv")
    assert "m" in (tmp_path / "law.csv").read_text().splitlines()[0]
    assert {"murmur_level", "murmur_ratio"} <= {str(row["name"]) for row in readings_table(hall)}


def test_the_command_line_runs_it(tmp_path, capsys):
    path = tmp_path / "cli.calm"
    loads = Factor("load", (Measured(8.0, "ohm"), Measured(4.0, "ohm")))  # what the bench can switch without a hand
    Job.create(path, document(loads)).close()
    assert run(["run", str(path), "--json"]) in (0, 1)
    told = json.loads(capsys.readouterr().out)
    assert [t["step"] for t in told["takes"] if t["role"] == "unit"] == ["murmur", "murmur", "murmur_law"]
    assert next(t["origin"] for t in told["takes"] if t["step"] == "murmur_law") == "deduced"
    assert run(["table", str(path), "--claims"]) == 1
    assert "dB SPL" in capsys.readouterr().out


def test_what_a_deduction_needs_is_said_when_it_is_missing(tmp_path):
    from utter_calm.errors import MeasurementError

    job = Job.create(tmp_path / "a.calm", document())
    with pytest.raises(MeasurementError, match="at each distance"):
        job.deduce(CELLS[3])
    job.close()

"""``run`` with repeats, resuming and chosen cells; and files that nobody prepared."""

import itertools
import json

import numpy as np
import pytest
import soundfile

from tests.conftest import small_demo
from utter_calm.demo import demo_document
from utter_calm.job.document import Cell
from utter_calm.job.job import Job

COMMANDS = ("tone", "noise", "multitone", "imd", "edges")


@pytest.fixture
def job_path(tmp_path):
    path = tmp_path / "a.calm"
    Job.create(path, small_demo()).close()
    return path


def takes(path):
    job = Job.open(path)
    try:
        return [(t.cell.step, t.role, str(t.cell.setup)) for t in job.takes]
    finally:
        job.close()


@pytest.mark.long
def test_each_cell_is_taken_as_often_as_asked_and_the_rig_once(call, job_path):
    status, out, _ = call("run", job_path, "--steps", "first-look", "--setups", "8 ohm", "--repeat", "3", "--json")
    assert status in (0, 1)
    assert [t["role"] for t in json.loads(out)["takes"]].count("unit") == 3
    assert [role for _, role, _ in takes(job_path)].count("floor") == 1


def test_an_interrupted_run_goes_on(call, job_path):
    job = Job.open(job_path)
    job.write_pending([Cell("u1", "first-look", job.document.plans[0].setups()[1])])
    job.close()
    status, _, _ = call("run", job_path, "--resume", "--json")
    assert status in (0, 1)
    assert takes(job_path) == [("first-look", "unit", "load 4 Ω")]
    status, out, _ = call("run", job_path, "--resume", "--json")
    assert json.loads(out)["takes"] == []


def test_steps_of_any_unit_are_run_by_their_id(call, tmp_path):
    path = tmp_path / "all.calm"
    Job.create(path, demo_document()).close()
    status, out, err = call(
        "run", path, "--steps", "cable-noise", "--steps", "conv-noise", "--setups", "no. 3", "--no-floor", "--json"
    )
    found = json.loads(out)["takes"]
    assert status == 0
    assert [t["setup"] for t in found] == [{"load": "10000 ohm", "cable": "no. 3"}]
    noise = {(r["name"], r["channel"]): r["value"] for r in found[0]["readings"]}
    assert noise["noise", 2] > 50 * noise["noise", 1]
    assert "cable no. 3" in err


def test_claims_of_all_units_stand_in_one_table(call, tmp_path):
    path = tmp_path / "all.calm"
    Job.create(path, demo_document()).close()
    status, out, _ = call("table", path, "--claims", "--json")
    rows = json.loads(out)["verdicts"]
    assert status == 0
    assert {r["outcome"] for r in rows} == {"not measured"}
    assert {"gain", "pre-gain", "d-watts", "v-watts", "t-top", "c-range", "p-flat"} <= {r["claim"] for r in rows}


@pytest.mark.parametrize("arguments", [("--steps", "gone"), ("--setups", "3 ohm"), ("--repeat", "0")])
def test_what_is_not_in_the_plan_is_said(call, job_path, arguments):
    status, out, err = call("run", job_path, *arguments)
    assert (status, out) == (2, "")
    assert "Traceback" not in err


def strange_records(rng):
    """Records that nobody prepared, each a little wrong in its own way."""
    rate, t = 48_000, np.arange(48_000) / 48_000
    yield "noise only", rng.normal(0, 0.1, 48_000), rate
    yield "one click", np.concatenate([np.zeros(20_000), [0.9], np.zeros(20_000)]), rate
    yield "direct voltage", np.full(48_000, 0.25), rate
    yield "ramp", np.linspace(-1, 1, 48_000), rate
    yield "full scale square", np.sign(np.sin(2 * np.pi * 50 * t)), rate
    yield "very short", rng.normal(0, 0.1, 7), rate
    yield "tone at the top", np.sin(2 * np.pi * 23_900 * t), rate
    yield "very slow", np.sin(2 * np.pi * 0.7 * t), rate
    yield "next to nothing", 1e-9 * np.sin(2 * np.pi * 997 * t), rate
    yield "bursts", np.sin(2 * np.pi * 1_000 * t) * (np.sin(2 * np.pi * 3 * t) > 0.9), rate
    yield "low rate", np.sin(2 * np.pi * 440 * np.arange(8_000) / 8_000), 8_000
    yield "chirp", np.sin(2 * np.pi * 5_000 * t**2), rate


@pytest.mark.sampled(2)
@pytest.mark.parametrize("command", COMMANDS)
def test_no_record_brings_a_command_down(call, tmp_path, command, noise):
    """Either it measures, finite throughout, or it says in one line why it cannot."""
    for name, record, rate in strange_records(noise):
        path = tmp_path / "strange.wav"
        soundfile.write(path, record, rate, subtype="DOUBLE")
        status, out, err = call("analyze", command, path, "--json")
        assert status in (0, 2), (command, name)
        if status == 2:
            assert err.count("\n") == 1, (command, name, err)
            assert "Traceback" not in err
            continue
        found = json.loads(out)
        assert all(np.isfinite(r["value"]) for r in found["readings"]), (command, name)
        for trace in found["traces"]:
            assert np.all(np.isfinite(trace["magnitude"])), (command, name, trace["name"])
            assert len(trace["x"]) == len(trace["magnitude"])


@pytest.mark.parametrize("command", [("level-series", "{0}", "{1}"), ("output-impedance", "{0}", "{1}", "--load", "8")])
def test_no_pair_of_records_does_either(call, tmp_path, command, noise):
    records = list(strange_records(noise))
    for one, two in itertools.pairwise(records):
        paths = []
        for number, (_, record, rate) in enumerate((one, two)):
            paths.append(tmp_path / f"{number}.wav")
            soundfile.write(paths[-1], record, rate, subtype="DOUBLE")
        status, out, err = call("analyze", *(a.format(*paths) for a in command), "--json")
        assert status in (0, 2), (one[0], two[0])
        assert "Traceback" not in err
        if status == 0:
            assert all(np.isfinite(r["value"]) for r in json.loads(out)["readings"]), (one[0], two[0])


@pytest.mark.parametrize("command", COMMANDS)
def test_channels_are_measured_by_themselves(call, tmp_path, command, noise):
    """A silent neighbour is said in trust; asked for alone it is an error."""
    from utter_calm.signals.square import square

    rate = 96_000
    t = np.arange(2 * rate) / rate
    good = {
        "tone": lambda: 0.5 * np.sin(2 * np.pi * 997 * t),
        "noise": lambda: noise.normal(0, 1e-3, len(t)),
        "multitone": lambda: sum(0.05 * np.sin(2 * np.pi * f * t) for f in (100, 300, 1_000, 3_000)),
        "imd": lambda: 0.4 * np.sin(2 * np.pi * 60 * t) + 0.1 * np.sin(2 * np.pi * 7_000 * t),
        "edges": lambda: square(1_003, 0.3, rate, len(t)),
    }[command]()
    path = tmp_path / "a.wav"
    soundfile.write(path, np.stack([np.zeros(len(t)), good], axis=1), rate, subtype="PCM_24")
    status, out, _ = call("analyze", command, path, "--json")
    found = json.loads(out)
    assert status == 0
    assert {r["channel"] for r in found["readings"]} == {2}
    assert "channel_unusable" in {t["code"] for t in found["trust"]}
    assert call("analyze", command, path, "--channel", "1")[0] == 2
    assert call("analyze", command, path, "--channel", "3")[0] == 2
    status, out, _ = call("analyze", command, path, "--channel", "2")
    assert status == 0
    assert "channel 2" in out

"""Job files of older versions are brought forward whole: measured values, curves, verdicts, samples, notes."""

import json
import lzma
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from utter_calm.errors import JobFileError
from utter_calm.job.document import Cell, Setup
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.store.schema import VERSION
from utter_calm.job.take import AGAIN, FLOOR
from utter_calm.measure.deduction import Deduction
from utter_calm.quantities import Measured

DATA = Path(__file__).parent / "data" / "version-2.calm.xz"
EIGHT, FOUR = (Setup((("load", Measured(ohm, "ohm")),)) for ohm in (8.0, 4.0))


@pytest.fixture
def old(tmp_path):
    """A job measured and stored by the program when it wrote version 2."""
    path = tmp_path / "old.calm"
    path.write_bytes(lzma.decompress(DATA.read_bytes()))
    return path


def rows(path, sql):
    connection = sqlite3.connect(path)
    try:
        return connection.execute(sql).fetchall()
    finally:
        connection.close()


def test_every_take_comes_along_with_all_that_it_holds(old):
    before = rows(old, "SELECT id, readings, note, settings FROM take ORDER BY id")
    arrays = rows(old, "SELECT take, position, x, magnitude, phase FROM trace ORDER BY take, position")
    job = Job.open(old)
    assert rows(old, "PRAGMA user_version") == [(VERSION,)]
    assert [t.id for t in job.takes] == [row[0] for row in before]
    for take, (_, readings, note, settings) in zip(job.takes, before, strict=True):
        told = [(r["name"], r["channel"], r["value"], r.get("uncertainty")) for r in json.loads(readings)]
        assert [(r.name, r.channel, r.value, r.uncertainty) for r in take.readings] == told
        assert take.note == note
        played = {k: v for k, v in json.loads(settings).items() if not isinstance(v, str)}
        assert {k: v for k, v in take.settings.items() if not isinstance(v, str)} == played
    for take in job.takes:
        curves = job.full(take).result.traces
        mine = [row for row in arrays if row[0] == take.id]
        assert len(curves) == len(mine)
        for curve, (_, _, x, magnitude, _) in zip(curves, mine, strict=True):
            assert np.array_equal(curve.x, np.frombuffer(x))
            assert np.array_equal(curve.magnitude, np.frombuffer(magnitude))
    job.close()


def test_units_conditions_and_sources_are_what_they_were(old):
    job = Job.open(old)
    assert [u.title for u in job.document.units][:1] == [job.takes[0].unit_title]
    unit = job.document.units[0].id
    eight = job.current(Cell(unit, "first-look", EIGHT))
    assert (eight.id, job.current(Cell(unit, "first-look", FOUR)).id) == (6, 3)
    assert next(s for s in eight.sources if s.role == AGAIN).take == 1
    assert eight.floor == 4
    assert job.take(4).role == FLOOR
    assert job.take(4).cell.unit == ""
    assert [t.superseded_by for t in job.takes] == [5, None, None, None, 6, None]
    levels = {t.at for t in job.full(job.take(2)).result.traces}
    assert {dict(at)["level"] for at in levels} == {Measured(0.1, "V"), Measured(0.03, "V")}
    job.close()


def test_samples_and_verdicts_are_the_same(old):
    job = Job.open(old)
    take = job.take(1)
    again = job.derive(take, job.settings_of(take))
    assert again.reading("level").value == pytest.approx(take.reading("level").value, rel=1e-9)
    # noise is read from more of the record now
    assert again.reading("thd_n", 2).value == pytest.approx(take.reading("thd_n", 2).value, rel=0.01)
    cell = Cell(job.document.units[0].id, "first-look", FOUR)
    assert {v.claim.id: v.outcome.value for v in job.verdicts(cell)} == {"gain": "met"}
    job.close()


def test_a_power_series_stands_once_and_what_it_is_deduced_from_is_planned(old):
    job = Job.open(old)
    plan = job.document.plans[0]
    power = plan.step("power")
    assert isinstance(power.measure, Deduction)
    assert len(plan.setups_of(power)) == 1
    series = next(s for s in plan.steps if s.kind == "level_series")
    assert {u.value("load") for u in plan.setups_of(series)} == {Measured(8.0, "ohm"), Measured(4.0, "ohm")}
    cells = [Cell("u1", series.id, setup) for setup in plan.setups_of(series)] + [Cell("u1", "power", Setup())]
    run_cells(job, cells, simulated_bench(plan.rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    assert job.current(cells[-1]).reading("rated_power").value == pytest.approx(61.6, rel=0.02)
    job.close()


def changed(path, change):
    """The old file with another document, as the old program would have written it."""
    connection = sqlite3.connect(path)
    document = json.loads(connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()[0])
    change(document["plans"][0])
    connection.execute("UPDATE document SET json = ? WHERE part = 'job'", (json.dumps(document),))
    return connection


def test_loads_that_a_deduction_asks_for_are_planned_for_it_alone(old):
    def change(plan):
        plan["steps"][2]["settings"]["loads"] = "8 ohm, 2 ohm"
        settings = {"side": "output, from two loads", "first_load": "none", "second_load": "8 ohm", "level_v": 0.05}
        plan["steps"].append({"id": "z", "kind": "impedance", "settings": settings, "label": "", "where": [], "relative": None})

    connection = changed(old, change)
    # a power series that the old program had measured, under the load under which it stood
    columns = [c[1] for c in connection.execute("PRAGMA table_info(take)")]
    row = dict(
        zip(columns, connection.execute("SELECT * FROM take WHERE step = 'first-look' AND role = 'unit'").fetchone(), strict=True)
    )
    row |= {"id": 99, "step": "power", "kind": "power_series", "settings": json.dumps({"bound": 0.01, "claims": ""})}
    connection.execute(f"INSERT INTO take VALUES ({', '.join('?' * len(columns))})", [row[c] for c in columns])
    connection.commit()
    connection.close()
    job = Job.open(old)
    plan = job.document.plans[0]
    loads = {s.id: [u.value("load") for u in plan.setups_of(s)] for s in plan.steps if s.kind not in ("impedance", "power_series")}
    eight, four, two = (Measured(v, "ohm") for v in (8.0, 4.0, 2.0))
    assert loads["first-look"] == [eight, four]  # as before
    assert loads["power-from"] == [eight, two]
    assert set(loads["z-from"]) == {eight, "none"}
    assert plan.step("z-from").settings["level_v"] == 0.05
    assert job.current(Cell("u1", "power", Setup())).id == 99
    job.close()


def test_bringing_forward_is_all_or_nothing(old, monkeypatch):
    from utter_calm.job.store import migrations

    def break_down(connection, path):
        migrations.channels_apart(connection, path)
        raise sqlite3.OperationalError("disk is full")

    monkeypatch.setitem(migrations.MIGRATIONS, 2, break_down)
    with pytest.raises(JobFileError):
        Job.open(old)
    assert rows(old, "PRAGMA user_version") == [(2,)]
    assert len(rows(old, "SELECT readings FROM take")) == 6
    monkeypatch.undo()
    Job.open(old).close()


def test_a_copy_is_kept_or_the_file_is_read_only(old, monkeypatch):
    import os

    monkeypatch.setattr(os, "access", lambda _path, _mode: False)
    job = Job.open(old)
    assert job.read_only
    assert len(job.takes) == 6
    job.close()
    assert rows(old, "PRAGMA user_version") == [(2,)]


def test_version_1_goes_both_steps(old):
    """What stood in the job itself is its only unit."""
    connection = sqlite3.connect(old)
    with connection:
        whole = json.loads(connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()[0])
        flat = {**{k: v for k, v in whole.items() if k != "plans"}, **whole["plans"][0]}
        flat.pop("reference", None)
        connection.execute("UPDATE document SET json = ? WHERE part = 'job'", (json.dumps(flat),))
        connection.execute("PRAGMA user_version = 1")
    connection.close()
    job = Job.open(old)
    assert len(job.document.units) == 1
    assert job.current(Cell(job.document.units[0].id, "first-look", EIGHT)).id == 6
    job.close()


@pytest.mark.parametrize("damage", ["UPDATE take SET setup = '{'", "UPDATE document SET json = '[]'", "UPDATE take SET rig = 'x'",
                                    "UPDATE trace SET head = '{}'", "UPDATE capture SET circumstances = '1'"])  # fmt: skip
def test_damage_in_an_old_file_is_said_and_changes_nothing(old, damage):
    connection = sqlite3.connect(old)
    with connection:
        connection.execute(damage)
    connection.close()
    with pytest.raises(JobFileError, match=r"old\.calm"):
        Job.open(old)
    assert rows(old, "PRAGMA user_version") == [(2,)]


EXPECTED = {
    1: {1: 2.822349541500504, 2: 2.0000003627968748, 3: 2.8064625331005773},
    3: {1: 2.8387998150571407, 3: 2.8223520031957463, 4: 2.8064624887237706},
    4: {1: 2.8387998150571407, 3: 2.8223520031957463, 4: 2.8064624887237706},
}
"""Levels as the program of that version printed them when it wrote the file."""


@pytest.mark.parametrize("version", sorted(EXPECTED))
def test_a_file_that_each_version_wrote_opens_whole(version, tmp_path):
    path = tmp_path / "old.calm"
    path.write_bytes(lzma.decompress(DATA.with_name(f"version-{version}.calm.xz").read_bytes()))
    assert rows(path, "PRAGMA user_version") == [(version,)]
    job = Job.open(path)
    assert not job.spoilt
    told = {t.id: t.reading("level").value for t in job.takes if t.kind == "first_look"}
    assert told == pytest.approx(EXPECTED[version], rel=1e-15)
    for take in job.takes:
        again = job.derive(take, job.settings_of(take))
        name = "level" if take.kind == "first_look" else "sensitivity_2v83"
        assert again.reading(name).value == pytest.approx(take.reading(name).value, rel=1e-3)
        assert take.bench is None  # nobody knows what stood there
    if version > 1:
        assert job.take(1).note == "a note"
        assert [c.step for c in job.pending()] == ["loudspeaker"]
    job.close()
    assert rows(path, "PRAGMA user_version") == [(VERSION,)]
    assert sorted(p.name for p in tmp_path.iterdir() if p.suffix in (".calm", ".part")) == ["old.calm"]


def test_the_old_file_stands_until_the_new_one_is_whole(old, monkeypatch):
    """Whatever ends the program while a file is brought forward: the old one is there, to the last byte."""
    from utter_calm.job.store import migrations

    before = old.read_bytes()
    seen = []

    def look(path):
        seen.append(old.read_bytes() == before)
        raise KeyboardInterrupt

    monkeypatch.setattr(migrations, "synced", look)
    with pytest.raises(KeyboardInterrupt):
        Job.open(old)
    assert seen == [True]
    assert old.read_bytes() == before
    assert not list(old.parent.glob(".*.part"))


def test_damage_to_old_samples_stays_damage(tmp_path):
    path = tmp_path / "old.calm"
    path.write_bytes(lzma.decompress(DATA.with_name("version-4.calm.xz").read_bytes()))
    connection = sqlite3.connect(path)
    with connection:
        data = bytearray(connection.execute("SELECT data FROM capture WHERE id = 1").fetchone()[0])
        data[len(data) // 2] ^= 1
        connection.execute("UPDATE capture SET data = ? WHERE id = 1", (bytes(data),))
    connection.close()
    job = Job.open(path)
    with pytest.raises(JobFileError, match="damaged"):
        job.capture(job.take(1))
    job.close()

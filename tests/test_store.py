"""The job file: nothing that was finished is ever lost, and no file can crash the program."""

import os
import signal
import sqlite3
import subprocess
import sys
import textwrap
import time
import tracemalloc
import zlib
from dataclasses import fields

import msgspec
import numpy as np
import pytest
from hypothesis.extra.numpy import arrays

from tests.conftest import small_demo
from tests.untimed import HealthCheck, given, settings, st
from utter_calm.errors import FileError, InputError, JobFileError, UtterCalmError
from utter_calm.formats.lossless import FLAC, FLOAT64, decode, encode
from utter_calm.job.document import NO_SETUP, Cell
from utter_calm.job.job import Job, job_path
from utter_calm.job.store import JobStore
from utter_calm.job.store.schema import VERSION
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.kinds import kind_of


@given(arrays(np.int32, st.tuples(st.integers(1, 50), st.integers(1, 3)), elements=st.integers(-(2**23), 2**23 - 1)))
@settings(suppress_health_check=[HealthCheck.too_slow], deadline=None, max_examples=30)
def test_24_bit_captures_come_back_to_the_bit(steps):
    samples = steps / 2**23
    encoding, data = encode(samples, 96_000)
    assert encoding == FLAC
    assert np.array_equal(decode(encoding, data, *samples.shape), samples)


def test_anything_else_comes_back_too(noise):
    samples = noise.normal(0, 3, (100, 2))
    encoding, data = encode(samples, 96_000)
    assert encoding == FLOAT64
    assert np.array_equal(decode(encoding, data, 100, 2), samples)
    for broken in (
        (FLOAT64, data[:50], 100, 2),
        (FLOAT64, data, 101, 2),
        (FLAC, b"nonsense", 1, 1),
        ("mp0", b"", 1, 1),
    ):
        with pytest.raises(FileError, match="damaged"):
            decode(*broken)
    with pytest.raises(FileError):
        decode(FLOAT64, data, 10**12, 2)


def test_a_take_comes_back_as_it_was(measured):
    take = measured.current(Cell("u1", "response", measured.document.plans[0].setups()[0]))
    full = measured.full(take)
    path = measured.path
    measured.close()
    again = Job.open(path)
    other = again.full(again.take(take.id))
    assert again.document == small_demo()
    assert other.summary.readings == take.readings
    assert [t.name for t in other.result.traces] == [t.name for t in full.result.traces]
    for one, two in zip(full.result.traces, other.result.traces, strict=True):
        assert np.array_equal(one.magnitude, two.magnitude)
        assert (one.valid, one.x_unit) == (two.valid, two.x_unit)
    capture = again.capture(take)
    assert capture.samples.shape[1] == 2
    assert capture.rig == again.document.plans[0].rig
    again.close()


def test_what_is_shown_of_a_take_just_made_is_what_the_file_gives(measured):
    """Its curves are kept from when it was stored: they must be those that anybody else reads, to the bit."""
    again = Job.open(measured.path)
    for take in measured.takes[-1:]:
        kept, read = measured.full(take).result, again.full(again.take(take.id)).result
        assert [s.name for s in kept.surfaces] == [s.name for s in read.surfaces]
        for one, two in zip(kept.traces, read.traces, strict=True):
            for field in fields(one):
                mine, theirs = getattr(one, field.name), getattr(two, field.name)
                assert np.array_equal(mine, theirs) if isinstance(mine, np.ndarray) else mine == theirs, (one.name, field.name)
    again.close()


def test_takes_are_never_overwritten_only_superseded(measured):
    setup = measured.document.plans[0].setups()[0]
    old = measured.current(Cell("u1", "first-look", setup))
    full = measured.full(old)
    new = measured.append(Cell("u1", "first-look", setup), FirstLookSettings(), full.result, capture=measured.capture(old))
    assert measured.current(Cell("u1", "first-look", setup)).id == new.id
    assert measured.take(old.id).superseded_by == new.id
    assert {t.id for t in measured.takes} >= {old.id, new.id}
    path = measured.path
    measured.close()
    again = Job.open(path)
    assert again.take(old.id).superseded_by == new.id
    again.close()


def test_an_old_capture_is_analysed_again_with_another_band(measured):
    old = measured.current(Cell("u1", "first-look", measured.document.plans[0].setups()[0]))
    wide = FirstLookSettings(**{**old.settings, "band_high_hz": 40_000.0, "rate_hz": 96_000})
    new = measured.derive(old, wide)
    assert new.derived_from == old.id
    assert new.capture_id == old.capture_id
    ratio = new.reading("noise").value / old.reading("noise").value
    assert ratio == pytest.approx(np.sqrt(2), rel=0.06)
    assert new.reading("level").value == pytest.approx(old.reading("level").value, rel=1e-9)
    with pytest.raises(InputError, match="cannot be changed after the recording"):
        measured.derive(old, FirstLookSettings(**{**old.settings, "level_v": 0.2, "rate_hz": 96_000}))


def test_saving_under_another_name_takes_everything_along(measured, tmp_path):
    before, old_path = measured.takes, measured.path
    measured.save_as(tmp_path / "copy.calm")
    assert measured.path.name == "copy.calm"
    assert [t.id for t in measured.takes] == [t.id for t in before]
    assert old_path.exists()
    with pytest.raises(JobFileError, match="exists already"):
        measured.save_as(old_path)
    assert measured.full(measured.takes[0]).result.traces


def test_creating_never_overwrites(tmp_path):
    path = tmp_path / "a.calm"
    path.write_text("mine")
    with pytest.raises(JobFileError, match="exists already"):
        Job.create(path, small_demo())
    assert path.read_text() == "mine"
    with pytest.raises(JobFileError, match="cannot be created"):
        Job.create(tmp_path / "no" / "folder.calm", small_demo())
    with pytest.raises(JobFileError, match="needs a name"):
        job_path("  ")
    assert job_path("x").name == "x.calm"


def test_what_is_no_job_file_says_so(tmp_path, measured_path):
    empty, text, cut = tmp_path / "empty.calm", tmp_path / "text.calm", tmp_path / "cut.calm"
    empty.touch()
    text.write_text("once upon a time " * 100)
    cut.write_bytes(measured_path.read_bytes()[:30_000])
    other = tmp_path / "other.calm"
    with sqlite3.connect(other) as connection:
        connection.execute("CREATE TABLE cats (name TEXT)")
    connection.close()
    for path in (empty, text, cut, other, tmp_path / "missing.calm", tmp_path):
        with pytest.raises(JobFileError) as caught:
            Job.open(path)
        assert str(path) in str(caught.value)


def test_a_newer_file_is_refused_and_not_touched(tmp_path, measured_path):
    path = tmp_path / "newer.calm"
    path.write_bytes(measured_path.read_bytes())
    connection = sqlite3.connect(path)
    connection.execute(f"PRAGMA user_version = {VERSION + 1}")
    connection.commit()
    connection.close()
    before = path.read_bytes()
    with pytest.raises(JobFileError, match="newer version"):
        Job.open(path)
    assert path.read_bytes() == before


@pytest.mark.parametrize(
    "damage",
    [
        "UPDATE document SET json = '{'",
        "UPDATE document SET json = '5' WHERE part = 'plans'",
        "UPDATE document SET json = '[]' WHERE part = 'plans'",
        "UPDATE document SET json = '[]' WHERE part = 'units'",
        "UPDATE trace SET magnitude = x || x'00'",
        "DELETE FROM document",
        "UPDATE text SET json = '{\"ceiling_v\": -1}'",
        "DROP TABLE trace",
        "CREATE TRIGGER t AFTER INSERT ON take BEGIN DELETE FROM take; END",
        "UPDATE trace SET x = x'0102'",
        "UPDATE trace SET magnitude = NULL",
        "UPDATE capture SET data = x'00'",
        "UPDATE capture SET frames = 'many'",
    ],
)
def test_no_damage_inside_gets_past_one_clear_sentence(tmp_path, measured_path, damage):
    path = tmp_path / "damaged.calm"
    path.write_bytes(measured_path.read_bytes())
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA ignore_check_constraints = ON")
    try:
        connection.execute(damage)
    except sqlite3.IntegrityError:
        connection.close()
        return  # the file's own rules did not let it happen
    connection.commit()
    connection.close()
    with pytest.raises(UtterCalmError):  # noqa: PT012
        job = Job.open(path)
        try:
            for take in job.takes:
                job.full(take)
                job.capture(take)
        finally:
            job.close()


@pytest.mark.parametrize(
    "damage",
    ["UPDATE reading SET value = 'much' WHERE take = 2", "UPDATE reading SET coordinates = '[5]' WHERE take = 2",
     "UPDATE reading SET name = x'00' WHERE take = 2", "UPDATE take SET trust = '[]]' WHERE id = 2"],
)  # fmt: skip
def test_damaged_readings_spoil_their_take_only_and_are_had_again_from_its_samples(tmp_path, measured_path, damage):
    path = tmp_path / "damaged.calm"
    path.write_bytes(measured_path.read_bytes())
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA ignore_check_constraints = ON")
    with connection:
        connection.execute(damage)
    connection.close()
    job = Job.open(path)
    assert [t.id for t in job.takes if any(w.code == "unreadable" for w in t.trust)] == [2]
    broken = job.take(2)
    assert broken.readings == ()
    again = job.derive(broken, msgspec.convert(broken.settings, kind_of(broken.kind).settings_type, strict=False))
    assert again.readings
    job.close()


def test_the_readings_of_a_take_are_decoded_when_they_are_asked_for(measured_path, monkeypatch):
    decoded = []
    honest = JobStore._findings
    monkeypatch.setattr(JobStore, "_findings", lambda *args: decoded.append(args) or honest(*args))
    job = Job.open(measured_path)
    assert not decoded
    assert job.takes[0].readings == job.takes[0].readings
    assert len(decoded) == 1
    job.close()


@given(st.integers(0, 10**6), st.integers(0, 255))
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_flipped_byte_never_crashes(tmp_path, measured_path, place, value):
    data = bytearray(measured_path.read_bytes()[:400_000])
    data[place % len(data)] = value
    path = tmp_path / f"flip-{place}-{value}.calm"
    path.write_bytes(data)
    try:
        Job.open(path).close()
    except UtterCalmError:
        pass
    finally:
        path.unlink()


def test_a_full_disk_is_said_and_loses_nothing(measured):
    take = measured.takes[0]
    result, capture = measured.full(take).result, measured.capture(take)
    store: JobStore = measured._store
    pages = store._connection.execute("PRAGMA page_count").fetchone()[0]
    store._connection.execute(f"PRAGMA max_page_count = {pages + 3}")
    with pytest.raises(JobFileError, match="full") as caught:
        measured.append(Cell("u1", "first-look", take.setup), FirstLookSettings(), result, capture=capture)
    assert "Make room" in caught.value.hint
    count = len(measured.takes)
    path = measured.path
    measured.close()
    again = Job.open(path)
    assert len(again.takes) == count
    assert again.full(again.takes[0]).result.traces
    again.close()


def test_a_read_only_folder(measured_path, tmp_path, monkeypatch):
    folder = tmp_path / "shelf"
    folder.mkdir()
    path = folder / "job.calm"
    path.write_bytes(measured_path.read_bytes())
    monkeypatch.setattr(os, "access", lambda _path, _mode: False)  # root may write anywhere: say that it may not
    job = Job.open(path)
    assert job.read_only
    assert job.full(job.takes[0]).result.traces
    with pytest.raises(JobFileError, match="reading only"):
        job.write_note(job.takes[0], "a note")
    monkeypatch.undo()
    job.save_as(tmp_path / "writable.calm")
    assert not job.read_only
    job.write_note(job.takes[0], "a note")
    job.close()


@pytest.mark.timeout(180)
def test_kill_9_during_a_run_of_ten_takes(tmp_path):
    """The file opens, and the takes that were finished are there, whole."""
    path = tmp_path / "killed.calm"
    script = textwrap.dedent(
        f"""
        from pathlib import Path
        from tests.conftest import small_demo
        from utter_calm.job.run.bench import simulated_bench
        from utter_calm.job.job import Job
        from utter_calm.job.document import Cell
        from utter_calm.job.run.prompt import Answer
        from utter_calm.job.run.run import RunHooks, run_cells
        job = Job.create(Path({str(path)!r}), small_demo())
        cells = [Cell("u1", "first-look", u) for u in job.document.plans[0].setups()] * 5
        hooks = RunHooks(ask=lambda _: Answer.LET_RIG, finished=lambda _c, take: print(take.id, flush=True))
        run_cells(job, cells, simulated_bench(job.document.plans[0].rig), hooks)
        """
    )
    process = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    finished = [int(process.stdout.readline()) for _ in range(3)]
    time.sleep(0.05)
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    job = Job.open(path)
    assert [t.id for t in job.takes][:3] == finished
    assert len(job.takes) < 10
    for take in job.takes:
        assert job.full(take).result.traces
        assert job.capture(take).samples.size
    job.close()


def test_a_closed_job_says_that_it_is_closed(measured):
    measured.close()
    with pytest.raises(JobFileError, match="was closed"):
        measured.full(measured.takes[0])
    with pytest.raises(JobFileError, match="was closed"):
        measured.write_note(measured.takes[0], "late")


def test_what_a_run_has_still_to_do_is_written_once(measured):
    """After its last take it stands there already, and the window reads that take meanwhile."""
    cells = [Cell("u1", "response", setup) for setup in measured.document.plans[0].setups()]
    store = measured._store
    measured.write_pending(cells)
    before = store._connection.total_changes
    measured.write_pending(list(cells))
    assert store._connection.total_changes == before
    measured.write_pending(cells[1:])
    assert store._connection.total_changes == before + 1
    assert Job.open(measured.path).pending() == tuple(cells[1:])


def test_an_interrupted_run_is_remembered(measured):
    cells = [Cell("u1", "response", measured.document.plans[0].setups()[1]), Cell("u1", "gone", NO_SETUP)]
    measured.write_pending(cells)
    again = Job.open(measured.path)
    assert again.pending() == (cells[0],)
    again.write_pending([])
    assert again.pending() == ()
    again.close()


def test_a_long_capture_is_not_held_twice():
    """1.6 MB of silence took 3.2 GB."""
    count = 4_000_000
    data = zlib.compress(bytes(8 * count))
    tracemalloc.start()
    try:
        samples = decode(FLOAT64, data, count, 1)
        most = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    assert samples.shape == (count, 1)
    assert most < 1.5 * 8 * count
    for wrong in (count - 1, count + 1):
        with pytest.raises(FileError, match="damaged"):
            decode(FLOAT64, data, wrong, 1)

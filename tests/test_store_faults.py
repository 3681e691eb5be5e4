"""A take is stored whole or not at all: a fault at each statement, one after the other."""

import sqlite3

from tests.conftest import made_take, small_demo
from utter_calm.errors import JobFileError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.first_look import FirstLookSettings


class Failing:
    """A connection whose statement of a certain number fails; everything else is the real one."""

    def __init__(self, real, fail_at):
        self.real, self.left = real, fail_at

    def __enter__(self):
        return self.real.__enter__()

    def __exit__(self, *what):
        return self.real.__exit__(*what)

    def __getattr__(self, name):
        return getattr(self.real, name)

    def _next(self, sql):
        if sql.lstrip().upper().startswith("SELECT"):
            return
        self.left -= 1
        if self.left < 0:
            raise sqlite3.OperationalError("database or disk is full")

    def execute(self, sql, *values):
        self._next(sql)
        return self.real.execute(sql, *values)

    def executemany(self, sql, values):
        self._next(sql)
        return self.real.executemany(sql, values)


def everything(path):
    """Each table's rows as they stand on the disk."""
    connection = sqlite3.connect(path)
    try:
        names = [n for (n,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
        return {n: connection.execute(f"SELECT * FROM {n} ORDER BY 1, 2").fetchall() for n in names}
    finally:
        connection.close()


def test_a_fault_at_any_statement_leaves_the_file_as_it_was(measured):
    elder = measured.current(Cell("u1", "first-look", measured.document.plans[0].setups()[0]))
    result, capture = measured.full(elder).result, measured.capture(elder)
    before = everything(measured.path)
    real = measured._store._connection
    passed, said = 0, []
    for number in range(40):
        measured._store._connection = Failing(real, number)
        try:
            measured.append(elder.cell, FirstLookSettings(), result, capture=capture, pending=[elder.cell])
        except JobFileError as problem:
            said.append(str(problem))
            measured._store._connection = real
            assert everything(measured.path) == before, number
            assert measured.current(elder.cell) == elder
            assert len(measured.takes) == len(before["take"])
        else:
            passed = number
            break
    measured._store._connection = real
    assert all("full" in text for text in said)
    assert passed >= 4 + len(result.traces)  # capture, take, readings, each trace, the elder, what is still to do
    after = everything(measured.path)
    assert {n: len(after[n]) - len(before[n]) for n in ("take", "capture", "trace")} == {
        "take": 1, "capture": 1, "trace": len(result.traces)}  # fmt: skip
    assert "first-look" in {part: text for part, text, _ in after["document"]}["run"]


def test_a_finished_cell_is_no_longer_pending_whenever_the_plug_is_pulled(tmp_path):
    """What is still to do is written in the transaction of the take: after each take the file says exactly the rest."""
    job = Job.create(tmp_path / "a.calm", small_demo())
    cells = [Cell("u1", "first-look", u) for u in job.document.plans[0].setups()]
    seen = []

    def finished(cell, _take):
        other = Job.open(job.path)
        seen.append((cell, other.pending()))
        other.close()

    run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG, finished=finished))
    assert [rest for _, rest in seen] == [tuple(c for c in cells if c != seen[0][0]), ()]
    assert job.pending() == ()
    job.close()


def test_measuring_one_unit_never_supersedes_another_and_a_new_name_changes_nothing_else(tmp_path):
    from dataclasses import replace

    document = small_demo()
    one = document.units[0]
    job = Job.create(tmp_path / "a.calm", replace(document, units=(one, replace(one, id="u2", sample="no. 0118"))))
    setup = document.plans[0].setups()[0]
    take = made_take("first_look", readings=())
    first, second = (job.append(Cell(u, "first-look", setup), FirstLookSettings(), take.result) for u in ("u1", "u2"))
    assert job.current(first.cell) == first
    assert job.current(second.cell) == second
    before = everything(job.path)
    job.edit(job.document.with_unit(replace(one, sample="no. 0117 b")))
    after = everything(job.path)
    assert {n for n in before if before[n] != after[n]} == {"document"}
    assert job.takes[0].unit_title == one.title
    job.close()

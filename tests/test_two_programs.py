"""Two programs on one job: one writes, the other reads, says so, and may take over. Neither loses anything."""

import contextlib
import subprocess
import sys
from dataclasses import replace

import pytest

from tests.conftest import small_demo
from utter_calm.errors import JobFileError
from utter_calm.job.job import Job
from utter_calm.job.store.file import OPEN_ELSEWHERE

OTHER = """
import sys
from pathlib import Path
from utter_calm.job.job import Job
job = Job.open(Path(sys.argv[1]), take_over="over" in sys.argv)
print(job.read_only, job.is_elsewhere, flush=True)
for line in sys.stdin:
    if line.strip() == "end":
        break
    try:
        from dataclasses import replace
        job.edit(replace(job.document, title=line.strip()))
        print("written", flush=True)
    except Exception as problem:
        print(problem, flush=True)
"""


class Other:
    """Another program that has the job open."""

    def __init__(self, path, *words):
        self.process = subprocess.Popen(
            [sys.executable, "-c", OTHER, str(path), *words], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.opened = self.process.stdout.readline().split()

    def write(self, title):
        self.process.stdin.write(f"{title}\n")
        self.process.stdin.flush()
        return self.process.stdout.readline()

    def kill(self):
        self.process.kill()
        self.process.communicate()


def title_of(path):
    with contextlib.closing(Job.open(path)) as job:
        return job.document.title


@pytest.fixture
def path(tmp_path):
    Job.create(tmp_path / "a.calm", small_demo()).close()
    return tmp_path / "a.calm"


def test_the_second_reads_and_says_so(path):
    job = Job.open(path)
    other = Other(path)
    assert other.opened == ["True", "True"]
    assert "open for reading only" in other.write("the second")
    job.edit(replace(job.document, title="the first"))
    other.kill()
    job.close()
    assert title_of(path) == "the first"


def test_whoever_takes_over_writes_and_the_first_is_told(path):
    other = Other(path)
    assert other.opened == ["False", "False"]
    assert other.write("of the first") == "written\n"
    mine = Job.open(path)
    assert mine.is_elsewhere
    assert OPEN_ELSEWHERE in mine.spoilt
    mine.close()
    mine = Job.open(path, take_over=True)
    assert not mine.read_only
    mine.edit(replace(mine.document, title="taken over"))
    assert "took" in other.write("too late")
    other.kill()
    mine.close()
    assert title_of(path) == "taken over"


def test_a_program_that_was_killed_keeps_nothing(path):
    other = Other(path)
    other.kill()
    job = Job.open(path)
    assert not job.read_only
    job.close()


def test_within_one_program_a_job_may_be_open_twice(path):
    one, two = Job.open(path), Job.open(path)
    assert not one.read_only
    assert not two.read_only
    one.close()
    two.edit(replace(two.document, title="b"))
    two.close()
    with pytest.raises(JobFileError):
        two.edit(replace(two.document, title="c"))

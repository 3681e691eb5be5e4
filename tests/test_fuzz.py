"""A little of what ``tools/fuzz`` does at length: rubbish into every parser and reader, and only words come out."""

import pytest

from tests.fuzzing import TARGETS, attack, use

COUNTS = {"audio": 60, "job_bytes": 40, "job_cells": 40, "job_json": 30, "commands": 40}


@pytest.fixture(scope="module")
def folder(tmp_path_factory, measured_path):
    made = tmp_path_factory.mktemp("fuzz")
    (made / "sample.calm").write_bytes(measured_path.read_bytes())
    return made


@pytest.mark.parametrize("name", TARGETS)
def test_rubbish_is_read_or_refused_in_words(name, folder):
    for seed in range(COUNTS.get(name, 200)):
        attack(name, seed, folder)


def test_the_sample_itself_is_used_without_a_word(folder):
    use(folder / "sample.calm")

"""Files appear whole or not at all, through no link and over nothing that they were made from."""

import os
import stat

import numpy as np
import pytest
import soundfile

from tests.conftest import make_demo, small_demo
from utter_calm.cli import run
from utter_calm.errors import FileError, JobFileError
from utter_calm.formats import lossless, whole
from utter_calm.formats.audio import read_audio, write_audio
from utter_calm.job.job import Job


@pytest.fixture
def call(capsys):
    def do(*arguments):
        status = run([str(a) for a in arguments])
        return status, *capsys.readouterr()

    return do


@pytest.fixture
def job_path(tmp_path):
    path = tmp_path / "a.calm"
    make_demo(path, ("first-look",), setups=1).close()
    return path


def test_no_command_writes_over_a_job(call, job_path, tmp_path):
    """``table a.calm --csv a.calm`` destroyed the job."""
    before = job_path.read_bytes()
    link = tmp_path / "link.csv"
    link.symlink_to(job_path)
    for command in (("table", job_path, "--csv", job_path), ("table", job_path, "--csv", link),
                    ("export", job_path, "1", job_path), ("report", job_path, "--out", job_path)):  # fmt: skip
        status, _, err = call(*command)
        assert (status, err.count("\n")) == (2, 1), command
        assert job_path.read_bytes() == before


def test_no_command_writes_over_a_recording_that_it_read(call, tmp_path):
    path = tmp_path / "sweep.wav"
    soundfile.write(path, np.random.default_rng(1).normal(0, 0.1, 48_000), 48_000)
    before = path.read_bytes()
    read_audio(path)
    with pytest.raises(FileError, match="what was read"):
        whole.write_whole(path, b"x")
    assert path.read_bytes() == before


def test_a_planted_link_is_replaced_and_not_followed(tmp_path):
    mine = tmp_path / "mine.txt"
    mine.write_text("precious")
    (tmp_path / "out.csv").symlink_to(mine)
    whole.write_whole(tmp_path / "out.csv", b"new")
    assert mine.read_text() == "precious"
    assert (tmp_path / "out.csv").read_bytes() == b"new"
    assert not (tmp_path / "out.csv").is_symlink()


def test_a_full_disk_leaves_what_was_there(tmp_path, monkeypatch):
    path = tmp_path / "out.csv"
    path.write_bytes(b"old")

    def full(_handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(FileError, match="No space"):
        whole.write_whole(path, b"new")
    assert path.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir() if p.suffix == ".part"] == []


def test_the_mode_is_that_of_any_new_file(tmp_path):
    whole.write_whole(tmp_path / "a.csv", b"x")
    (tmp_path / "b.csv").write_bytes(b"x")
    assert stat.S_IMODE((tmp_path / "a.csv").stat().st_mode) == stat.S_IMODE((tmp_path / "b.csv").stat().st_mode)


def test_a_copy_takes_no_name_that_is_taken(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    (tmp_path / "b.calm").write_text("mine")
    with pytest.raises(JobFileError, match="exists already"):
        job.save_as(tmp_path / "b.calm")
    assert (tmp_path / "b.calm").read_text() == "mine"
    job.save_as(tmp_path / "c.calm")
    job.close()
    assert sorted(p.name for p in tmp_path.glob("*") if p.is_file()) == ["a.calm", "b.calm", "c.calm"]


@pytest.mark.parametrize("suffix", [".mp3", ".ogg"])
def test_lossy_recordings_are_refused_without_chatter(tmp_path, suffix, capfd):
    path = tmp_path / f"a{suffix}"
    tone = 0.3 * np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)
    soundfile.write(path, tone, 48_000, format=suffix[1:].upper())
    capfd.readouterr()
    status = run(["analyze", "tone", str(path)])
    said = capfd.readouterr()
    assert (status, said.out, said.err.count("\n")) == (2, "", 1)
    assert "losses" in said.err


def test_a_capture_counts_when_it_was_read_back(monkeypatch):
    samples = np.round(np.random.default_rng(2).uniform(-0.5, 0.5, (5_000, 2)) * 2**23) / 2**23
    encoding, data = lossless.encode(samples, 48_000)
    assert encoding == lossless.FLAC
    assert np.array_equal(lossless.decode(encoding, data, 5_000, 2), samples)
    good = lossless._flac
    monkeypatch.setattr(lossless, "_flac", lambda values, rate: good(values[:-7], rate))
    encoding, data = lossless.encode(samples, 48_000)
    assert encoding == lossless.FLOAT64
    assert np.array_equal(lossless.decode(encoding, data, 5_000, 2), samples)


def test_a_header_that_promises_more_is_refused_before_it_is_decoded():
    """A few hundred kilobytes of silence became gigabytes."""
    data = lossless._flac(np.zeros((2_000_000, 8), dtype=np.int32), 48_000)
    assert len(data) < 400_000
    with pytest.raises(FileError, match="damaged"):
        lossless.decode(lossless.FLAC, data, 1_000, 2)


def test_what_is_written_is_what_was_given(tmp_path):
    samples = np.random.default_rng(3).normal(0, 0.1, (1_000, 2)).astype(np.float32).astype(float)
    write_audio(tmp_path / "a.wav", samples, 44_100)
    again, rate = read_audio(tmp_path / "a.wav")
    assert rate == 44_100
    assert np.array_equal(again, samples)

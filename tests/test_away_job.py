"""A step of a job played elsewhere, by commands and in the window: the file, its page, the take."""

import hashlib
from pathlib import Path

import numpy as np
import pytest

from utter_calm.formats.audio import read_audio, write_audio
from utter_calm.job.job import Job


def recorded(path: Path, out: Path, gain=0.8):
    samples, rate = read_audio(path)
    write_audio(out, np.concatenate([np.zeros((rate, 1)), gain * samples, np.zeros((rate // 2, 1))]), rate)
    return out


@pytest.mark.long
def test_by_commands(call, tmp_path):
    job = tmp_path / "phone.calm"
    assert call("new", job, "--kind", "cable", "--name", "Long line")[0] == 0
    status, out, _ = call("away", "write", job, "response", tmp_path / "play.wav")
    assert status == 0
    page = (tmp_path / "play.txt").read_text()
    assert hashlib.sha256((tmp_path / "play.wav").read_bytes()).hexdigest() in page
    assert "Long line" in page
    heard = recorded(tmp_path / "play.wav", tmp_path / "heard.flac")
    status, out, err = call("away", "take", job, "response", heard)
    assert status == 0, err
    assert "levels are relative" in out.replace("\n", " ")
    opened = Job.open(job)
    take = opened.takes[-1]
    assert take.reading("gain_at_1khz", 1).value == pytest.approx(0.8, rel=1e-4)
    assert take.note == "from heard.flac"
    opened.close()
    status, _, err = call("away", "take", job, "response", tmp_path / "play.txt")
    assert status == 2
    write_audio(tmp_path / "other.wav", np.random.default_rng(1).normal(0, 0.1, (200_000, 1)), 48_000)
    status, _, err = call("away", "take", job, "response", tmp_path / "other.wav")
    assert status != 0
    assert "marks" in err
    assert call("away", "write", job, "nothing", tmp_path / "x.wav")[0] == 2

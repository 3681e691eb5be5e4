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


def test_a_job_at_the_seat_from_a_player_that_is_not_connected(call, tmp_path):
    """Each seat from a recording, by a microphone; the mean of the seats is deduced from them."""
    from scipy.signal import lfilter

    job = tmp_path / "seats.calm"
    assert call("new", job, "--kind", "seat", "--name", "Foyer pair")[0] == 0
    assert call("away", "write", job, "loudspeaker", tmp_path / "play.wav")[0] == 0
    samples, rate = read_audio(tmp_path / "play.wav")
    for seat, gain in (("seat 1", 0.5), ("seat 2", 0.25)):
        room = np.zeros(int(0.02 * rate))
        room[[0, 300, 700]] = gain, 0.4 * gain, -0.2 * gain
        heard = lfilter(room, [1.0], np.concatenate([np.zeros(rate), samples[:, 0], np.zeros(rate)]))
        write_audio(tmp_path / f"{seat}.wav", heard[:, None], rate)
        status, out, err = call("away", "take", job, "loudspeaker", tmp_path / f"{seat}.wav", "--setup", seat)
        assert status == 0, err + out
    opened = Job.open(job)
    first, second = opened.takes[-2:]
    levels = [opened.full(t).result.trace("response") for t in (first, second)]
    assert {t.y_unit for t in levels} == {"1"}  # nobody knows how loud it was
    at = np.searchsorted(levels[0].x, 1000.0)
    assert levels[0].magnitude[at] / levels[1].magnitude[at] == pytest.approx(2.0, rel=0.02)
    told = {r.name for r in first.readings}
    assert not {"sensitivity_2v83", "spl"} & told
    assert not {"distance_contradicted", "unit_delays"} & {t.code for t in first.trust}
    assert first.reading("reflection_1").value == pytest.approx(300 / rate, abs=2e-5)
    opened.close()

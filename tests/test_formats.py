"""Files in and out."""

import numpy as np
import pytest
import soundfile

from tests.untimed import given, st
from utter_calm.errors import FileError
from utter_calm.formats.audio import read_audio, write_audio
from utter_calm.formats.tables import csv_text, frequency_magnitude_phase, write_text
from utter_calm.formats.whole import write_whole


@pytest.mark.parametrize("name", ["a.wav", "a.flac", "A.WAV"])
def test_samples_there_and_back(tmp_path, name, noise):
    samples = np.round(noise.normal(0, 0.1, (1_000, 2)) * 2**23) / 2**23
    write_audio(tmp_path / name, samples, 96_000)
    back, rate = read_audio(tmp_path / name)
    assert rate == 96_000
    assert back == pytest.approx(samples, abs=2**-24)


def test_what_a_format_cannot_hold_is_said(tmp_path):
    loud = np.full((10, 1), 1.5)
    with pytest.raises(FileError, match="FLAC cannot hold"):
        write_audio(tmp_path / "a.flac", loud, 48_000)
    write_audio(tmp_path / "a.wav", loud, 48_000)
    assert read_audio(tmp_path / "a.wav")[0].max() == 1.5
    with pytest.raises(FileError, match=r"neither \.wav nor \.flac"):
        write_audio(tmp_path / "a.ogg", loud, 48_000)
    with pytest.raises(FileError, match="cannot be written"):
        write_audio(tmp_path / "no" / "a.wav", loud, 48_000)


def test_a_recorders_unfinished_header_is_forgiven(tmp_path):
    """Some recorders write the length last; a header that says nothing useful is no reason to refuse the sound."""
    path = tmp_path / "stream.wav"
    soundfile.write(path, np.linspace(-0.5, 0.5, 1_000), 48_000, subtype="PCM_16")
    data = bytearray(path.read_bytes())
    at = data.index(b"data") + 4
    data[at : at + 4] = b"\xff\xff\xff\xff"
    path.write_bytes(data)
    assert len(read_audio(path)[0]) == 1_000


def test_a_claimed_rate_beyond_reason(tmp_path):
    path = tmp_path / "rate.wav"
    soundfile.write(path, np.zeros(100), 200, subtype="PCM_16")
    with pytest.raises(FileError, match="claims a rate of 200"):
        read_audio(path)


@given(st.lists(st.floats(allow_nan=False, allow_infinity=False), min_size=1, max_size=20))
def test_tables_keep_every_digit(values):
    column = np.array(values)
    text = csv_text(["x", "y"], [column, column[::-1]])
    rows = [line.split(",") for line in text.splitlines()]
    assert rows[0] == ["x", "y"]
    assert [float(r[0]) for r in rows[1:]] == values


def test_frequency_magnitude_phase_text():
    text = frequency_magnitude_phase(np.array([20.0, 1_000.0]), np.array([1.0, 0.1]), np.array([0.0, 3 * np.pi / 2]), "two\nlines")
    assert text.splitlines()[:2] == ["* two", "* lines"]
    rows = [list(map(float, line.split())) for line in text.splitlines()[2:]]
    assert rows[0] == [20.0, 0.0, 0.0]
    assert rows[1] == pytest.approx([1_000.0, -20.0, -90.0])


def test_a_file_is_written_whole_or_not_at_all(tmp_path):
    target = tmp_path / "a.txt"
    write_text(target, "first")
    write_whole(target, b"second")
    assert target.read_text() == "second"
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["a.txt"]
    with pytest.raises(FileError, match="cannot be written"):
        write_text(tmp_path / "no" / "a.txt", "lost")
    (tmp_path / "folder").mkdir()
    with pytest.raises(FileError):
        write_text(tmp_path / "folder", "lost")
    assert not list(tmp_path.glob(".*part"))

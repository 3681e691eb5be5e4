"""The window's way to a step that something else plays."""

import numpy as np

from tests.test_away_job import recorded
from utter_calm.formats.audio import write_audio
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job


def test_the_chosen_cell_is_played_elsewhere_and_taken(window, qtbot, tmp_path):
    Job.create(tmp_path / "w.calm", new_document("w")).close()
    window.open_path(tmp_path / "w.calm")
    session = window.workspace.session
    window.workspace.coverage.choose(1, [1])
    session.write_away(tmp_path / "p.wav")
    assert (tmp_path / "p.txt").is_file()
    recorded(tmp_path / "p.wav", tmp_path / "r.wav")
    with qtbot.waitSignal(session.takes_changed, timeout=20_000):
        session.take_away(tmp_path / "r.wav")
    assert session.job.takes[-1].step == "response"
    warned = []
    session.warned.connect(warned.append)
    write_audio(tmp_path / "n.wav", np.random.default_rng(1).normal(0, 0.1, (100_000, 1)), 48_000)
    session.take_away(tmp_path / "n.wav")
    qtbot.waitUntil(lambda: bool(warned), timeout=20_000)
    assert "marks" in str(warned[0])

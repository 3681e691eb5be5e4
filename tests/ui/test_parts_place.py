"""Parts sorted in the real window, hands free."""

import pytest
from PySide6.QtGui import QGuiApplication

from tests.ui.conftest import begin_job
from utter_calm.job.verdict import Outcome


@pytest.fixture
def place(window, tmp_path):
    begin_job(window, tmp_path / "p.calm", kind="Crossover parts", behind="stand-in: part box")
    window.workspace.show_place("parts")
    return window.workspace.pages["parts"]


@pytest.mark.long
def test_next_next_next(place, window, qtbot):
    space = window.workspace
    place.mark.setText("a lot")
    place.watch.click()
    assert not place.watch.isChecked()  # nobody understands that mark
    assert "mark" in space.message.text()
    place.mark.setText("10 uF 5 %")
    place.sorter.clip("open", "open")
    place.watch.click()
    qtbot.waitUntil(lambda: "leads are open" in place.headline.text(), timeout=20_000)
    outcomes = (("C1 10 uF 5 %", Outcome.MET, "10.1"), ("C2 4.7 uF 5 %", Outcome.MISSED, "4.6"))
    for number, (part, outcome, value) in enumerate(outcomes, 1):
        place.sorter.clip(part, "open")
        qtbot.waitUntil(lambda n=number: len(place._rows()) == n and not space.session.running, timeout=30_000)
        qtbot.waitUntil(lambda: "Take it off" in place.headline.text(), timeout=20_000)
        row = place.newest.row
        assert row.label == f"P{number} 10 uF 5 %"
        assert row.outcome is outcome
        assert row.value.startswith(value)
        assert place.canvas.view.curves
        place.sorter.clip("open", "open")
        qtbot.waitUntil(lambda: "leads are open" in place.headline.text(), timeout=20_000)
    place.copy.click()
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[0].split("\t")[0] == "part"
    assert [line.split("\t")[4] for line in lines[1:]] == ["within", "outside"]
    # Mute stops the watch as it stops all that sounds
    space.mute()
    qtbot.waitUntil(lambda: not place.watch.isChecked(), timeout=20_000)


def test_closing_while_the_leads_are_watched(place, window, qtbot):
    place.sorter.clip("open", "open")
    place.watch.click()
    qtbot.waitUntil(lambda: "open" in place.headline.text(), timeout=20_000)
    window.close_job()

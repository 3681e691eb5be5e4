"""Whatever people type is text: in the terminal, in labels, tooltips and messages, and in the report."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from tests.conftest import small_demo
from utter_calm.cli import run
from utter_calm.job.document import Unit
from utter_calm.job.job import Job
from utter_calm.plain import one_line
from utter_calm.report.write import report_html
from utter_calm.ui.look.labels import plain_label, set_tip

WILD = "[red]gain[/red] <b>x</b> :boom: \x1b[31m\r\n\u202eend"


@pytest.fixture
def wild_job(tmp_path, measured_path):
    path = tmp_path / "wild.calm"
    path.write_bytes(measured_path.read_bytes())
    job = Job.open(path)
    document = job.document
    plan = document.plans[0]
    claims = (replace(plan.claims[0], text=WILD), *plan.claims[1:])
    document = replace(document, title=WILD, units=(replace(document.units[0], name=WILD),), plans=(replace(plan, claims=claims),))
    job.edit(document)
    yield path, job
    job.close()


def test_control_characters_go_and_one_line_stays_one():
    assert one_line(WILD) == "[red]gain[/red] <b>x</b> :boom: [31m  end"
    assert one_line("a\u2028b\tc\0d") == "a b cd"
    assert one_line("Söhne – 8 Ω ½") == "Söhne – 8 Ω ½"
    assert len(one_line("x" * 9_000)) < 2_100


def test_the_terminal_shows_it_as_it_is(wild_job, capsys):
    path, job = wild_job
    job.close()
    assert run(["table", str(path)]) in (0, 1)
    out = capsys.readouterr().out
    assert "\x1b[31m" not in out
    assert "\u202e" not in out
    assert run(["run", str(path), "--steps", WILD]) == 2
    err = capsys.readouterr().err
    assert err.count("\n") == 1
    assert "[red]gain[/red]" in err
    assert "\x1b" not in err


def test_the_report_shows_it_as_it_is(wild_job):
    html = report_html(wild_job[1])
    assert "<b>x</b>" not in html
    assert "&lt;b&gt;x&lt;/b&gt;" in html


def test_labels_and_tooltips_show_it_as_it_is(qapp):
    label = plain_label(WILD)
    assert label.textFormat() is Qt.TextFormat.PlainText
    assert label.text() == WILD
    set_tip(label, "<b>bold</b>\nnext")
    assert label.toolTip() == "<qt>&lt;b&gt;bold&lt;/b&gt;<br>next</qt>"


def test_no_label_of_the_window_guesses(qtbot, qapp, tmp_path):
    """Every label says itself whether it takes markup."""
    from utter_calm.ui.shell.app import make_application, make_window

    make_application([])
    window = make_window(tmp_path / "demo")
    qtbot.addWidget(window, before_close_func=lambda w: w.close_job())
    Job.create(tmp_path / "a.calm", replace(small_demo(), units=(Unit(name=WILD),))).close()
    window.open_path(tmp_path / "a.calm")
    guessing = [w.text() for w in window.findChildren(QLabel) if w.textFormat() is Qt.TextFormat.AutoText and w.text()]
    assert guessing == []

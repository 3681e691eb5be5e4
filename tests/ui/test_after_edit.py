"""Settings changed after a take: what is deduced follows at once, what was measured stays and that is said."""

from dataclasses import replace

import pytest

from tests.ui.test_driver_place import over
from utter_calm.demo import demo_document
from utter_calm.job.job import Job
from utter_calm.ui.chain.step_editor import step_editor
from utter_calm.ui.state.after_edit import follow_settings


@pytest.fixture
def parts(window, qtbot, tmp_path):
    """Two parts of a box, measured and deduced."""
    document = demo_document()
    unit = next(u for u in document.units if u.stand_in == "part box")
    plan = next(p for p in document.plans if p.id == unit.plan)
    plan = replace(plan, factors=(replace(plan.factors[0], values=plan.factors[0].values[:2]),))
    Job.create(tmp_path / "p.calm", replace(document, units=(unit,), plans=(plan,))).close()
    assert window.open_path(tmp_path / "p.calm")
    window.workspace.take_missing()
    over(qtbot, window.workspace)
    return window.workspace


def edited(qtbot, space, step, **texts):
    space.session.select(tuple(c for c in space.session.document.cells(space.session.unit) if c.step == step)[-1:])
    form = step_editor(space.session, space)
    qtbot.addWidget(form)
    for name, text in texts.items():
        form.fields[name].setText(text)
    form.accept()


def test_every_take_of_a_deduction_follows_its_settings(parts, qtbot):
    takes = len(parts.session.job.takes)
    edited(qtbot, parts, "part", at_hz="2 kHz")
    qtbot.waitUntil(lambda: len(parts.session.job.takes) == takes + 2, timeout=20_000)
    qtbot.waitUntil(lambda: "deduced anew, 2 times" in parts.message.text(), timeout=20_000)
    assert [t.settings["at_hz"] for t in parts.session.job.takes[-2:]] == [2000.0, 2000.0]
    edited(qtbot, parts, "part", at_hz="2 kHz")  # the same again
    qtbot.wait(200)
    assert len(parts.session.job.takes) == takes + 2


def test_what_was_measured_keeps_its_settings_and_says_so(parts, qtbot):
    takes = len(parts.session.job.takes)
    edited(qtbot, parts, "part-impedance", level_v="0.2 V")
    assert "keeps its settings" in parts.message.text()
    qtbot.wait(200)
    assert len(parts.session.job.takes) == takes


def test_where_a_step_is_planned_changes_no_take_and_is_not_told_as_settings(parts, qtbot):
    takes, said = len(parts.session.job.takes), []
    parts.session.told.connect(said.append)
    for ident in ("part", "part-impedance"):
        step = parts.session.plan.step(ident)
        follow_settings(parts.session, step, replace(step, where=(("part", "R1 8.2 ohm 5 %"),)))
    qtbot.wait(200)
    assert (len(parts.session.job.takes), said) == (takes, [])

"""The row of pictures: all where there is room, else as many as fit, the one in use always, the rest in a menu."""

import itertools

import pytest

from utter_calm.measure.kinds import kind_of
from utter_calm.ui.picture.spec_row import SpecRow


@pytest.mark.parametrize("width", [130, 300, 500, 2000])
@pytest.mark.parametrize("number", [0, 5, 11])
def test_every_picture_is_to_be_had(qtbot, width, number):
    specs = kind_of("loudspeaker").plots
    row = SpecRow()
    qtbot.addWidget(row)
    row.resize(width, 30)
    row.show()
    row.set_specs(specs, specs[number].key)
    row.resize(width, 30)
    buttons = [row._group.button(n) for n in range(len(specs))]
    seen = [b for b in buttons if b.isVisible()]
    menu = [a.text() for a in row._menu.actions()]
    assert buttons[number].isVisible()
    assert len(seen) + len(menu) == len(specs)
    assert row.more.isVisible() == bool(menu)
    assert (width < 2000) == bool(menu)
    if width > 200:
        assert all(b.geometry().right() <= row.width() for b in seen)
    ends = [(b.geometry().left(), b.geometry().right()) for b in seen]
    assert all(a[1] < b[0] for a, b in itertools.pairwise(ends))
    told = []
    row.chosen.connect(told.append)
    seen[0].click()
    if menu:
        row._menu.actions()[-1].trigger()
    assert told == [specs[buttons.index(seen[0])].key, *([next(s.key for s in specs if s.title == menu[-1])] if menu else [])]


def test_one_picture_alone_is_no_choice(qtbot):
    row = SpecRow()
    qtbot.addWidget(row)
    row.set_specs(kind_of("seat").plots, kind_of("seat").plots[0].key)
    assert row.isHidden()
    row.set_specs(kind_of("loudspeaker").plots, "response")
    assert not row.isHidden()

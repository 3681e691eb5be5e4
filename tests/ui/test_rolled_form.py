"""A form with more fields than the screen holds: it is rolled, so that what applies it, and Mute, stay in sight."""

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QComboBox

from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.popup_form import FormLine, PopupForm


def opened(window, count, **named):
    lines = [FormLine(f"f{k}", f"Field {k}", QuantityEdit(f"Field {k}", "V", k), rare=k >= 5) for k in range(count)]
    choice = QComboBox()
    choice.addItems(["one", "two", "three"])
    form = PopupForm(window, "A question", [*lines, FormLine("choice", "Which", choice)], lambda _form: None, **named)
    form.open_under(window)
    return form


def whole(form):
    """Nothing of what is inside is hidden, at the right or below."""
    return form.rolled.verticalScrollBar().maximum() == 0 and across(form)


def across(form):
    return form.rolled.widget().sizeHint().width() <= form.rolled.viewport().width()


def inside(form, widget):
    top = widget.mapTo(form, QPoint(0, 0)).y()
    return top >= 0 and top + widget.height() <= form.height()


def test_what_applies_it_stays_in_sight_however_many_fields_there_are(measured_window):
    form = opened(measured_window, 40)
    QApplication.processEvents()
    assert whole(form)
    low = form.height()
    form.more.click()
    QApplication.processEvents()
    assert form.height() > low
    assert across(form)
    assert form.height() <= measured_window.lowest_for_forms() + 1
    assert inside(form, form.ok)
    form.say("Something is wrong, and that takes a line or two to be said in words that somebody understands at once. " * 3)
    QApplication.processEvents()
    assert form.height() <= measured_window.lowest_for_forms() + 1
    assert inside(form, form.ok)
    form.more.click()
    form.say("")
    QApplication.processEvents()
    assert form.height() == low
    form.close()


def test_a_field_that_the_keys_reach_is_rolled_into_sight(measured_window, qtbot):
    form = opened(measured_window, 40, stays=True)
    form.more.click()
    QApplication.processEvents()
    last = form.fields["f39"]
    assert not last.visibleRegion().boundingRect().contains(last.rect().center())
    form.fields["f38"].setFocus()
    qtbot.keyClick(form.fields["f38"], Qt.Key.Key_Tab)
    qtbot.waitUntil(lambda: last.visibleRegion().boundingRect().contains(last.rect().center()))
    form.close()


def test_a_wheel_rolls_the_form_and_changes_no_choice(measured_window):
    form = opened(measured_window, 40)
    form.more.click()
    choice, bar = form.fields["choice"], form.rolled.verticalScrollBar()
    place = QPointF(choice.rect().center())
    wheel = QWheelEvent(
        place, QPointF(choice.mapToGlobal(choice.rect().center())), QPoint(0, -60), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(choice, wheel)
    assert choice.currentIndex() == 0
    assert bar.value() > 0
    form.close()


def test_a_form_makes_room_when_the_row_below_it_grows(measured_window):
    form = opened(measured_window, 40)
    form.more.click()
    QApplication.processEvents()
    before = measured_window.lowest_for_forms()
    measured_window.workspace.transport.setMinimumHeight(140)
    QApplication.processEvents()
    assert measured_window.lowest_for_forms() < before
    assert form.height() <= measured_window.lowest_for_forms() + 1
    assert inside(form, form.ok)
    form.close()

"""One version of the Qt binding loses a reference to None with every call and aborts after some thousands."""

import sys

from PySide6.QtCore import QObject


def test_calls_into_qt_do_not_eat_none():
    thing = QObject()
    before = sys.getrefcount(None)
    for _ in range(1_000):
        thing.parent()
    assert sys.getrefcount(None) > before - 500

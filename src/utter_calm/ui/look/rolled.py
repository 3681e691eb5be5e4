"""Fields that are rolled where there are more of them than the screen holds."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication, QEvent, QObject, QSize, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QAbstractSpinBox, QComboBox, QFrame, QScrollArea, QSizePolicy, QWidget

_LEAST, _GAP = 120, 8
_WHEELED = (QComboBox, QAbstractSpinBox)


class Rolled(QScrollArea):
    """As high as what is inside, or as it may be; then it is rolled."""

    def __init__(self, inside: QWidget) -> None:
        super().__init__()
        self._inside, self._most, self._wheels = inside, 1 << 14, _Wheels(self)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        self.setWidget(inside)
        inside.setAutoFillBackground(False)  # the area has it filled
        for field in inside.findChildren(QWidget):
            if isinstance(field, _WHEELED):
                field.installEventFilter(self._wheels)

    def may_be(self, high: int) -> None:
        """Be no higher than so many pixels."""
        self._most = max(_LEAST, high)
        self.setViewportMargins(0, 0, _GAP if self._is_rolled else 0, 0)
        self.updateGeometry()

    @property
    def _is_rolled(self) -> bool:
        return self._inside.sizeHint().height() > self._most

    def sizeHint(self) -> QSize:
        """As what is inside, and its bar where it is rolled."""
        hint = self._inside.sizeHint()
        bar = _GAP + self.verticalScrollBar().sizeHint().width() if self._is_rolled else 0
        return QSize(hint.width() + bar, min(hint.height(), self._most))

    def minimumSizeHint(self) -> QSize:
        """As wide, and as low as is still of use."""
        return QSize(self.sizeHint().width(), min(self._inside.sizeHint().height(), _LEAST))


class _Wheels(QObject):
    """A wheel rolls the form; it changes no choice that it happens to pass."""

    def __init__(self, area: QScrollArea) -> None:
        super().__init__(area)
        self._area = area

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Hand wheels on to the bar."""
        if isinstance(event, QWheelEvent):
            QCoreApplication.sendEvent(self._area.verticalScrollBar(), event)
            return True
        return super().eventFilter(watched, event)

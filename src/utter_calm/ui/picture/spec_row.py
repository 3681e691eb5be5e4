"""The pictures of a step as buttons in a row; those for which there is no room stand in a menu."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QMenu, QPushButton, QSizePolicy, QWidget

from utter_calm.measure.pictures import PlotSpec
from utter_calm.ui.look.labels import chosen_width

_LEAST = 120


class SpecRow(QWidget):
    """``chosen`` carries the key of a picture; the one that is shown is always in sight."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(_LEAST)
        self._specs: tuple[PlotSpec, ...] = ()
        self._group = QButtonGroup(self)
        self._group.idClicked.connect(lambda number: self.chosen.emit(self._specs[number].key))
        self.more = _flat("more", self)
        self.more.setToolTip("Other pictures of this step")
        self._menu = QMenu(self.more)
        self.more.setMenu(self._menu)
        self.more.hide()

    def set_specs(self, specs: tuple[PlotSpec, ...], chosen: str) -> None:
        """Offer the pictures of a kind of step."""
        now = self._group.checkedId()
        if specs == self._specs and 0 <= now < len(specs) and specs[now].key == chosen:
            return  # as after each take
        if specs != self._specs:
            self._specs = specs
            for button in self._group.buttons():
                self._group.removeButton(button)
                button.hide()
                button.deleteLater()
            for number, spec in enumerate(specs):
                button = _flat(spec.short or spec.title.lower(), self)
                button.setCheckable(True)
                button.setToolTip(f"{spec.title} (Ctrl+{number + 1})" if number < 9 else spec.title)
                self._group.addButton(button, number)
        for number, spec in enumerate(specs):
            self._group.button(number).setChecked(spec.key == chosen)
        self.setVisible(len(specs) > 1)  # one alone is no choice, and its name stands in the title
        self.updateGeometry()
        self._place()

    def sizeHint(self) -> QSize:
        """Room for all of them."""
        buttons = self._group.buttons()
        return QSize(sum(chosen_width(b) for b in buttons), max((b.sizeHint().height() for b in buttons), default=0))

    def minimumSizeHint(self) -> QSize:
        """Room for one and the menu."""
        return QSize(_LEAST, self.sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Show as many as fit."""
        super().resizeEvent(event)
        self._place()

    def _place(self) -> None:
        buttons = [self._group.button(n) for n in range(len(self._specs))]
        widths = [chosen_width(b) for b in buttons]
        shown = list(range(len(buttons)))
        fits = sum(widths) <= self.width()
        if not fits:
            room, shown = self.width() - self.more.sizeHint().width(), []
            now = self._group.checkedId()
            room -= widths[now] if now >= 0 else 0
            for n, wide in enumerate(widths):
                if n == now:
                    shown.append(n)
                elif wide <= room:
                    shown.append(n)
                    room -= wide
                else:
                    room = 0  # those after it stand in the menu as well, so that their order stays
        left = self.width() - sum(widths[n] for n in shown) - (0 if fits else self.more.sizeHint().width())
        for n, button in enumerate(buttons):
            button.setVisible(n in shown)
            if n in shown:
                button.setGeometry(max(0, left), 0, widths[n], self.height())
                left = max(0, left) + widths[n]
        self.more.setVisible(not fits)
        self.more.setGeometry(max(0, left), 0, self.more.sizeHint().width(), self.height())
        self._menu.clear()
        for n in range(len(buttons)):
            if n not in shown:
                spec = self._specs[n]
                self._menu.addAction(spec.title).triggered.connect(lambda _=False, key=spec.key: self.chosen.emit(key))


def _flat(text: str, parent: QWidget) -> QPushButton:
    button = QPushButton(text, parent)
    button.setProperty("role", "flat")
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button

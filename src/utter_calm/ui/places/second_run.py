"""What comes next, led: a small drawing, one sentence, one field for what was weighed, one key."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from utter_calm.analysis.driver.slips import slip_of
from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.document import Step
from utter_calm.measure.driver import IN_BOX, WITH_MASS, DriverSettings
from utter_calm.present.next_run import COMPUTE, SECOND, NextRun
from utter_calm.quantities import si_text
from utter_calm.quantities.weighed import Weighed, understand_weighed
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.theme import current_palette

_ASKS = {WITH_MASS: ("Mass, its putty weighed with it", "kg"), IN_BOX: ("Net volume of the box", "m3")}


class DriverSketch(QWidget):
    """A driver from the side, its cone upwards: free, with a mass where dome and cone meet, or on a closed box."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(92, 76)
        self.state = ""

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it in the theme's colours."""
        p, painter = current_palette(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(p.text), 1.6))
        if self.state == IN_BOX:
            painter.drawRect(QRectF(8, 26, 76, 46))
        cone = QPainterPath(QPointF(18, 24))
        cone.lineTo(38, 44)
        cone.lineTo(54, 44)
        cone.lineTo(74, 24)
        painter.drawPath(cone)
        for left in (12.0, 72.0):
            painter.drawArc(QRectF(left, 20, 8, 8), 0, 180 * 16)
        painter.drawArc(QRectF(38, 38, 16, 12), 0, 180 * 16)
        painter.drawRect(QRectF(39, 44, 14, 8))
        painter.drawRect(QRectF(32, 52, 28, 12))
        if self.state == WITH_MASS:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.accent))
            for left in (33.0, 51.0):
                painter.drawEllipse(QRectF(left, 34, 9, 9))
        painter.end()


class SecondRun(QFrame):
    """Shows a :class:`NextRun`. ``wanted`` asks for its cells, ``changed`` carries other settings of the step."""

    wanted = Signal(object)
    changed = Signal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "led")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        self.sketch = DriverSketch()
        row.addWidget(self.sketch)
        column = QVBoxLayout()
        row.addLayout(column, 1)
        self.text = plain_label()
        self.text.setWordWrap(True)
        column.addWidget(self.text)
        line = QHBoxLayout()
        column.addLayout(line)
        self.label = plain_label()
        self.label.setProperty("role", "soft")
        line.addWidget(self.label)
        self.amount = text_line("", "How much")
        self.amount.setPlaceholderText("22.4 g + 0.6 g ± 0.1 g")
        self.amount.textEdited.connect(lambda _text: self._understand())
        self.amount.returnPressed.connect(self.take)
        line.addWidget(self.amount)
        self.understood = plain_label()
        self.understood.setProperty("role", "soft")
        line.addWidget(self.understood)
        line.addStretch()
        self.button = QPushButton()
        self.button.setProperty("role", "primary")
        self.button.clicked.connect(self.take)
        line.addWidget(self.button)
        below = QHBoxLayout()
        column.addLayout(below)
        self.across_label = plain_label("Diameter, mid-surround")
        self.across_label.setProperty("role", "soft")
        below.addWidget(self.across_label)
        self.across = text_line("", "Effective diameter, mid-surround")
        self.across.setPlaceholderText("130 mm")
        self.across.setMaximumWidth(110)
        self.across.textEdited.connect(lambda _text: self._understand())
        self.across.returnPressed.connect(self.take)
        self.across.editingFinished.connect(self._take_diameter)
        below.addWidget(self.across)
        below.addStretch()
        self._next: NextRun | None = None
        self._step: Step | None = None

    def show_next(self, step: Step, coming: NextRun, *, free: bool) -> None:
        """Say what comes next; ``free`` tells that nothing is running."""
        same = self._next is not None and self._next.state == coming.state and self._step is not None and self._step.id == step.id
        self._next, self._step = coming, step
        self.sketch.state = coming.state
        self.sketch.setVisible(coming.stage != COMPUTE)
        self.sketch.update()
        self.text.setText(coming.text)
        asks = _ASKS.get(coming.state) if coming.stage == SECOND else None
        for widget in (self.label, self.amount, self.across_label, self.across, self.understood):
            widget.setVisible(asks is not None)
        settings = step.typed_settings()
        fields = self.amount, self.across
        typing = same and any(field.hasFocus() or field.isModified() for field in fields)  # what was typed stays until it is taken
        if asks is not None and isinstance(settings, DriverSettings) and not typing:
            self.label.setText(asks[0])
            self.amount.setText(settings.amount)
            self.across.setText(settings.diameter)
            self._understand()
        self.button.setText("Compute  ⏎" if coming.stage == COMPUTE else "It is so: take it  ⏎")
        self.button.setEnabled(free)

    def take(self) -> None:
        """What was typed counts; then it is taken. What nobody understands is said at once, also while nothing can be taken."""
        if self._next is None or self._step is None:
            return
        settings = self._step.typed_settings()
        new = settings
        if self.amount.isVisible() and isinstance(settings, DriverSettings):
            try:
                new = replace(settings, amount=self.amount.text().strip(), diameter=self.across.text().strip())
                new.check()
                if new.not_typed:
                    raise InputError(f"Type the {new.not_typed}.", hint="Nothing is guessed.")
            except UtterCalmError as problem:
                self.understood.setText(str(problem))
                return
        if not self.button.isEnabled():
            return
        self.amount.setModified(False)
        self.across.setModified(False)
        if new != settings:
            self.changed.emit(self._step, new)
        self.wanted.emit(list(self._next.cells))

    def _take_diameter(self) -> None:
        """A diameter counts at once: which mass fits follows from it."""
        settings = None if self._step is None else self._step.typed_settings()
        typed = self.across.text().strip()
        if self._step is None or not isinstance(settings, DriverSettings) or not typed or typed == settings.diameter:
            return
        try:
            new = replace(settings, diameter=typed)
            new.check()
        except UtterCalmError as problem:
            self.understood.setText(str(problem))
            return
        self.across.setModified(False)
        self.changed.emit(self._step, new)

    def _understand(self) -> None:
        """Say how the amount is understood, while it is typed."""
        asks = _ASKS.get(self._next.state) if self._next is not None else None
        if asks is None:
            return
        try:
            known = understand_weighed(self.amount.text(), asks[1], what=asks[0].partition(",")[0].lower())
        except UtterCalmError:
            self.understood.setText("")
            return
        words = f"= {known.text}" + (f" ± {200 * known.u:.2g} %" if known.u else "")
        self.understood.setText(f"{words}. {self._question(known)}" if self._question(known) else words)

    def _question(self, known: Weighed) -> str:
        """What is asked back about an amount: a slip by a thousand, the putty, what the driver takes of the box."""
        coming = self._next
        if coming is None:
            return ""
        if coming.usual is not None:
            slip = slip_of(known.value, *coming.usual)
            if slip != 1:
                return f"Is {si_text(known.value / slip, known.unit, digits=3)} meant?"
        if "+" in self.amount.text():
            return ""
        if coming.state == WITH_MASS:
            return "Its putty too? Type 20 g + 0.6 g."
        return f"The driver takes about {si_text(coming.displaced_m3, 'm3', digits=1)} of it." if coming.displaced_m3 else ""

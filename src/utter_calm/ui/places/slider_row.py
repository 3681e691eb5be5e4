"""A quantity to be dragged or typed: a label, a slider that goes by ratios, and a field that shows the value with its unit."""

from __future__ import annotations

import math

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QSlider, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.labels import plain_label

_STEPS = 400


class SliderRow(QWidget):
    """``moved`` carries the value in its SI unit while it is dragged, ``settled`` when it was let go or typed."""

    moved = Signal(float)
    settled = Signal(float)

    def __init__(self, label: str, unit: str, low: float, high: float, value: float) -> None:
        super().__init__()
        self._low, self._high = low, high
        self.field = QuantityEdit(label, unit, value)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.label = plain_label(label)
        self.label.setMinimumWidth(68)
        row.addWidget(self.label)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(label)
        self.slider.setRange(0, _STEPS)
        self.slider.setSingleStep(4)
        self.slider.setMinimumHeight(24)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.settled.emit(self.field.value()))
        row.addWidget(self.slider, 1)
        self.field.setMinimumWidth(78)
        self.field.setMaximumWidth(96)
        self.field.editingFinished.connect(self._typed)
        row.addWidget(self.field)
        self.set_value(value)

    def set_value(self, value: float) -> None:
        """Show a value; what lies beyond the slider's ends stays as it is in the field."""
        self.field.set_value(value)
        self.field.mark(wrong=False)
        self.slider.blockSignals(True)
        self.slider.setValue(round(_STEPS * math.log(max(value, 1e-12) / self._low) / math.log(self._high / self._low)))
        self.slider.blockSignals(False)

    def _slid(self, step: int) -> None:
        value = float(f"{self._low * (self._high / self._low) ** (step / _STEPS):.3g}")
        self.field.set_value(value)
        self.moved.emit(value)
        if not self.slider.isSliderDown():  # by a key or the wheel
            self.settled.emit(value)

    def _typed(self) -> None:
        try:
            value = self.field.value()
        except UtterCalmError:
            return  # the field is marked; what was understood last stands
        self.set_value(value)
        self.moved.emit(value)
        self.settled.emit(value)

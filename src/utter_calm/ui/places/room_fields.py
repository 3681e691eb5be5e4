"""The numbers of a room, typed where it is drawn."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.measure.acoustic_settings import LoudspeakerSettings
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.labels import plain_label

_FIELDS = {
    "distance_m": ("Distance", "From loudspeaker to microphone"),
    "source_m": ("Height", "Of the loudspeaker above the floor"),
    "microphone_m": ("Microphone", "Its height; empty: as the loudspeaker"),
    "ceiling_m": ("Ceiling", "Height of the room"),
    "wall_m": ("Side wall", "From both to the nearest"),
}


class RoomFields(QWidget):
    """``changed`` carries fields of a loudspeaker step's settings and their new values, in SI units."""

    changed = Signal(dict)

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        self.edits: dict[str, QuantityEdit] = {}
        for row, (name, (label, tip)) in enumerate(_FIELDS.items()):
            edit = QuantityEdit(label, "m", 0.0)
            edit.setMinimumSize(90, edit.sizeHint().height())
            edit.setToolTip(tip)
            edit.setPlaceholderText("not known")
            edit.editingFinished.connect(lambda name=name: self._typed(name))
            grid.addWidget(plain_label(label), row, 0)
            grid.addWidget(edit, row, 1)
            self.edits[name] = edit
        grid.setColumnStretch(1, 1)

    def show_settings(self, settings: LoudspeakerSettings, *, enabled: bool) -> None:
        """Show what is set; what is being typed stays."""
        for name, edit in self.edits.items():
            edit.setEnabled(enabled)
            if not edit.hasFocus():
                self._show(edit, getattr(settings, name))

    @staticmethod
    def _show(edit: QuantityEdit, value: float) -> None:
        edit.set_value(value)
        if not value:  # nobody knows it
            edit.clear()

    def _typed(self, name: str) -> None:
        edit = self.edits[name]
        try:
            value = edit.value() if edit.text().strip() else 0.0
        except UtterCalmError:
            return  # it is marked already
        self._show(edit, value)
        self.changed.emit({name: value})

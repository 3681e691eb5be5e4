"""Under which conditions a step is planned: a tick for each value."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from utter_calm.errors import InputError
from utter_calm.job.document import Plan, alternatives
from utter_calm.quantities import Conditions, Value, value_text

_MOST_ROWS = 7


class WhereTicks(QListWidget):
    """One row for each value of each condition; a condition of which all are ticked does not matter."""

    def __init__(self, plan: Plan, where: Conditions) -> None:
        super().__init__()
        self.setAccessibleName("Planned only for")
        self._plan, self._was = plan, where
        wanted = alternatives(where)
        for factor in plan.factors:
            for value in factor.values:
                row = QListWidgetItem(f"{factor.name}: {value_text(value)}")
                row.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                on = factor.name not in wanted or value in wanted[factor.name]
                row.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
                self.addItem(row)
        self._states = self._ticked()
        self.setFixedHeight(max(1, min(self.count(), _MOST_ROWS)) * (self.sizeHintForRow(0) if self.count() else 0) + 8)

    def _ticked(self) -> list[bool]:
        return [self.item(row).checkState() is Qt.CheckState.Checked for row in range(self.count())]

    def where(self) -> Conditions:
        """Give what is ticked; what nobody touched comes back as it was.

        Raises
        ------
        InputError
            Nothing of a condition is ticked: the step would never be measured.
        """
        states = self._ticked()
        if states == self._states:
            return self._was
        out: list[tuple[str, Value]] = []
        row = 0
        for factor in self._plan.factors:
            ticked = [v for k, v in enumerate(factor.values) if states[row + k]]
            row += len(factor.values)
            if not ticked:
                raise InputError(
                    f"No {factor.name} is ticked: the step would never be measured.", hint="Tick one, or remove the step."
                )
            if len(ticked) < len(factor.values):
                out += [(factor.name, value) for value in ticked]
        return tuple(out)

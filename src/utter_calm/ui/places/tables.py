"""Table models of claims and takes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from utter_calm.job.document import Cell, Claim, Unit
from utter_calm.job.grounds import grounds_of, trust_words
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.present.coverage import setup_title
from utter_calm.present.panel import ClaimView, claim_view
from utter_calm.present.words import take_title

ROW_ROLE = Qt.ItemDataRole.UserRole
Row = tuple[tuple[str, ...], Any]
_Index = QModelIndex | QPersistentModelIndex


class RowsModel(QAbstractTableModel):
    """Rows of texts; ``ROW_ROLE`` gives what stands behind a row."""

    headings: tuple[str, ...] = ()

    def __init__(self) -> None:
        super().__init__()
        self._rows: Sequence[Row] = []

    def replace_rows(self, rows: Sequence[Row]) -> None:
        """Show other rows."""
        self.beginResetModel()
        self._rows = rows
        self.endResetModel()

    def renew(self, job: Job, unit: Unit) -> None:
        """Look at the job again."""
        raise NotImplementedError

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of rows."""
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of columns."""
        return 0 if parent.isValid() else len(self.headings)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give the text of a cell, or what stands behind the row."""
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.texts(index.row())[index.column()]
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.tips(index.row())[index.column()]
        return self._rows[index.row()][1] if role == ROW_ROLE else None

    def texts(self, row: int) -> tuple[str, ...]:
        """Give the texts of a row."""
        return self._rows[row][0]

    def tips(self, row: int) -> tuple[str, ...]:
        """Give the texts of a row as they are told in full."""
        return self.texts(row)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give the headings."""
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self.headings[section]
        return None


class ClaimsModel(RowsModel):
    """Claimed against measured: a row for each claim and each setup in which it holds."""

    headings = ("verdict", "claim", "setup", "measured", "margin")

    def renew(self, job: Job, unit: Unit) -> None:
        """Look at the job again."""
        plan = job.document.plan(unit.plan)
        rows: list[tuple[tuple[str, ...], tuple[Claim, Cell, ClaimView]]] = []
        for verdict, cell in job.claim_rows(unit):
            view = claim_view(verdict, plan.step(cell.step).kind)
            texts = (view.outcome.value, view.text, setup_title(plan, cell.setup), view.measured, view.margin)
            rows.append((texts, (verdict.claim, cell, view)))
        self.replace_rows(rows)


class _NewestFirst(Sequence[Row]):
    """Takes from the newest on, as rows; none is made before it is asked for: a job may hold thousands."""

    def __init__(self, takes: Sequence[TakeSummary]) -> None:
        self._takes = takes

    def __len__(self) -> int:
        return len(self._takes)

    def __getitem__(self, row: Any) -> Any:  # noqa: ANN401 - a slice is never asked for
        return (), self._takes[len(self._takes) - 1 - row]


class TakesModel(RowsModel):
    """All takes, newest first. A row's texts are made when it is drawn: a job may hold thousands."""

    headings = ("take", "unit", "step", "of", "taken at (UTC)", "trust", "note")

    def renew(self, job: Job, _unit: Unit) -> None:
        """Look at the job again."""
        self._job = job
        self._titles = {s.id: s.title for s in job.document.steps}
        takes = job.takes
        self._year = takes[-1].taken_at[:4] if takes else ""
        self.replace_rows(_NewestFirst(takes))

    def texts(self, row: int) -> tuple[str, ...]:
        """Give the texts of a take."""
        take: TakeSummary = self._rows[row][1]
        title = take_title(take).partition(": ")[2]
        old = f"{title} (superseded by {take.superseded_by})" if take.superseded_by else title
        grave = "; ".join(t.text for t in take.trust if t.grave)
        trust = grave or trust_words(grounds_of(self._job, take)).removeprefix("Trust: ").rstrip(".")
        when = f"{take.taken_at[5:10]} {take.taken_at[11:16]}" if take.taken_at[:4] == self._year else take.taken_at[:10]
        step = self._titles.get(take.step, take.step)
        return str(take.id), take.unit_title, step, old, when, trust, take.note

    def tips(self, row: int) -> tuple[str, ...]:
        """Give the texts of a take, the moment in full."""
        take: TakeSummary = self._rows[row][1]
        texts = self.texts(row)
        return *texts[:4], f"{take.taken_at.replace('T', ' ').removesuffix('+00:00')} UTC", *texts[5:]

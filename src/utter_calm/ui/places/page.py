"""A place that looks at the job again when it is shown and whenever something changes while it is."""

from __future__ import annotations

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QWidget


class Page(QWidget):
    """A place of work that is kept up to date only while it is seen."""

    def refresh(self) -> None:
        """Something changed: look again, now or when it is next shown."""
        if self.isVisible():
            self.renew()

    def renew(self) -> None:
        """Look at the job again."""
        raise NotImplementedError

    def showEvent(self, event: QShowEvent) -> None:
        """Look at the job as it is now."""
        super().showEvent(event)
        self.renew()

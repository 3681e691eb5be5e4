"""Writing what is shown: the take, its picture, its table."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer

from utter_calm.errors import InputError

if TYPE_CHECKING:  # the start page is up before all that a job needs is loaded
    from utter_calm.ui.shell.workspace import Workspace


def export_shown(workspace: Workspace, path: Path, trace: str | None) -> None:
    """Write the shown take, or for .svg and .png the picture as it stands on the screen."""
    from utter_calm.formats.tables import write_text
    from utter_calm.formats.whole import write_whole
    from utter_calm.job.export import export_take
    from utter_calm.report.svg import plot_svg

    view = workspace.plot.canvas.view
    ending = path.suffix.lower()
    sheet = view.sheet if view is not None else None
    if sheet is not None and ending in (".csv", ".svg"):
        if ending == ".svg":
            raise InputError("A table is no drawing.", hint="Export it as .csv or .png.")
        write_text(path, sheet.as_text(","))
    elif ending == ".svg" and view is not None:
        write_text(path, plot_svg(view))
    elif ending == ".png":
        buffer = QBuffer()
        workspace.plot.grab().save(buffer, "PNG")
        write_whole(path, bytes(buffer.data().data()))
    else:
        export_take(workspace.session.job, workspace.session.shown_takes()[-1], path, trace=trace)
    workspace.tell(f"Written: {path}")

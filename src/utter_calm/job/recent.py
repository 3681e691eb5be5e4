"""Which job files were open lately."""

from __future__ import annotations

import contextlib
from pathlib import Path

import msgspec
import platformdirs

MOST = 8


def _list_path() -> Path:
    return Path(platformdirs.user_state_dir("utter-calm")) / "recent.json"


def recent_jobs() -> tuple[Path, ...]:
    """Give the files, newest first, that are still there. A damaged list counts as empty."""
    try:
        names = msgspec.json.decode(_list_path().read_bytes(), type=list[str])
    except (OSError, msgspec.MsgspecError):
        return ()
    return tuple(p for p in map(Path, names[:MOST]) if p.is_file())


def remember(path: Path) -> None:
    """Put a file at the top of the list; not being able to is no reason to disturb anybody."""
    newest = path.absolute()
    names = [str(newest), *(str(p) for p in recent_jobs() if p != newest)][:MOST]
    with contextlib.suppress(OSError):
        target = _list_path()
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(msgspec.json.encode(names))

"""Rigs kept by name outside the jobs: one readable file each in the user's data folder; a take keeps a copy of its own."""

from __future__ import annotations

import re
from pathlib import Path

import msgspec
import platformdirs

from utter_calm.errors import FileError, InputError
from utter_calm.formats.whole import write_whole
from utter_calm.rig.rig import Rig

SUFFIX = ".rig.json"
_MOST_BYTES = 4_000_000


def rig_folder() -> Path:
    """Where rigs are kept."""
    return Path(platformdirs.user_data_dir("utter-calm")) / "rigs"


def file_of(name: str) -> Path:
    """File of a rig: its name with what file systems do not like taken out.

    Raises
    ------
    InputError
        The name is empty.
    """
    bare = re.sub(r"[^\w .,()+-]+", "_", name).strip(" .")
    if not bare:
        raise InputError("A rig needs a name.", hint="Type one, as in Workshop bench.")
    return rig_folder() / f"{bare[:80]}{SUFFIX}"


def known_rigs() -> tuple[str, ...]:
    """Names of all rigs that are kept and can be read, in alphabetical order."""
    names = []
    for path in sorted(rig_folder().glob(f"*{SUFFIX}")):
        try:
            names.append(read_rig(path).name)
        except InputError:
            continue  # a damaged file is told when it is asked for by name
    return tuple(names)


def load_rig(name: str) -> Rig:
    """Load a rig by its name; errors as in :func:`read_rig`."""
    path = file_of(name)
    if not path.is_file():
        known = ", ".join(known_rigs()) or "none"
        raise InputError(f"There is no rig “{name}”.", hint=f"Kept are: {known}.")
    return read_rig(path)


def keep_rig(rig: Rig) -> Path:
    """Keep a rig under its name; one that is there already is replaced, for takes have copies of their own.

    Raises
    ------
    FileError
        The folder cannot be written.
    """
    path = file_of(rig.name)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise FileError(f"{path.parent} cannot be made: {problem.strerror}.", hint="Check the data folder.") from problem
    write_rig(rig, path)
    return path


def write_rig(rig: Rig, path: Path) -> None:
    """Write a rig to a file of its own, to be taken elsewhere."""
    write_whole(path, msgspec.json.format(msgspec.json.encode(rig), indent=1) + b"\n")


def read_rig(path: Path) -> Rig:
    """Read a rig from a file.

    Raises
    ------
    FileError
        The file cannot be read, or holds no rig; says where.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path} is too large for a rig.", hint="Choose another file.")
        data = path.read_bytes()
    except OSError as problem:
        raise FileError(f"{path} cannot be read: {problem.strerror}.", hint="Check the name.") from problem
    try:
        return msgspec.json.decode(data, type=Rig)
    except (msgspec.MsgspecError, ValueError, RecursionError, InputError) as problem:
        raise FileError(f"{path} holds no rig that can be read: {problem}.", hint="Keep the rig again, or restore it.") from problem

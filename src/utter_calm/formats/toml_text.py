"""TOML files that somebody wrote: small, shallow, with short lines; what is not is refused before it is decoded."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TypeVar

import msgspec

from utter_calm.errors import FileError

T = TypeVar("T")
_MOST_BYTES, _LONGEST_LINE, _MOST_DOTS, _DEEPEST = 64_000, 2_000, 16, 16
_OPENS = re.compile(rb"[\[{]")


def decode_toml(path: Path, kind: type[T]) -> T:
    """Read a file as a type.

    Raises
    ------
    FileError
        It cannot be read, or is larger, deeper or longer in a line than anything that somebody writes.
    msgspec.MsgspecError, ValueError
        It is not of that type.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path} is too large.", hint="Such a file is short.")
        data = path.read_bytes()
    except OSError as problem:
        raise FileError(f"{path} cannot be read: {problem.strerror}.", hint="Check the file.") from problem
    for number, line in enumerate(data.splitlines(), start=1):
        head = line.partition(b"=")[0]
        if len(line) > _LONGEST_LINE or head.count(b".") > _MOST_DOTS or len(_OPENS.findall(line)) > _DEEPEST:
            raise FileError(f"{path}, line {number} is too long or too deep.", hint="See how the shipped ones do it.")
    try:
        return msgspec.toml.decode(data, type=kind)
    except RecursionError:
        raise FileError(f"{path} is too deep.", hint="See how the shipped ones do it.") from None

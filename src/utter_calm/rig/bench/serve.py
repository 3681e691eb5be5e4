"""Stand-ins of instruments, to practise with and to test against."""

from __future__ import annotations

from utter_calm.errors import FileError, InputError
from utter_calm.standins.scpi.models import MODELS
from utter_calm.standins.scpi.server import ScpiServer

STAND_INS = tuple(MODELS)


def serve_stand_in(name: str, port: int = 0) -> ScpiServer:
    """Start a stand-in on this machine; a context manager.

    Raises
    ------
    InputError
        There is none of that name.
    FileError
        The port is taken.
    """
    if name not in MODELS:
        raise InputError(f"There is no stand-in “{name}” of an instrument.", hint=f"There is: {', '.join(MODELS)}.")
    try:
        return ScpiServer(MODELS[name](), port=port)
    except OSError as problem:
        raise FileError(f"Port {port} cannot be used: {problem.strerror}.", hint="Choose another, or none.") from problem

"""A small SCPI server (IEEE 488.2 common commands, an error queue) on a socket of this machine, for one instrument each."""

from __future__ import annotations

import socketserver
import threading
from collections import deque
from collections.abc import Callable
from types import TracebackType
from typing import Protocol, Self

_MOST_ERRORS = 20


class Model(Protocol):
    """What an instrument does beyond what all do."""

    identity: str

    def reset(self) -> None:
        """Stand as after switching on."""
        ...

    def write(self, header: str, value: str) -> bool:
        """Carry a command out; False where it is not known. Raises ValueError where its value is out of range."""
        ...

    def query(self, header: str) -> str | None:
        """Answer a query; None where it is not known."""
        ...


class ScpiServer:
    """Serves one instrument; as a context manager it is stopped at the end.

    Parameters
    ----------
    mangle
        Changes each answer, for practice with what misbehaves; None from it means that no answer comes.
    """

    def __init__(self, model: Model, *, port: int = 0, mangle: Callable[[str], str | None] | None = None) -> None:
        self.model, self.mangle = model, mangle
        self.errors: deque[str] = deque(maxlen=_MOST_ERRORS)
        self.heard: list[str] = []
        self._lock = threading.Lock()
        serve = self.answer

        class Talk(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                for line in self.rfile:
                    for answer in serve(line.decode("ascii", "replace").strip()):
                        self.wfile.write(answer.encode("ascii", "replace") + b"\n")

        class Server(socketserver.ThreadingTCPServer):
            allow_reuse_address = True
            daemon_threads = True
            block_on_close = False

            def handle_error(self, request: object, client_address: object) -> None:
                """Who hangs up in the middle is no news."""

        self._server = Server(("127.0.0.1", port), Talk)
        self._thread = threading.Thread(target=self._server.serve_forever, name="scpi stand-in", daemon=True)
        self._thread.start()

    @property
    def port(self) -> int:
        """Where it listens."""
        return int(self._server.server_address[1])

    @property
    def address(self) -> str:
        """As it is given to a rig."""
        return f"TCPIP::127.0.0.1::{self.port}::SOCKET"

    def answer(self, line: str) -> list[str]:
        """Carry out a line; give its answers."""
        out = []
        with self._lock:
            for part in (p.strip() for p in line.split(";")):
                if part:
                    self.heard.append(part)
                    answer = self._one(part)
                    answer = answer if answer is None or self.mangle is None else self.mangle(answer)
                    if answer is not None:
                        out.append(answer)
        return out

    def _one(self, part: str) -> str | None:
        header, _, value = part.partition(" ")
        header = header.upper().lstrip(":")
        if header.endswith("?"):
            return self._query(header)
        if header == "*CLS":
            self.errors.clear()
        elif header == "*RST":
            self.model.reset()
        else:
            try:
                if not self.model.write(header, value.strip()):
                    self.errors.append('-113,"Undefined header"')
            except ValueError:
                self.errors.append('-222,"Data out of range"')
        return None

    def _query(self, header: str) -> str:
        common = {"*IDN?": self.model.identity, "*OPC?": "1", "*ESR?": "0", "*STB?": "0", "*TST?": "0"}
        if header in common:
            return common[header]
        if header in ("SYST:ERR?", "SYSTEM:ERROR?"):
            return self.errors.popleft() if self.errors else '0,"No error"'
        answer = self.model.query(header)
        if answer is None:
            self.errors.append('-113,"Undefined header"')
            return "9.91E+37"
        return answer

    def close(self) -> None:
        """Stop; who is connected loses the link."""
        self._server.shutdown()
        self._server.server_close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None) -> None:
        self.close()

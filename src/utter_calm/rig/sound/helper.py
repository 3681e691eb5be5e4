"""The worker as the program sees it: started, asked, waited for, and ended when it does not answer."""

from __future__ import annotations

import contextlib
import os
import select
import subprocess
import sys
import time

from utter_calm.errors import DeviceGone, InputError
from utter_calm.rig.sound.words import ANSWER, ENCODER, Answer, Ask, Open

INSTALL = "Install PortAudio (Debian: sudo apt install libportaudio2), or measure with a stand-in or from files."
_START_S = 15.0
LEAVES_S = 1.0
"""How long a worker may take to say good-bye."""


class Helper:
    """A worker process. Not for two threads at once.

    Parameters
    ----------
    memory
        Descriptors of memory that it shares.
    """

    def __init__(self, *memory: int) -> None:
        self._answers, write = os.pipe()
        self._pending = b""
        environment = {**os.environ, "JACK_NO_START_SERVER": "1"}
        self._process = subprocess.Popen(  # noqa: S603 - our own module
            [sys.executable, "-m", "utter_calm.rig.sound.worker", str(write)], stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, pass_fds=(write, *memory), env=environment,
        )  # fmt: skip
        os.close(write)
        self._ended = False

    @property
    def alive(self) -> bool:
        """Whether it still runs."""
        return self._process.poll() is None

    def ask(self, request: Ask | Open, patience_s: float = _START_S) -> Answer:
        """Ask, and wait for the answer.

        Raises
        ------
        InputError
            PortAudio is not installed, there is no such device, or it cannot run so.
        DeviceGone
            No answer came, or the worker died.
        """
        assert self._process.stdin is not None, "a pipe"
        try:
            self._process.stdin.write(ENCODER.encode(request) + b"\n")
            self._process.stdin.flush()
        except OSError:
            raise _silent() from None
        answer = self._wait(time.monotonic() + patience_s)
        if answer.kind == "library":
            raise InputError("PortAudio, which plays and records, is not installed.", hint=INSTALL)
        if answer.kind == "device":
            raise InputError(f"The sound device {answer.problem} is not there.",
                             hint="Plug it in or start its server, or choose another in the rig.")  # fmt: skip
        if answer.kind == "so":
            raise InputError(f"The sound device cannot run so: {answer.problem}.",
                             hint="Choose another rate or fewer channels; the rig's device form shows what it can do.")  # fmt: skip
        if answer.problem:
            raise DeviceGone(f"The sound device failed: {answer.problem}.", hint="Check it, then take the step again.")
        return answer

    def end(self, patience_s: float = 0.0) -> None:
        """End it, and its device with it; may be called twice.

        ``patience_s`` lets it take leave of the audio server first: one that is only killed has to be found missing there.
        """
        if self._ended:
            return
        self._ended = True
        assert self._process.stdin is not None, "a pipe"
        with contextlib.suppress(OSError):
            self._process.stdin.close()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(patience_s)
        self._process.kill()
        self._process.wait()
        os.close(self._answers)

    def _wait(self, until: float) -> Answer:
        while b"\n" not in self._pending:
            ready, _, _ = select.select([self._answers], [], [], max(0.0, min(0.1, until - time.monotonic())))
            got = os.read(self._answers, 65_536) if ready else b""
            if ready and not got:
                raise _silent()
            self._pending += got
            if not ready and (time.monotonic() > until or not self.alive):
                raise _silent()
        line, self._pending = self._pending.split(b"\n", 1)
        return ANSWER.decode(line)


def _silent() -> DeviceGone:
    return DeviceGone("The sound system does not answer.", hint="Restart the audio server, or unplug the device and plug it in.")

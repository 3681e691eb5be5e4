"""The worker process: answers on one pipe, runs the stream over shared memory, and ends when the program ends.

``python -m utter_calm.rig.sound.worker FD``: requests come on the standard input, answers go to the descriptor FD, since the
libraries of audio servers write what they like to the standard outputs.
"""

from __future__ import annotations

import gc
import os
import select
import signal
import sys
import threading
import time
from typing import Any, NoReturn

import msgspec

from utter_calm.rig.sound import backend
from utter_calm.rig.sound.pump import Pump
from utter_calm.rig.sound.rings import HUSH, LEFT, STARTED, WRITTEN, Rings
from utter_calm.rig.sound.words import ENCODER, REQUEST, Answer, Ask, Open

_LOOK_S = 0.05
_IDLE_S = 20.0
_FADE_S = 0.1
_END_S = 3.0


class Worker:
    """One device at a time."""

    def __init__(self, answers: int) -> None:
        self._answers = answers
        self._streams: list[Any] = []
        self._rings: Rings | None = None
        self._moved = (0, 0.0)

    def serve(self) -> NoReturn:
        """Answer until the program ends."""
        pending = b""
        while True:
            ready, _, _ = select.select([0], [], [], _LOOK_S)
            if ready:
                got = os.read(0, 65_536)
                if not got:
                    self._end()
                pending += got
                *lines, pending = pending.split(b"\n")
                for line in lines:
                    self._say(self._answer(line))
            self._look()

    def _answer(self, line: bytes) -> Answer:
        try:
            wanted = REQUEST.decode(line)
            sd = backend.portaudio()
            if isinstance(wanted, Ask):
                return Answer(devices=backend.devices(sd))
            return self._open(sd, wanted)
        except backend.Refused as problem:
            return Answer(problem=str(problem), kind=problem.kind)
        except Exception as problem:  # noqa: BLE001 - whatever a library throws is told, and the worker goes on
            return Answer(problem=f"{type(problem).__name__}: {problem}", kind="gone")

    def _open(self, sd: Any, wanted: Open) -> Answer:  # noqa: ANN401
        self._rings = rings = Rings(wanted.memory, wanted.frames, wanted.outputs, wanted.inputs)
        self._streams = backend.streams(sd, wanted, Pump(rings, wanted.rate_hz))
        gc.collect()
        gc.freeze()
        gc.disable()  # nothing here makes cycles; a collection in the device's thread would be a pause
        for stream in self._streams:
            stream.start()
        rings.count[STARTED] = 1
        self._moved = (-1, time.monotonic())
        return Answer()

    def _look(self) -> None:
        """See whether the device stopped by itself, or nobody has wanted it for a while."""
        if self._rings is None or not self._streams:
            return
        if not all(stream.active for stream in self._streams):
            self._rings.count[LEFT] = 1
            self._streams = []  # not closed: that may hang, and the program ends this process
            return
        written = int(self._rings.count[WRITTEN])
        if written != self._moved[0]:
            self._moved = (written, time.monotonic())
        elif time.monotonic() - self._moved[1] > _IDLE_S:
            self._end()  # other programs may have it

    def _say(self, answer: Answer) -> None:
        data = ENCODER.encode(answer) + b"\n"
        while data:
            data = data[os.write(self._answers, data) :]

    def _end(self) -> NoReturn:
        """Fade away, let the device go, and end whatever the libraries do."""
        threading.Timer(_END_S, os._exit, (0,)).start()
        if self._rings is not None and self._streams:
            self._rings.count[HUSH] = 1
            time.sleep(_FADE_S)
            self._rings.count[LEFT] = 1
            for stream in self._streams:
                stream.close()
        backend.farewell()
        os._exit(0)


def main() -> NoReturn:
    """Begin; the program's Ctrl-C is not ours."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    answers = int(sys.argv[1])
    os.dup2(2, 1)
    Worker(answers).serve()


if __name__ == "__main__":
    try:
        main()
    except (BrokenPipeError, msgspec.MsgspecError):
        os._exit(1)

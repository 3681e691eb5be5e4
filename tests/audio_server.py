"""Real audio servers for tests: JACK with a loop from its outputs to its inputs, PulseAudio with a sink that is heard again."""

from __future__ import annotations

import contextlib
import itertools
import os
import signal
import subprocess
import time
from pathlib import Path

import pytest

from utter_calm.rig import SoundAddress, SoundDevice, find_devices

JACK = "JACK Audio Connection Kit"
_RUNNING = set[int]()
QUIET = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}


class Server:
    """A server process that is stopped, frozen or killed on request."""

    def __init__(self, process, address, number=0):
        self.process, self.address, self._number = process, address, number
        _RUNNING.add(number)

    def freeze(self):
        self.process.send_signal(signal.SIGSTOP)

    def thaw(self):
        self.process.send_signal(signal.SIGCONT)

    def kill(self):
        self.process.kill()
        self.process.wait()
        _RUNNING.discard(self._number)

    def stop(self):
        """As it should be: it takes its shared memory with it."""
        self.process.terminate()
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:
            self.kill()
        _RUNNING.discard(self._number)


def jack(monkeypatch, rate_hz, *, period=1024, sync=True, looped=2, among="alone"):
    """Start JACK; its device “loopback” hears what so many channels of it are played, bit by bit, one period later."""
    # JACK knows eight servers at most, the killed among them until their name is used again
    number = next(n for n in itertools.count(1) if n not in _RUNNING)
    name = f"utter-calm-{os.environ.get('PYTEST_XDIST_WORKER', among)}-{number}"
    monkeypatch.setenv("JACK_DEFAULT_SERVER", name)
    monkeypatch.setenv("JACK_NO_START_SERVER", "1")
    command = ["jackd", "-n", name, "-R", *(["-S"] if sync else []), "-p", "32", "-L", str(looped),
               "-d", "dummy", "-r", str(rate_hz), "-p", str(period), "-C", "2", "-P", "2"]  # fmt: skip
    server = Server(subprocess.Popen(command, **QUIET), SoundAddress(JACK, "loopback", "loopback", buffer_s=0.2), number)
    try:
        _until(lambda: find_devices().get(JACK, "loopback"))
    except BaseException:
        server.kill()  # left alone it would be taken for the next one of its name
        raise
    return server


def _rates(group):
    """Both rates, each a group of its own for a worker that runs its tests one after the other."""
    return [pytest.param(rate, marks=pytest.mark.xdist_group(f"{group} {rate}")) for rate in (48_000, 192_000)]


def _served(request):
    with pytest.MonkeyPatch.context() as patch:
        server = jack(patch, request.param)
        device = SoundDevice(server.address, outputs=2, inputs=2)
        yield request.param, device, server.address
        device.let_go()
        server.stop()


served = pytest.fixture(scope="module", params=_rates("jack"))(_served)
"""A server at a rate, its looped device, and its address."""
served_steps = pytest.fixture(scope="module", params=_rates("steps"))(_served)
"""The same, for what takes as long as all the rest."""


@contextlib.contextmanager
def pulse(monkeypatch, folder: Path, rate_hz):
    """PulseAudio with an ALSA device “testloop”: an untidy one, that comes late by another time in each run."""
    folder.mkdir(parents=True, exist_ok=True)
    own = {
        "XDG_RUNTIME_DIR": folder,
        "HOME": folder,
        "PULSE_RUNTIME_PATH": folder / "pulse",
        "ALSA_CONFIG_PATH": folder / "alsa.conf",
    }
    for key, value in own.items():
        monkeypatch.setenv(key, str(value))
    (folder / "start.pa").write_text(
        f"load-module module-null-sink sink_name=loop format=float32le rate={rate_hz} channels=2\n"
        "load-module module-native-protocol-unix\nset-default-sink loop\nset-default-source loop.monitor\n"
    )
    (folder / "alsa.conf").write_text(
        "</usr/share/alsa/alsa.conf>\n"
        'pcm.testloop { type asym playback.pcm { type pulse device "loop" } capture.pcm { type pulse device "loop.monitor" } '
        'hint { show on description "testloop" } }\n'
    )
    flags = ["-n", "-F", str(folder / "start.pa"), "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no"]
    server = Server(subprocess.Popen(["pulseaudio", *flags], **QUIET), SoundAddress("ALSA", "testloop", "testloop", buffer_s=0.2))
    # without somebody who plays and records all the time the sink sleeps, and each start stalls
    keep = [f"--rate={rate_hz}", "--format=float32le", "--channels=2", "--latency-msec=10"]
    _until((folder / "pulse" / "native").exists)
    with Path("/dev/zero").open("rb") as zeros:
        awake = [
            subprocess.Popen(["pacat", *keep, "-d", "loop"], stdin=zeros, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL),
            subprocess.Popen(["parec", *keep, "-d", "loop.monitor"], **QUIET),
        ]
    time.sleep(3)
    try:
        yield server
    finally:
        for process in (*awake, server.process):
            process.kill()
            process.wait()


def workers_s():
    """Processor time of the processes that this one started, but for the audio server."""
    spent, ticks = 0, os.sysconf("SC_CLK_TCK")
    for task in Path("/proc").glob("[0-9]*/stat"):
        try:
            name, rest = task.read_text().rsplit(")", 1)
        except OSError:  # it has ended
            continue
        fields = rest.split()
        if fields[1] == str(os.getpid()) and "jackd" not in name:
            spent += int(fields[11]) + int(fields[12])
    return spent / ticks


def _until(there, patience_s=20.0):
    end = time.monotonic() + patience_s
    while not there():
        assert time.monotonic() < end, "the audio server did not start"
        time.sleep(0.05)

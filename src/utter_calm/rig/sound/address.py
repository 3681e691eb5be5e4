"""Which sound device: by names that stay the same when it is unplugged and plugged in again."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from pathlib import Path

from utter_calm.errors import InputError

_CARD = re.compile(r" ?\(hw:(\d+),(\d+)\)")
USUAL_BUFFER_S = 0.08
_SERIALS = ("device/../serial", "device/../../serial")


@dataclass(frozen=True, slots=True)
class SoundAddress:
    """The device behind a rig.

    Parameters
    ----------
    host
        How it is reached, as PortAudio calls it: ``"ALSA"``, ``"JACK Audio Connection Kit"``.
    output, input
        Names of the device that plays and of the one that listens; empty for none. Cards by their lasting identity
        (:func:`lasting_name`).
    input_host
        How the listening device is reached where that differs; empty for the same.
    buffer_s
        How far ahead of the device the program plays: more survives a busier machine, less answers sooner.
    """

    host: str
    output: str
    input: str
    input_host: str = ""
    buffer_s: float = USUAL_BUFFER_S

    def __post_init__(self) -> None:
        if not self.input:
            raise InputError("The rig has no device that listens.", hint="Choose an input device.")
        if not (math.isfinite(self.buffer_s) and 0.02 <= self.buffer_s <= 2):
            raise InputError(f"The buffer is {self.buffer_s:g} s.", hint="Choose 0.02 s to 2 s; 0.08 s suits most machines.")

    @property
    def hears_through(self) -> str:
        """How the listening device is reached."""
        return self.input_host or self.host

    @property
    def one_device(self) -> bool:
        """Whether one device plays and listens, and so by one clock."""
        return not self.output or (self.output == self.input and self.host == self.hears_through)

    @property
    def title(self) -> str:
        """For people: both devices where they differ."""
        there = f"{self.input} ({self.hears_through})"
        return there if self.one_device else f"{self.output} ({self.host}) and {there}"


JACK = "JACK Audio Connection Kit"


def is_card(name: str) -> bool:
    """Whether a device is a card itself, by its lasting name, and not something that a sound server puts before one."""
    return name.endswith("]") or bool(_CARD.search(name))


def lasting_name(name: str, sys_class: Path = Path("/sys/class/sound"), proc: Path = Path("/proc/asound")) -> str:
    """Name of a device without what changes when it is plugged in again.

    A card's number says only in which order cards were found; its identity in ``/proc/asound`` and, for USB, its serial
    number stay. Other names come back as they are.
    """
    found = _CARD.search(name)
    if not found:
        return name
    card, sub = found.groups()
    identity = _line(proc / f"card{card}" / "id")
    if not identity:
        return name
    serial = next((s for s in (_line(sys_class / f"card{card}" / where) for where in _SERIALS) if s), "")
    who = f"{identity} {serial}".strip()
    return f"{_CARD.sub('', name)} [{who}, {sub}]"


def bits_of(name: str, proc: Path = Path("/proc/asound")) -> tuple[int, ...]:
    """Bits to a sample of which a card has converters, as the kernel tells them; none where it does not.

    PortAudio brings samples to whatever a card takes, so that asking it tells nothing. Of USB each setting says its bits, or
    the format that carries them; of others the codec says all.
    """
    found = _CARD.search(name)
    if not found:
        return ()
    card = proc / f"card{found.group(1)}"
    settings = re.split(r"\n\s*Altset", _line(card / f"stream{found.group(2)}"))[1:]
    bits = {int(m.group(1)) for one in settings if (m := re.search(r"\bBits: (\d+)", one) or re.search(r"Format: [SUF](\d+)", one))}
    for path in card.glob("codec#*"):
        bits |= {int(b) for line in re.findall(r"\bbits \[0x[0-9a-f]+\]:([ \d]+)", _line(path)) for b in line.split()}
    return tuple(sorted(bits))


def _line(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8", errors="replace").strip()
    except OSError:
        return ""

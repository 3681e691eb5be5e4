"""What is known of a kind of instrument: data, not code, one small TOML file each.

Those that ship are in ``assets/instruments``; one's own go to the folder ``instruments`` in the user's data folder and replace
a shipped one of the same name.
"""

from __future__ import annotations

import math
import re
from pathlib import Path

import msgspec
import platformdirs

from utter_calm.errors import FileError, InputError
from utter_calm.formats.toml_text import decode_toml

_SHIPPED = Path(__file__).parents[2] / "assets" / "instruments"
_NAME = re.compile(r"[a-z][a-z0-9-]*")


class Quantity(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One thing that an instrument sets or reads.

    Parameters
    ----------
    factor
        The condition's name, as in ``supply``; of what is only read, the reading's name.
    unit
        SI unit.
    set
        Command with ``{value}`` in it; empty where it is only read.
    told
        Query that is answered by what it was set to, before it is on; empty where it cannot tell.
    on
        Command that switches its output on, given once what was set was read back; empty where it is always on.
    read
        Query that is answered by a number; empty where it is only set.
    per_unit
        What the instrument's number is for one SI unit: 1000 where it counts millivolts.
    low, high
        Bounds of what may be set.
    positions
        Words that may be set instead of numbers, each with its command.
    settles_s
        How long it takes to stand.
    within
        By how much what is read back may differ: a part of the value.
    """

    factor: str
    unit: str = "1"
    set: str = ""
    told: str = ""
    on: str = ""
    read: str = ""
    per_unit: float = 1.0
    low: float = -math.inf
    high: float = math.inf
    positions: dict[str, str] = {}
    settles_s: float = 0.2
    within: float = 0.02


class Limit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What an output may give at most, as a supply's current: how it is set and read back, in ``unit``."""

    unit: str
    set: str
    read: str


class Profile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A kind of instrument.

    Parameters
    ----------
    title
        For people.
    quantities
        What it sets and reads.
    says
        Regular expression that its answer to ``*IDN?`` must contain; empty for anything.
    timeout_s
        How long an answer may take.
    start
        Commands before the first use.
    quiet
        Commands when it is let go, or when a setting fails, such as switching an output off; empty for none.
    limit
        What its output may give at most, stated with the instrument and set before anything is on; None where it has none.
    """

    title: str
    quantities: tuple[Quantity, ...]
    says: str = ""
    timeout_s: float = 2.0
    start: tuple[str, ...] = ()
    quiet: tuple[str, ...] = ()
    limit: Limit | None = None

    def quantity(self, factor: str) -> Quantity | None:
        """Find what it does with a factor."""
        return next((q for q in self.quantities if q.factor == factor), None)


def own_folder() -> Path:
    """Where one's own profiles are."""
    return Path(platformdirs.user_data_dir("utter-calm")) / "instruments"


def known_profiles() -> tuple[str, ...]:
    """Names of all profiles."""
    return tuple(sorted({path.stem for folder in (_SHIPPED, own_folder()) for path in folder.glob("*.toml")}))


def load_profile(name: str) -> Profile:
    """Load a profile by its name.

    Raises
    ------
    InputError
        There is none of that name.
    FileError
        It cannot be read; says where and why.
    """
    path = next((p for p in (own_folder() / f"{name}.toml", _SHIPPED / f"{name}.toml") if p.is_file()), None)
    if not _NAME.fullmatch(name) or path is None:
        raise InputError(f"There is no profile “{name}” of an instrument.", hint=f"There are: {', '.join(known_profiles())}.")
    return read_profile(path)


def read_profile(path: Path) -> Profile:
    """Read a profile from a file; errors as in :func:`load_profile`."""
    try:
        profile = decode_toml(path, Profile)
        re.compile(profile.says)
        for quantity in profile.quantities:
            _check(quantity)
    except FileError:
        raise
    except (msgspec.MsgspecError, ValueError, re.error, KeyError, IndexError) as problem:
        raise FileError(f"{path} describes no instrument: {problem}.", hint="See how the shipped profiles do it.") from problem
    return profile


def _check(quantity: Quantity) -> None:
    if quantity.set and "{value" not in quantity.set:
        raise ValueError(f"the command that sets “{quantity.factor}” has no {{value}}")
    quantity.set.format(value=1.0)
    if not (quantity.set or quantity.read or quantity.positions):
        raise ValueError(f"“{quantity.factor}” is neither set nor read")
    if not (math.isfinite(quantity.per_unit) and quantity.per_unit != 0):
        raise ValueError(f"“{quantity.factor}” has per_unit {quantity.per_unit}")

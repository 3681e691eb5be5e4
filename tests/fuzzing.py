"""What is fed with rubbish: every parser and file reader, each with a seeded generator; only the program's own errors may come out.

The tests try a few hundred of each; ``tools/fuzz`` tries as many as it is asked to.
"""

from __future__ import annotations

import contextlib
import io
import json
import random
import sqlite3
from collections.abc import Callable
from pathlib import Path

from utter_calm.cli import run as run_command
from utter_calm.errors import UtterCalmError
from utter_calm.formats.audio import read_audio
from utter_calm.formats.columns import read_columns
from utter_calm.job.job import Job
from utter_calm.job.mask import parse_mask
from utter_calm.present.calculator import FIELDS, convert
from utter_calm.present.coverage import coverage_view
from utter_calm.quantities import parse_decibels, parse_list, parse_quantity, read_value, understand

Target = Callable[[random.Random, Path], None]
_ALPHABET = "0123456789.,-+eE kMmµdBVuΩ%;:()[]/\t\n\u2212\u00a0abcxyzHFWs"
_UNITS = ("V", "1", "ohm", "Hz", "m", "kg", "m3", "Pa", "F", "H", "rad", "K", "s", "W", "V/s", "dB")
_WRONG = (None, -1, 2**63 - 1, float("nan"), float("inf"), "", "x" * 3_000, b"\x00\xff", "\ud7ff", 1e308, 0, "[]", "{}", "null",
          "[" * 3_000, '{"a":' * 500)  # fmt: skip


def _text(rng: random.Random) -> str:
    alphabet = _ALPHABET if rng.random() < 0.8 else [chr(rng.randrange(1, 0xD7FF)) for _ in range(20)]
    return "".join(rng.choice(alphabet) for _ in range(rng.randrange(40)))


def _mutated(rng: random.Random, data: bytes) -> bytes:
    """Some bytes flipped, cut out, doubled or put in."""
    out = bytearray(data)
    for _ in range(rng.randrange(1, 6)):
        at = rng.randrange(len(out)) if out else 0
        what = rng.randrange(5)
        if what == 0 and out:
            out[at] = rng.randrange(256)
        elif what == 1:
            out[at : at + rng.randrange(64)] = b""
        elif what == 2:
            out[at:at] = out[at : at + rng.randrange(64)]
        elif what == 3:
            out[at:at] = rng.randbytes(rng.randrange(8))
        else:
            out[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff", b"\x00\x00\x00\x80"])
    return bytes(out)


def quantities(rng: random.Random, _folder: Path) -> None:
    text = _text(rng)
    for parse in (lambda t: understand(t, rng.choice(_UNITS)), lambda t: parse_quantity(t, rng.choice(_UNITS)), read_value,
                  parse_decibels, lambda t: parse_list(t, rng.choice(_UNITS))):  # fmt: skip
        with contextlib.suppress(UtterCalmError):
            parse(text)


def masks(rng: random.Random, _folder: Path) -> None:
    with contextlib.suppress(UtterCalmError):
        parse_mask(_text(rng))


def calculator(rng: random.Random, _folder: Path) -> None:
    with contextlib.suppress(UtterCalmError):
        convert(rng.choice(FIELDS), _text(rng), _text(rng))


def tables(rng: random.Random, folder: Path) -> None:
    lines = [
        rng.choice(["20 -0.5 10", "100,0.1,3", "1e3;0,2;-4", "* remark", "Hz dB deg", _text(rng)]) for _ in range(rng.randrange(9))
    ]
    path = folder / "t.txt"
    path.write_bytes(_mutated(rng, "\r\n".join(lines).encode("utf-8", "surrogatepass")))
    with contextlib.suppress(UtterCalmError):
        read_columns(path)


def audio(rng: random.Random, folder: Path) -> None:
    """Headers of a WAV file, mutated."""
    import numpy as np
    import soundfile

    whole = io.BytesIO()
    kind = rng.choice([("WAV", "PCM_16"), ("WAV", "FLOAT"), ("FLAC", "PCM_24"), ("AIFF", "PCM_16")])
    soundfile.write(whole, np.sin(np.arange(400.0)).reshape(-1, 2) * 0.3, 48_000, format=kind[0], subtype=kind[1])
    data = whole.getvalue()
    path = folder / f"a.{kind[0].lower()}"
    path.write_bytes(_mutated(rng, data[:200]) + data[200:] if rng.random() < 0.7 else _mutated(rng, data))
    with contextlib.suppress(UtterCalmError):
        read_audio(path)


def use(path: Path) -> None:
    """Do with a job file what the window and the reports do."""
    with contextlib.suppress(UtterCalmError):
        job = Job.open(path)
        try:
            for unit in job.document.units:  # whatever one take is like, the rest must be usable
                coverage_view(job, unit)
                job.claim_rows(unit)
                job.missing(unit.id)
            for take in job.takes:
                with contextlib.suppress(UtterCalmError):
                    job.full(take)
                with contextlib.suppress(UtterCalmError):
                    job.stale(take)
            with contextlib.suppress(UtterCalmError):
                job.pending()
        finally:
            job.close()


def job_bytes(rng: random.Random, folder: Path) -> None:
    path = folder / "b.calm"
    path.write_bytes(_mutated(rng, _sample(folder).read_bytes()))
    use(path)


def job_cells(rng: random.Random, folder: Path) -> None:
    """Any cell of any table replaced by what does not belong there."""
    path = folder / "c.calm"
    path.write_bytes(_sample(folder).read_bytes())
    with contextlib.suppress(sqlite3.DatabaseError), contextlib.closing(sqlite3.connect(path)) as file:
        file.execute("PRAGMA foreign_keys = OFF")
        file.execute("PRAGMA ignore_check_constraints = ON")
        for _ in range(rng.randrange(1, 4)):
            table = rng.choice(["document", "text", "take", "reading", "trace", "capture"])
            columns = [row[1] for row in file.execute(f"PRAGMA table_info({table})")]
            column = rng.choice(columns)
            keys = "take, position" if table == "reading" else "rowid"
            with contextlib.suppress(sqlite3.Error, UnicodeError):
                row = rng.choice(file.execute(f"SELECT {keys} FROM {table}").fetchall())
                where = " AND ".join(f"{key} = ?" for key in keys.split(", "))
                file.execute(f"UPDATE {table} SET {column} = ? WHERE {where}", (rng.choice(_WRONG), *row))
        if rng.random() < 0.1:
            file.execute(f"PRAGMA user_version = {rng.choice([0, -1, 1, 2, 4, 2**31 - 1])}")
        file.commit()
    use(path)


def job_json(rng: random.Random, folder: Path) -> None:
    """A value somewhere in the document's JSON replaced, left out, or put under another name."""
    path = folder / "j.calm"
    path.write_bytes(_sample(folder).read_bytes())
    with contextlib.closing(sqlite3.connect(path)) as file:
        rows = file.execute("SELECT rowid, json FROM document").fetchall() + file.execute("SELECT -id, json FROM text").fetchall()
        key, text = rng.choice(rows)
        whole = json.loads(text)
        for _ in range(rng.randrange(1, 4)):
            _spoil(rng, whole)
        with contextlib.suppress(sqlite3.Error, ValueError):
            spoilt = json.dumps(whole)
            file.execute(*(("UPDATE document SET json = ? WHERE rowid = ?", (spoilt, key)) if key > 0 else
                           ("UPDATE text SET json = ? WHERE id = ?", (spoilt, -key))))  # fmt: skip
        file.commit()
    use(path)


def _spoil(rng: random.Random, value: object) -> None:
    while isinstance(value, dict | list) and value:
        keys = list(value) if isinstance(value, dict) else range(len(value))
        key = rng.choice(list(keys))
        inner = value[key]  # type: ignore[call-overload,index]
        if not isinstance(inner, dict | list) or not inner or rng.random() < 0.15:
            if isinstance(value, dict) and rng.random() < 0.3:
                value[f"{key}x"] = value.pop(key)
            else:
                value[key] = rng.choice([None, -1, 1e400, "", [], {}, True, "x", 2**70, -0.0, 1e-320])  # type: ignore[call-overload,index]
            return
        value = inner


def commands(rng: random.Random, folder: Path) -> None:
    """Command lines with options that mean nothing, on a file that may be none."""
    names = ["table", "compare", "export", "analyze", "new", "report", "open", "tone", "sweep", "noise", "edges", "nothing"]
    words = [str(_sample(folder)), str(folder / "none.wav"), "--json", "--load", "--csv", str(folder / "o.csv"), "1", "-1", "8 ohm",
             "--channel", "99", "--band", "nan", _text(rng)]  # fmt: skip
    call = [rng.choice(names), *(rng.choice([*words, *names]) for _ in range(rng.randrange(6)))]
    if call[0] == "open":
        return  # that is the window
    silent = contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO())
    with contextlib.chdir(folder), silent[0], silent[1]:  # words among the options are names of files as well
        status = run_command([c for c in call if "\x00" not in c])
    assert status in (0, 1, 2), (call, status)


def _sample(folder: Path) -> Path:
    """A small job with takes; made once in a folder."""
    path = folder / "sample.calm"
    if not path.exists():
        from tests.conftest import make_demo

        make_demo(path, ("first-look",), setups=1).close()
    return path


TARGETS: dict[str, Target] = {
    t.__name__: t for t in (quantities, masks, calculator, tables, audio, job_bytes, job_cells, job_json, commands)
}


def attack(name: str, seed: int, folder: Path) -> None:
    """Feed one target with what a seed makes."""
    TARGETS[name](random.Random(f"{name}{seed}"), folder)

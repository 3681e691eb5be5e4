"""Benchmarks: ratios within one run. `tools/bench` prints the table and keeps it in docs/benchmarks.md."""

from __future__ import annotations

import os

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import utter_calm  # noqa: F401 - before NumPy: it settles the number of threads
from utter_calm.memory import keep_freed_memory

keep_freed_memory()  # as the program does where it begins to work


@pytest.fixture(autouse=True)
def _own_folders(tmp_path, monkeypatch):
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))

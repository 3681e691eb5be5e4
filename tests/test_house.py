"""The rules of the house, held by a machine: walls, docs, locks."""

import ast
import importlib
import importlib.util
import os
import re
import shutil
import subprocess
import sys
from dataclasses import fields
from pathlib import Path

import pytest

import utter_calm
from utter_calm.job.store.schema import TABLES, VERSION
from utter_calm.measure.kinds import KINDS

SOURCE = Path(utter_calm.__file__).parent
ROOT = SOURCE.parent.parent
BANNED = ("PySide6", "shiboken6", "utter_calm.ui")


def crossings(source):
    tree = list(ast.walk(ast.parse(source)))
    names = [a.name for n in tree if isinstance(n, ast.Import) for a in n.names]
    names += [f"{'.' * n.level}{n.module}.{a.name}" for n in tree if isinstance(n, ast.ImportFrom) for a in n.names]
    return [m for m in names if m.startswith(".") or any(f"{m}.".startswith(f"{b}.") for b in BANNED)]


CORE = [p for p in SOURCE.rglob("*.py") if p.relative_to(SOURCE).parts[0] not in ("ui", "cli")]


@pytest.mark.parametrize("path", CORE, ids=lambda p: str(p.relative_to(SOURCE)))
def test_the_core_imports_no_window(path):
    assert crossings(path.read_text("utf-8")) == []


@pytest.mark.parametrize("line", ["from utter_calm.ui import app", "import PySide6.QtCore", "from .. import ui"])
def test_the_wall_itself_goes_red(line):
    assert crossings(line)


def test_the_core_runs_without_qt():
    code = (
        "import sys; import utter_calm.cli.analyze, utter_calm.cli.run, utter_calm.report.write; "
        "sys.exit(any(m.startswith(('PySide6', 'shiboken6')) for m in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_the_window_loads_nothing_that_measures_before_it_is_seen():
    code = (
        "import sys; from utter_calm.ui.shell.app import make_application, make_window; "
        "app = make_application([]); window = make_window(); window.show(); app.processEvents(); "
        "found = [m for m in sys.modules if m.startswith(('scipy', 'multiprocessing', 'utter_calm.measure'))]; "
        "sys.exit(f'loaded at the start: {found}' if found else 0)"
    )
    done = subprocess.run([sys.executable, "-c", code], check=False, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


def test_every_import_contract_goes_red(tmp_path):
    """A file that nobody listed breaks each contract: its package is what is named, not the file."""
    shutil.copytree(SOURCE, tmp_path / "utter_calm", ignore=shutil.ignore_patterns("__pycache__", "assets"))
    for place, line in (
        ("analysis/fresh.py", "import utter_calm.job.job"),
        ("cli/fresh.py", "import PySide6.QtCore"),
        ("present/fresh.py", "import utter_calm.standins.catalogue"),
    ):
        (tmp_path / "utter_calm" / place).write_text(f"{line}\n")
    (tmp_path / "pyproject.toml").write_text((ROOT / "pyproject.toml").read_text("utf-8"))
    done = subprocess.run(
        [Path(sys.executable).parent / "lint-imports", "--no-logo"], cwd=tmp_path, env={**os.environ, "PYTHONPATH": str(tmp_path)},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    names = re.findall(r'^name = "(.+)"$', (ROOT / "pyproject.toml").read_text("utf-8"), re.MULTILINE)[1:]
    assert len(names) == 3
    for name in names:
        assert f"{name} BROKEN" in done.stdout, (name, done.stdout)


def test_every_reading_is_documented():
    text = (ROOT / "docs" / "readings.md").read_text("utf-8")
    for name in {n for kind in KINDS.values() for n in (*kind.readings, *kind.traces)}:
        assert f"`{name}`" in text, name
    assert subprocess.run([sys.executable, ROOT / "tools" / "readings-doc", "--check"], check=False).returncode == 0


def test_every_trust_code_is_documented():
    text = (ROOT / "docs" / "readings.md").read_text("utf-8")
    codes = set()
    for path in SOURCE.rglob("*.py"):
        codes |= set(re.findall(r"Trust\(\s*\"(\w+)\"", path.read_text("utf-8")))
    assert codes
    for code in codes:
        assert f"`{code}`" in text, code


def test_the_file_format_is_documented():
    text = (ROOT / "docs" / "file-format.md").read_text("utf-8")
    assert f"version {VERSION}" in text
    for table, columns in TABLES.items():
        assert f"`{table}`" in text
        for column in re.findall(r"(\w+) (?:TEXT|INTEGER|BLOB|REAL)", columns):
            assert f"`{column}`" in text, (table, column)


def missing_names(source):
    """What a script imports from the program that is not there."""
    found = [(n.module, a.name) for n in ast.walk(ast.parse(source)) if isinstance(n, ast.ImportFrom) for a in n.names
             if (n.module or "").startswith("utter_calm")]  # fmt: skip
    return [f"{module}.{name}" for module, name in found
            if not hasattr(importlib.import_module(module), name) and not importlib.util.find_spec(f"{module}.{name}")]  # fmt: skip


SCRIPTS = [p for p in (*(ROOT / "benchmarks").glob("*.py"), *(ROOT / "tools").iterdir())
           if p.is_file() and (p.suffix == ".py" or p.read_text("utf-8").startswith("#!/usr/bin/env python"))]  # fmt: skip


@pytest.mark.parametrize("path", SCRIPTS, ids=lambda p: p.name)
def test_benchmarks_and_tools_import_what_is_there(path):
    assert missing_names(path.read_text("utf-8")) == []


def test_a_name_that_has_gone_is_found():
    assert missing_names("from utter_calm.rig import stereo_rig, nothing_of_that_name")


def test_settings_are_documented():
    text = (ROOT / "docs" / "readings.md").read_text("utf-8")
    for kind in KINDS.values():
        for item in fields(kind.settings_type):
            assert f"`{item.name}`" in text, item.name


@pytest.mark.parametrize("name", ["requirements.lock", "requirements-dev.lock"])
def test_locks_hold_hashes_and_no_addresses(name):
    text = (ROOT / name).read_text("utf-8")
    assert "://" not in text
    assert "--hash=sha256:" in text
    assert re.search(r"^pyside6-essentials==6\.1[01]\.", text, re.MULTILINE)


def test_links_in_the_docs_lead_somewhere():
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text("utf-8")):
            assert (page.parent / target).exists(), (page.name, target)

"""A seeded random user at the real window, for a short while; the long one is run by hand."""

import subprocess
import sys
from pathlib import Path

import pytest

TOOL = Path(__file__).parents[1] / "tools" / "random-user"


@pytest.mark.timeout(240)
@pytest.mark.long
def test_a_random_user_brings_nothing_down():
    done = subprocess.run([sys.executable, TOOL, "--events", "80", "--seeds", "1"], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-4000:]

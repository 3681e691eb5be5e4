"""Memory that was freed serves again."""

import subprocess
import sys

_FAULTS = """
import resource
import sys
import numpy as np
from utter_calm.memory import keep_freed_memory

if sys.argv[1] == "keep":
    assert keep_freed_memory()
for turn in range(20):
    if turn == 5:
        before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
    several = [np.ones(500_000) for _ in range(5)]
    del several
print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
"""


def faults(how):
    done = subprocess.run([sys.executable, "-c", _FAULTS, how], capture_output=True, text=True, check=True)
    return int(done.stdout)


def test_arrays_let_go_are_not_fetched_anew_from_the_system():
    assert faults("keep") < faults("as it is") / 10

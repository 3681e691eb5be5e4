"""Properties tried on many made-up inputs; none is timed, for a busy machine must not turn one red.

Loaded by the tests that want it only: it takes longer to load than most of them run.
"""

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")

__all__ = ["HealthCheck", "given", "settings", "st"]

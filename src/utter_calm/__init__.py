"""Utter Calm: audio measurement in which a number is never separated from how it was made."""

import os

# The matrix products here are many and small: more threads make them wait for each other (ten times slower on a busy
# two-core machine). Has to be said before NumPy is loaded, and gives way to whoever said something else.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.3.0"

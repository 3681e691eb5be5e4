"""The places of work of an open job, in the order of their keys; and how job files are named."""

from __future__ import annotations

PLACES = ("plot", "claims", "takes", "compare")
SUFFIX = ".calm"

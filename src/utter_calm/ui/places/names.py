"""How the places of an open job are called, in the order of their keys; and how job files are named."""

from __future__ import annotations

PLOT = "plot"
NAMES = (PLOT, "claims", "takes", "compare", "rig", "driver", "box", "parts", "acoustics", "library")
SUFFIX = ".calm"

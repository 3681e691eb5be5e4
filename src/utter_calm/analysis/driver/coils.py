"""Two equal coils on one former: what one way of joining them says of the others."""

from __future__ import annotations

import math
from collections.abc import Mapping

ONE, SERIES, PARALLEL = "one_coil", "in_series", "in_parallel"
JOINED = (ONE, SERIES, PARALLEL)
_OF_ONE = {
    "re": {ONE: 1.0, SERIES: 2.0, PARALLEL: 0.5}, "bl": {ONE: 1.0, SERIES: 2.0, PARALLEL: 1.0},
    "le_1k": {ONE: 1.0, SERIES: 4.0, PARALLEL: 1.0}, "qes": {ONE: 1.0, SERIES: 0.5, PARALLEL: 0.5},
    "sensitivity_2v83": {ONE: 1.0, SERIES: 1.0, PARALLEL: 2.0},
}  # fmt: skip
"""By what each value of one coil, the other open, grows; both coils coupled fully."""


def joined_otherwise(known: Mapping[str, float], measured: str) -> dict[str, dict[str, float]]:
    """Give ``re, bl, le_1k, qes, qts, sensitivity_2v83`` for each other way of joining the coils, from those that are known.

    ``known`` holds SI values as measured, with ``qms`` for ``qts``; fs, Qms and all that is mechanical is the same for all ways.
    """
    out: dict[str, dict[str, float]] = {}
    for how in JOINED:
        if how == measured:
            continue
        one = {name: known[name] * of[how] / of[measured] for name, of in _OF_ONE.items() if name in known}
        if "qms" in known and "qes" in one and math.isfinite(known["qms"]):
            one["qts"] = known["qms"] * one["qes"] / (known["qms"] + one["qes"])
        out[how] = one
    return out

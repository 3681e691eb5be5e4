"""Plans of version 2 measured impedance and power series by steps of their own; what those are deduced from now is planned here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from utter_calm.errors import UtterCalmError
from utter_calm.quantities import NONE, Value, parse_quantity, plain_text, read_value
from utter_calm.quantities.parse import parse_list

_LOAD = "load"
CONSUMED = {"impedance": ("load", "series resistor"), "power_series": ("load", "supply", "frequency")}
"""Factors that steps of these kinds run over now: their takes stand once."""


def with_sources(plan: dict[str, Any], old_settings: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
    """Give a plan, in its new form, the steps and loads that its deductions need; ``old_settings`` are those of each step.

    Steps that were there before are planned under the loads under which they were. A plan without loads stays as it is: what
    is missing is said when it is asked for.
    """
    factors, steps = list(plan["factors"]), list(plan["steps"])
    place = next((k for k, f in enumerate(factors) if f["name"] == _LOAD), None)
    if place is None:
        return plan
    for step in plan["steps"]:
        wanted = _source(step["kind"], old_settings.get(step["id"], {}))
        if wanted is None:
            continue
        kind, settings, loads = wanted
        known = list(factors[place]["values"])
        fresh = [v for v in loads if v not in known]
        feeding = next((s for s in steps if s["kind"] == kind), None)
        if fresh:
            factors[place] = {**factors[place], "values": [*known, *fresh]}
            steps = [s if s is feeding else _only(s, known) for s in steps]
        if feeding is None:
            where = [(_LOAD, v) for v in loads] + [pair for pair in step["where"] if pair[0] != _LOAD]
            made = {"id": f"{step['id']}-from", "kind": kind, "settings": settings, "where": where}
            steps.insert(next(k for k, s in enumerate(steps) if s["id"] == step["id"]), made)
        elif fresh and any(f == _LOAD for f, _ in feeding["where"]):
            more = {**feeding, "where": [*feeding["where"], *((_LOAD, v) for v in fresh)]}
            steps = [more if s is feeding else s for s in steps]
    return {**plan, "factors": factors, "steps": steps}


def _only(step: dict[str, Any], loads: list[Value]) -> dict[str, Any]:
    """The step under the loads that there were, where it does not say itself under which; a deduction runs over all of them."""
    if step["kind"] in CONSUMED or any(factor == _LOAD for factor, _ in step["where"]):
        return step
    return {**step, "where": [*step["where"], *((_LOAD, v) for v in loads)]}


def _source(kind: str, old: Mapping[str, Any]) -> tuple[str, dict[str, Any], list[Value]] | None:
    """Kind, settings and loads of the step that a deduction needs; None where that cannot be told from its old settings."""
    try:
        if kind == "power_series":
            tones = parse_list(str(old.get("frequencies", "997 Hz")), "Hz", what="frequency")
            loads = [read_value(f"{ohm:g} ohm") for ohm in parse_list(str(old.get("loads", "8 ohm, 4 ohm")), "ohm", what="load")]
            same = {k: old[k] for k in ("start_v", "level_v", "band_low_hz", "band_high_hz", "rate_hz") if k in old}
            bound = f"{100 * float(old.get('bound', 0.01)):g} %"
            return "level_series", {**same, "frequency_hz": tones[0], "bounds": bound}, loads
        if kind == "impedance" and str(old.get("side", "output")).startswith("output"):
            same = {k: old[k] for k in ("level_v", "rate_hz") if k in old}
            pair = [_load(str(old.get(k, d))) for k, d in (("first_load", "none"), ("second_load", "8 ohm"))]
            return "response", same, pair
    except (UtterCalmError, IndexError, ValueError):
        return None
    return None


def _load(text: str) -> Value:
    return NONE if text.strip() == plain_text(NONE) else read_value(f"{parse_quantity(text, 'ohm', what='load'):g} ohm")

"""A claim held against a take: met, missed, undecided, or not reachable with this rig."""

from __future__ import annotations

import enum
import math
from dataclasses import dataclass

import numpy as np

from utter_calm.job.document import Claim, MaskPoint, Setup, alternatives
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.quantities import FULL_SCALE_UNIT, Conditions

RIG_LIMITED = math.sqrt(2)
"""A reading less than 3 dB above what the rig alone gives says more about the rig than about the unit."""
NOISE = 1.5
"""A magnitude of so many of its expanded uncertainties (k = 2) or fewer is noise: three deviations, Rayleigh distributed."""


class Outcome(enum.Enum):
    """What a claim came to."""

    MET = "met"
    MISSED = "missed"
    UNDECIDED = "undecided"
    NOT_REACHABLE = "not reachable"
    OPEN = "not measured"

    @property
    def severity(self) -> int:
        """For the worst of several: missed before not reachable before undecided before met."""
        order = (Outcome.OPEN, Outcome.MET, Outcome.UNDECIDED, Outcome.NOT_REACHABLE, Outcome.MISSED)
        return order.index(self)


@dataclass(frozen=True, slots=True)
class Verdict:
    """A claim held against one take.

    Parameters
    ----------
    claim
        Which.
    outcome
        What it came to.
    value, uncertainty
        Worst value against the bound and its expanded uncertainty, linear; None when not measured.
    bound
        The bound that is nearest.
    unit
        Of value and bound.
    channel
        Where the worst value is; 0 for all.
    margin
        Distance to the bound on the good side, as a difference in ``unit``; negative when missed.
    at
        For a trace: the x of the worst point.
    floor
        What the rig alone gives.
    doubt
        Why the reading says less than it seems to; empty where it does not.
    """

    claim: Claim
    outcome: Outcome
    value: float | None = None
    uncertainty: float | None = None
    bound: float | None = None
    unit: str = "1"
    channel: int = 0
    margin: float | None = None
    at: float | None = None
    floor: float | None = None
    doubt: str = ""


def judge(claim: Claim, result: Result | None, setup: Setup | None = None) -> Verdict:
    """Hold a claim against a result; every channel counts and the worst one is told.

    ``setup`` is that of the take; conditions of the claim that it does not hold choose among the coordinates.
    """
    if result is None:
        return Verdict(claim, Outcome.OPEN)
    if claim.mask:
        verdicts = [_judge_trace(claim, t) for t in result.traces if t.name == claim.name and _holds(claim, t.at, setup)]
    else:
        verdicts = [_judge_reading(claim, r) for r in result.readings if r.name == claim.name and _holds(claim, r.at, setup)]
    found = [v for v in verdicts if v is not None]
    if not found:
        return Verdict(claim, Outcome.OPEN, doubt="what was measured does not tell it")
    return max(found, key=lambda v: (v.outcome.severity, -(v.margin or 0.0)))


def _holds(claim: Claim, at: Conditions, setup: Setup | None) -> bool:
    """Whether what a claim asks for is the case: by the take's setup, or by the coordinates of a reading."""
    known = {**dict(at), **dict(setup.conditions if setup is not None else ())}
    return all(
        known[factor] in values if factor in known else setup is None for factor, values in alternatives(claim.conditions).items()
    )


def is_rig_limited(reading: Reading) -> bool:
    """Whether a reading lies less than 3 dB above what the rig alone gives."""
    return reading.floor is not None and reading.value < RIG_LIMITED * reading.floor


def is_in_noise(value: float, uncertainty: float | None) -> bool:
    """Whether a magnitude is no more than the noise that it was found in: so much of it noise alone gives once in a hundred."""
    return uncertainty is not None and abs(value) < NOISE * uncertainty


def _judge_reading(claim: Claim, reading: Reading) -> Verdict | None:
    if claim.re_full_scale and reading.unit != FULL_SCALE_UNIT:
        return Verdict(
            claim, Outcome.UNDECIDED, reading.value, reading.uncertainty, None, reading.unit, reading.channel, None, None,
            reading.floor, "the unit's full scale is not known: type it (Alt+3), as in 2 V",
        )  # fmt: skip
    margins = [(reading.value - claim.low, claim.low)] if claim.low is not None else []
    if claim.high is not None:
        margins.append((claim.high - reading.value, claim.high))
    if not margins:
        return None
    margin, bound = min(margins)
    spread = reading.uncertainty or 0.0
    outcome = Outcome.UNDECIDED if reading.doubt else _outcome(margin, spread)
    lost = is_rig_limited(reading) or is_in_noise(reading.value, reading.uncertainty)
    if outcome is not Outcome.MET and bound == claim.high and lost:
        outcome = Outcome.NOT_REACHABLE
    return Verdict(
        claim,
        outcome,
        reading.value,
        reading.uncertainty,
        bound,
        reading.unit,
        reading.channel,
        margin,
        None,
        reading.floor,
        reading.doubt,
    )


def _outcome(margin: float, spread: float) -> Outcome:
    if abs(margin) < spread:
        return Outcome.UNDECIDED
    return Outcome.MET if margin >= 0 else Outcome.MISSED


def _judge_trace(claim: Claim, trace: Trace) -> Verdict | None:
    """Every point of a curve against a mask by its own uncertainty, and the point that decides.

    One point that is certainly out is a miss, however sure others are; met is what is certainly in everywhere. A curve that does
    not cover the mask is not met, and one of which nobody estimated how sure it is decides nothing.
    """
    low, high = mask_bounds(claim.mask, trace.x)
    valid = trace.valid or (float(trace.x[0]), float(trace.x[-1]))
    inside = (trace.x >= max(claim.mask[0].x, valid[0])) & (trace.x <= min(claim.mask[-1].x, valid[1]))
    below, above = trace.magnitude - low, high - trace.magnitude
    margin = np.where(inside, np.fmin(below, above), np.nan)
    if not np.isfinite(margin).any():
        return None
    spread = trace.uncertainty if trace.uncertainty is not None else np.full(len(trace.x), np.nan)
    known = np.isfinite(spread) & np.isfinite(margin)
    doubt = ""
    if not known.any():
        outcome, worst, doubt = Outcome.UNDECIDED, int(np.nanargmin(margin)), "nobody knows how sure this curve is"
    else:
        surely_out, surely_in = (np.where(known, margin + way * spread, np.nan) for way in (1.0, -1.0))
        worst = int(np.nanargmin(surely_out))
        if surely_out[worst] < 0:
            outcome = Outcome.MISSED
        else:
            worst = int(np.nanargmin(surely_in))
            covered = valid[0] <= claim.mask[0].x * 1.001 and valid[1] >= claim.mask[-1].x * 0.999
            whole = covered and not (np.isfinite(margin) & ~known).any()
            outcome = Outcome.MET if surely_in[worst] >= 0 and whole else Outcome.UNDECIDED
    bound = low[worst] if below[worst] == margin[worst] else high[worst]
    return Verdict(
        claim, outcome, float(trace.magnitude[worst]), None if doubt else float(spread[worst]), float(bound), trace.y_unit,
        trace.channel, float(margin[worst]), float(trace.x[worst]), None, doubt,
    )  # fmt: skip


def mask_bounds(mask: tuple[MaskPoint, ...], x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lower and upper bound of a mask at x (n,), straight in dB over log x; NaN where there is none."""

    def side(values: list[float | None]) -> np.ndarray:
        known = [(math.log(p.x), math.log(v)) for p, v in zip(mask, values, strict=True) if v is not None and v > 0]
        if not known:
            return np.full(len(x), np.nan)
        at, level = zip(*known, strict=True)
        return np.asarray(np.exp(np.interp(np.log(np.maximum(x, 1e-300)), at, level, left=np.nan, right=np.nan)))

    return side([p.low for p in mask]), side([p.high for p in mask])

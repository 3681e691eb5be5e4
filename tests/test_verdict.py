"""Claims held against takes: four verdicts, and why."""

import numpy as np
import pytest

from utter_calm.job.document import Cell, Claim, MaskPoint, Setup
from utter_calm.job.verdict import Outcome, judge, mask_bounds
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.present.panel import claim_view

AT_MOST = Claim("c", "at most 1e-4", "s", "thd", high=1e-4)


@pytest.mark.parametrize(
    ("value", "spread", "floor", "outcome"),
    [
        (5e-5, 1e-6, 1e-6, Outcome.MET),
        (2e-4, 1e-6, 1e-6, Outcome.MISSED),
        (9.95e-5, 1e-6, 1e-6, Outcome.UNDECIDED),
        (1.005e-4, 1e-6, 1e-6, Outcome.UNDECIDED),
        (2e-4, 1e-6, 1.9e-4, Outcome.NOT_REACHABLE),
        (5e-5, 1e-6, 4.9e-5, Outcome.MET),  # the rig only adds: below the bound is below the bound
        (2e-4, None, None, Outcome.MISSED),
    ],
)
def test_an_upper_bound(value, spread, floor, outcome):
    verdict = judge(AT_MOST, Result((Reading("thd", 1, value, "1", spread, floor),)))
    assert verdict.outcome is outcome
    assert verdict.margin == pytest.approx(1e-4 - value)


def test_bounds_on_both_sides_and_the_worst_channel():
    claim = Claim("g", "gain", "s", "gain", low=29.0, high=31.0)
    result = Result((Reading("gain", 1, 30.0, "1", 0.01), Reading("gain", 2, 28.0, "1", 0.01)))
    verdict = judge(claim, result)
    assert (verdict.outcome, verdict.channel, verdict.bound) == (Outcome.MISSED, 2, 29.0)


def test_what_was_not_measured_is_open():
    assert judge(AT_MOST, None).outcome is Outcome.OPEN
    assert judge(AT_MOST, Result((Reading("gain", 1, 1.0, "1"),))).outcome is Outcome.OPEN


def trace(values, *, valid=(20.0, 20_000.0), spread=1e-4):
    x = np.geomspace(10, 40_000, 200)
    y = np.interp(np.log(x), np.log([10, 1_000, 40_000]), values)
    return Result((), (Trace("relative", 1, x, "Hz", y, "1", uncertainty=np.full(200, spread), valid=valid),))


MASK = Claim("m", "flat", "s", "relative", mask=(MaskPoint(20.0, 0.9, 1.1), MaskPoint(20_000.0, 0.9, 1.1)))


def test_a_mask_is_held_at_its_worst_point():
    assert judge(MASK, trace([1.0, 1.0, 1.0])).outcome is Outcome.MET
    missed = judge(MASK, trace([1.0, 1.0, 0.5]))
    assert missed.outcome is Outcome.MISSED
    assert missed.at == pytest.approx(20_000, rel=0.05)
    assert missed.bound == pytest.approx(0.9, rel=1e-9)
    assert judge(MASK, trace([1.0, 1.0999, 1.0], spread=0.01)).outcome is Outcome.UNDECIDED


X = np.array([20.0, 200.0, 2_000.0, 20_000.0])
BELOW = Claim("m", "flat", "s", "relative", mask=(MaskPoint(20.0, 0.8, 1.25), MaskPoint(20_000.0, 0.8, 1.25)))


def points(values, spreads):
    spread = None if spreads is None else np.array(spreads, float)
    return Result((), (Trace("relative", 1, X, "Hz", np.array(values, float), "1", uncertainty=spread),))


@pytest.mark.parametrize(
    ("values", "spreads", "outcome", "at"),
    [
        ([1.0, 1.0, 1.0, 1.0], [0.5, 0.01, 0.01, 0.01], Outcome.UNDECIDED, 20.0),  # known to half only: not met
        ([1.2, 1.0, 1.0, 1.26], [0.4, 0.001, 0.001, 0.001], Outcome.MISSED, 20_000.0),  # one that is certainly out is out
        ([1.2489, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.MET, 20.0),
        ([1.2491, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.UNDECIDED, 20.0),
        ([1.2509, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.UNDECIDED, 20.0),
        ([1.2511, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.MISSED, 20.0),
        ([0.8009, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.UNDECIDED, 20.0),
        ([0.8011, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.MET, 20.0),
        ([0.7991, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.UNDECIDED, 20.0),
        ([0.7989, 1.0, 1.0, 1.0], [0.001, 0.001, 0.001, 0.001], Outcome.MISSED, 20.0),
        ([1.0, 1.0, 1.0, 1.0], None, Outcome.UNDECIDED, 20.0),  # nobody estimated anything
        ([2.0, 1.0, 1.0, 1.0], None, Outcome.UNDECIDED, 20.0),
    ],
)
def test_every_point_of_a_mask_by_its_own_uncertainty(values, spreads, outcome, at):
    verdict = judge(BELOW, points(values, spreads))
    assert (verdict.outcome, verdict.at) == (outcome, at)
    assert bool(verdict.doubt) == (spreads is None)


def test_a_level_re_full_scale_is_held_by_the_units_own():
    claim = Claim("n", "at most -96 dBFS", "s", "noise", high=10 ** (-96 / 20), re_full_scale=True)
    quiet = Result((Reading("noise", 1, 45e-6, "V", 1e-7),))
    assert judge(claim, quiet).outcome is Outcome.UNDECIDED  # nobody said what full scale is
    assert judge(claim.in_volts(4.0), quiet).outcome is Outcome.MET  # what the rig's would give
    assert judge(claim.in_volts(2.0), quiet).outcome is Outcome.MISSED


def test_a_curve_that_does_not_cover_the_mask_cannot_meet_it():
    assert judge(MASK, trace([1.0, 1.0, 1.0], valid=(50.0, 20_000.0))).outcome is Outcome.UNDECIDED
    assert judge(MASK, trace([1.0, 0.5, 1.0], valid=(50.0, 20_000.0))).outcome is Outcome.MISSED
    assert judge(MASK, trace([1.0, 1.0, 1.0], valid=(30_000.0, 40_000.0))).outcome is Outcome.OPEN


def test_a_mask_is_straight_in_db_over_log_frequency():
    low, high = mask_bounds((MaskPoint(100.0, 0.01), MaskPoint(10_000.0, 1.0)), np.array([50.0, 1_000.0, 10_000.0]))
    assert np.isnan(low[0])
    assert low[1:] == pytest.approx([0.1, 1.0])
    assert np.isnan(high).all()


def test_a_claim_holds_only_in_its_setup(measured):
    eight, four = measured.document.plans[0].setups()
    assert isinstance(eight, Setup)
    ids = [{v.claim.id for v in measured.verdicts(Cell("u1", "first-look", s))} for s in (eight, four)]
    assert "thdn-8" in ids[0] - ids[1]
    assert "gain-4" in ids[1] - ids[0]


def test_a_reading_below_zero_is_not_noise_for_its_sign():
    claim = Claim("c", "clock at most -50 ppm", "s", "clock_skew", high=-50.0)
    assert judge(claim, Result((Reading("clock_skew", 1, -37.0, "ppm", 0.1),))).outcome is Outcome.MISSED


@pytest.mark.parametrize(
    ("value", "u", "floor", "outcome", "words"),
    [(3e-7, 2.5e-7, 1e-9, Outcome.NOT_REACHABLE, "record longer"), (1e-7, 1e-9, 0.9e-7, Outcome.NOT_REACHABLE, "rig alone gives"),
     (1e-6, 2.5e-7, 1e-9, Outcome.MISSED, "by"), (1e-6, 2.5e-7, None, Outcome.MISSED, "by"), (1e-8, 1e-9, 0.9e-8, Outcome.MET,
     "by")],
)  # fmt: skip
def test_what_is_lost_in_noise_cannot_be_decided(value, u, floor, outcome, words):
    claim = Claim("c", "at most -150 dB", "s", "harmonic_8", high=10 ** (-150 / 20))
    verdict = judge(claim, Result((Reading("harmonic_8", 1, value, "1", u, floor),)))
    assert verdict.outcome is outcome
    assert words in claim_view(verdict).margin


def test_the_demo_job_shows_all_four_verdicts(measured):
    outcomes = {
        v.claim.id: v.outcome
        for step in measured.document.steps
        for setup in measured.document.plans[0].setups()
        for v in measured.verdicts(Cell("u1", step.id, setup))
    }
    assert outcomes["corner-4"] is Outcome.MISSED
    assert outcomes["h8-8"] is Outcome.NOT_REACHABLE
    assert outcomes["gain-4"] is Outcome.UNDECIDED
    assert outcomes["flat-8"] is Outcome.MET

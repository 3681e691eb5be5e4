"""Long transforms are computed side by side, short ones at once; what comes out is the same."""

import threading

import numpy as np

from utter_calm.analysis import side_by_side
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.signals.sweep import Sweep

RATE = 48_000


def test_only_what_is_long_is_computed_elsewhere():
    assert side_by_side.begun(1 << 20, threading.get_ident)() != threading.get_ident()
    asked = []
    short = side_by_side.begun(1 << 10, lambda: asked.append(1) or threading.get_ident())
    assert not asked
    assert short() == short() == threading.get_ident()
    assert asked == [1]


def test_a_sweep_tells_the_same_either_way(monkeypatch):
    law = Sweep(20.0, 20_000.0, 0.5, onset_s=0.1)
    played = np.concatenate([np.zeros(4_800), law.samples(RATE, fade_in_s=0.02, fade_out_s=0.005), np.zeros(9_600)])
    heard = 0.5 * played + 0.02 * played**2 + 1e-5 * np.random.default_rng(2).standard_normal(len(played))
    one = analyze_sweep(heard, played, law, RATE)
    monkeypatch.setattr(side_by_side, "_WORTH_IT", 0)
    other = analyze_sweep(heard, played, law, RATE)
    assert np.array_equal(one.gain, other.gain)
    assert np.array_equal(one.u_gain, other.u_gain)
    assert all(np.array_equal(a.ratio, b.ratio) for a, b in zip(one.orders, other.orders, strict=True))

"""A tone for hours that is watched and stopped, of which little is kept; and samples that are paired."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from tests.drivers import FREQUENCY, driver, expected
from utter_calm.errors import NoSignal
from utter_calm.measure.break_in import BreakIn, BreakInSettings
from utter_calm.measure.result import Result, ResultBuilder, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.present.pairs import match, pairs_of
from utter_calm.rig import SimulatedDevice, impedance_rig
from utter_calm.standins.sensing import Sensing

SETTINGS = BreakInSettings(duration_s=25.0, level_v=0.5)


def broken_in(settings=SETTINGS):
    rig = impedance_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    return take_step(BreakIn(), settings, device, rig, load_ohm=None)


def test_it_plays_to_the_end_and_keeps_little():
    capture, result = broken_in()
    assert len(capture.samples) < 3 * 0.4 * 48_000
    assert result.reading("played", 0).value == pytest.approx(25.0)
    assert result.reading("level_moved", 0).value == pytest.approx(1.0, abs=1e-3)
    assert abs(result.reading("impedance_moved", 0).value) < 2e-3
    assert not result.trust
    assert result.trace("impedance").magnitude[-1] == pytest.approx(8.02, rel=0.02)  # the driver at 20 Hz, and the leads
    assert BreakIn().signal(replace(SETTINGS, duration_s=10_800.0)) == "20 Hz for 3 h"


def test_what_is_odd_stops_it(monkeypatch):
    plain, played = Sensing.process, [0]

    def fading(self, volts):
        played[0] += len(volts)
        out = plain(self, volts)
        return out * (1.0 if played[0] < 15 * 48_000 else 0.7)

    monkeypatch.setattr(Sensing, "process", fading)
    capture, result = broken_in(replace(SETTINGS, duration_s=300.0))
    assert [t.code for t in result.trust] == ["stopped_odd"]
    assert "-3.1 dB" in result.trust[0].text
    assert result.reading("played", 0).value == pytest.approx(20.0)
    assert capture.parts[-1].tags["at_s"] == 20.0


def test_nothing_at_the_unit(monkeypatch):
    monkeypatch.setattr(Sensing, "process", lambda _self, volts: 0 * volts)
    rig = impedance_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "surround driver")
    monkeypatch.setattr("utter_calm.measure.break_in._SILENT_V", 1e-3)
    with pytest.raises(NoSignal, match="tone"):
        take_step(BreakIn(), SETTINGS, device, rig, load_ohm=None)


def sample(cms=1.0, bl=1.0):
    from tests.drivers import TRUTH

    t = {**TRUTH, "cms": TRUTH["cms"] * cms, "bl": TRUTH["bl"] * bl}
    out = ResultBuilder()
    for name, value in expected(t).items():
        out.add(name, 0, value, "1")
    z = driver(cms=t["cms"], bl=t["bl"])
    out.traces.append(Trace("impedance", 1, FREQUENCY, "Hz", np.abs(z), "ohm", np.angle(z)))
    return out.build()


def test_pairs_are_the_best_of_all_ways():
    kinds = {"a": sample(), "b": sample(1.3), "c": sample(1.01), "d": sample(1.28), "e": sample(bl=0.9), "f": sample(0.99, 0.905)}
    found = pairs_of(list(kinds.items()))
    assert {frozenset((m.one, m.two)) for m in found} == {frozenset("ac"), frozenset("bd"), frozenset("ef")}
    # by trying all of them
    names, best = list(kinds), None
    for order in itertools.permutations(names):
        total = sum(match(a, b, kinds[a], kinds[b]).apart for a, b in (order[:2], order[2:4], order[4:]))
        best = total if best is None else min(best, total)
    assert sum(m.apart for m in found) == pytest.approx(best)
    odd = pairs_of(list(kinds.items())[:5])
    assert {frozenset((m.one, m.two)) for m in odd} == {frozenset("ac"), frozenset("bd")}
    many = [(str(k), sample(1 + 0.02 * (k // 2))) for k in range(12)]
    assert all(m.part < 1e-9 for m in pairs_of(many))
    assert pairs_of([("a", Result())]) == []


def test_how_far_apart_is_in_closed_form():
    one, two = sample(), sample(1.1)
    told = match("one", "two", one, two)
    # fs and Qts by the root, Vas by itself; Bl, Re and Mms not at all
    moved = [-0.5 * np.log(1.1), 0.0, np.log(1.1), 0, 0, 0]
    qts = np.log(two.reading("qts", 0).value / one.reading("qts", 0).value)
    moved[1] = qts
    assert told.part == pytest.approx(np.sqrt(np.mean(np.square(moved))), rel=1e-9)
    assert "one with two" in told.words

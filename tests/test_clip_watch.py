"""The onset of clipping in the live view: right to one step of the knob, and silent about everything that is none."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.analysis.level_curve import clipping_onset
from utter_calm.analysis.tone import analyze_tone
from utter_calm.measure.clip_watch import ClipWatch, LivePoint, Onset
from utter_calm.standins.base import Bench
from utter_calm.standins.catalogue import CATALOGUE

RATE, WINDOW_S, SETTLE_S = 96_000, 0.2, 0.2
AMPLIFIERS = {"dome amplifier": 0.75, "class-D amplifier": 1.5, "valve amplifier": 0.8}
"""Volts at the input that surely clip each of them into 8 ohm."""


def window(unit, drive, frequency, first):
    """Level and distortion up to half the rate of channel 1, after the unit has settled."""
    frames = round((SETTLE_S + WINDOW_S) * RATE)
    x = drive * np.sqrt(2) * np.sin(2 * np.pi * frequency * (first + np.arange(frames)) / RATE)
    heard = unit.process(np.stack([x, x], axis=1))[round(SETTLE_S * RATE) :, 0]
    tone = analyze_tone(heard, RATE, near_hz=frequency, band_hz=(20.0, RATE / 2))
    return tone.level, tone.thd_n, first + frames


def climb(name, frequency, step_db, windows):
    """What the watch says while the level climbs, so many windows on each step, the first of them unsettled."""
    unit, watch, first = CATALOGUE[name].make(Bench(RATE, 8.0, seed=3)), ClipWatch(), 0
    top = AMPLIFIERS[name]
    drives = top * 10 ** (np.arange(-16, 0.01, step_db) / 20)
    said, heard = [], []
    for drive in drives:
        level, distortion, first = window(unit, drive, frequency, first)
        # in the window in which the knob moved everything is mixed
        said.append(watch.add(LivePoint(drive, level * 0.93, 0.2, settled=False, overload=False)))
        for _ in range(windows):
            said.append(watch.add(LivePoint(drive, level, distortion, settled=True, overload=False)))
        heard.append((level, distortion))
    return [s for s in said if s is not None], np.array(heard)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("frequency", [40.0, 997.0, 10_000.0])
@pytest.mark.parametrize("name", AMPLIFIERS)
def test_every_amplifier_is_told_to_one_step_of_the_knob(name, frequency):
    fine = climb(name, frequency, 0.25, 1)[1]
    # the first stretch that counts: a core may saturate before the rails are reached
    known = (clipping_onset(fine[:n, 0], fine[:n, 1]) for n in range(8, len(fine)) if fine[n - 1, 1] > 3 * fine[:n, 1].min())
    truth = next((found for found in known if found is not None), None)
    for step_db, windows in ((1.0, 2), (1.0, 5), (0.5, 2)):
        said, _heard = climb(name, frequency, step_db, windows)
        assert truth is not None
        (onset,) = said
        # a core that saturates bends over some decibels: where that begins is a matter of the step
        step = 10 ** (step_db / 20) if (name, frequency) != ("valve amplifier", 40.0) else 10 ** (2 / 20)
        assert onset.low / step**1.5 <= truth <= onset.high * step**1.5


def points(levels, distortion, **more):
    return [LivePoint(v / 30, v, d, settled=True, overload=False, **more) for v, d in zip(levels, distortion, strict=True)]


LEVELS = np.array([1, 3, 8, 12, 15, 17, 18, 19, 20, 21, 22.0])
CURVE = 1e-4 / LEVELS + np.maximum(0.0, LEVELS - 17.5) ** 2 * 1e-3


def fed(watch, some, *, times=2):
    return [found for point in some for found in [watch.add(point) for _ in range(times)] if found is not None]


def test_it_is_said_once_and_again_only_after_the_level_came_down():
    watch = ClipWatch()
    (onset,) = fed(watch, points(LEVELS, CURVE))
    assert onset == Onset(17.0, 18.0)
    assert watch.told
    assert fed(watch, points(LEVELS[5:], CURVE[5:])) == []
    assert fed(watch, points(LEVELS[:3], CURVE[:3])) == []
    assert not watch.told
    assert len(fed(watch, points(LEVELS, CURVE))) == 1


@pytest.mark.parametrize("change", [{"settled": False}, {"overload": True}])
def test_what_is_unsettled_or_the_rigs_own_is_never_the_units(change):
    watch = ClipWatch()
    assert fed(watch, [replace(p, **change) if p.level > 17 else p for p in points(LEVELS, CURVE)]) == []


def test_one_window_alone_says_nothing():
    assert fed(ClipWatch(), points(LEVELS, CURVE), times=1) == []


def test_mixed_windows_do_not_agree():
    """Eighteen takes were stored while the level climbed calmly: each window held two levels."""
    watch = ClipWatch()
    for k, point in enumerate(points(np.linspace(1, 17, 60), 0.05 + 0.05 * np.random.default_rng(1).random(60))):
        assert watch.add(point) is None
        assert watch.add(replace(point, distortion=point.distortion * (1 + 0.3 * (-1) ** k))) is None

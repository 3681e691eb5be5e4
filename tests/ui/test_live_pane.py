"""The live view, fed by a script instead of sound: what it shows does not depend on timing."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import DeviceGone
from utter_calm.measure.live import LiveFrame
from utter_calm.ui.live.pane import AVERAGES, LivePane


class ScriptedAnalyser:
    """Says what the newest frame is."""

    def __init__(self, frame):
        self.latest, self.average = frame, None

    def set_average(self, count):
        self.average = count


def frame(number=1, level_db=-20.0, wave_v=1.0, **more):
    frequency = np.arange(1, 2_000) * 10.0
    level = np.full((len(frequency), 2), 10 ** (level_db / 20))
    level[99] = 1.0  # a line at 1 kHz
    time = np.arange(300) / 96_000
    wave = wave_v * np.sin(2 * np.pi * 997 * time)[:, None] * np.ones(2)
    return replace(LiveFrame(number, frequency, level**2, time, wave, None, 1, (False, False), 0.1, None), **more)


@pytest.fixture
def pane(qtbot):
    made = LivePane()
    qtbot.addWidget(made)
    made.resize(700, 600)
    made.show()
    yield made
    made.stop()


def test_each_frame_is_drawn_once(pane):
    analyser = ScriptedAnalyser(frame(1))
    pane.start(analyser, "Live")
    seen = []
    pane.framed.connect(seen.append)
    pane._tick()
    pane._tick()
    analyser.latest = frame(2)
    pane._tick()
    assert [f.number for f in seen] == [1, 2]
    assert pane.frames_drawn == 2


def test_no_peak_is_lost_in_the_thinned_spectrum(pane):
    pane.start(ScriptedAnalyser(frame()), "Live")
    pane._tick()
    heights = pane._heights(frame())
    assert heights.max() == pytest.approx(0.0, abs=1e-9)
    at = pane._grid[np.argmax(heights[:, 0])]
    assert at == pytest.approx(1_000, rel=0.02)


def test_the_frozen_spectrum_stays_behind(pane):
    analyser = ScriptedAnalyser(frame(1, -60.0))
    pane.start(analyser, "Live")
    pane._tick()
    pane.toggle_freeze()
    assert [c.label for c in pane.spectrum.view.curves] == ["before, ch 1", "before, ch 2", "now, ch 1", "now, ch 2"]
    analyser.latest = frame(2, -40.0)
    pane._tick()
    before = pane._frozen[10, 0]
    assert before == pytest.approx(-60.0)
    pane.toggle_freeze()
    assert len(pane.spectrum.view.curves) == 2


def test_averages_go_round(pane):
    analyser = ScriptedAnalyser(frame())
    pane.start(analyser, "Live")
    for expected in (*AVERAGES[1:], AVERAGES[0]):
        pane.next_average()
        assert analyser.average == expected


def test_the_waveform_keeps_its_scale_until_it_does_not_fit(pane):
    analyser = ScriptedAnalyser(frame(1, wave_v=1.0))
    pane.start(analyser, "Live")
    pane._tick()
    first = pane.wave.view.y.high
    analyser.latest = frame(2, wave_v=0.9)
    pane._tick()
    assert pane.wave.view.y.high == first
    analyser.latest = frame(3, wave_v=5.0)
    pane._tick()
    assert pane.wave.view.y.high > 5.0


def test_overload_and_a_lost_device_are_said(pane):
    analyser = ScriptedAnalyser(frame(1, overload=(True, False)))
    pane.start(analyser, "Live")
    pane._tick()
    assert "OVERLOADED" in pane.status.text()
    ended = []
    pane.ended.connect(ended.append)
    analyser.latest = frame(2, problem=DeviceGone("gone"))
    pane._tick()
    assert isinstance(ended[0], DeviceGone)


def test_before_the_first_frame_nothing_happens(pane):
    pane.start(ScriptedAnalyser(None), "Live")
    pane._tick()
    pane.toggle_freeze()
    assert pane.frames_drawn == 0

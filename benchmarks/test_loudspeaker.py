"""A loudspeaker's take of 5 s with two channels at 48 kHz analysed whole, and its window dragged with both pictures redrawn."""

import functools
import time
from dataclasses import replace

import numpy as np
from scipy.signal import fftconvolve

from utter_calm.job.facts import Facts, Shown
from utter_calm.measure.loudspeaker import LoudspeakerSettings, LoudspeakerSweep
from utter_calm.measure.take_step import take_step
from utter_calm.present.acoustic_view import acoustic_view
from utter_calm.rig import Calibrated, SimulatedDevice, acoustic_rig
from utter_calm.rig.microphone import with_sensitivity

RIG = with_sensitivity(acoustic_rig(), Calibrated("2026-11-20", 0.0123, 0.01, "94 dB at 1 kHz"))
SETTINGS = LoudspeakerSettings(duration_s=4.8, source_m=1.2, ceiling_m=3.4, wall_m=3.1)
KIND = LoudspeakerSweep()


@functools.cache
def taken():
    device = SimulatedDevice(RIG)
    device.set("unit", "ceiling loudspeaker")
    return take_step(KIND, SETTINGS, device, RIG, load_ohm=None)[0]


def test_loudspeaker_subject(benchmark):
    benchmark.group = "loudspeaker, 5 s with two channels at 48 kHz analysed whole"
    capture = taken()
    result = benchmark(lambda: KIND.conclude(SETTINGS, KIND.prepare(SETTINGS, capture)))
    assert result.reading("sensitivity_2v83") is not None
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min


def lively(capture):
    """The same in a room whose reflections together are louder than what comes straight: it seems to hold faults."""
    rng, rate = np.random.default_rng(7), capture.rate_hz
    room = np.zeros(rate)
    room[0] = 1.0
    room[rng.integers(0.003 * rate, 0.06 * rate, 20)] += rng.uniform(-0.5, 0.5, 20)
    room[200:] += 0.01 * rng.normal(size=rate - 200) * np.exp(-6.9 * np.arange(rate - 200) / (0.5 * rate))
    heard = np.stack([fftconvolve(capture.samples[:, 0], room)[: len(capture.samples)], capture.samples[:, 1]], axis=1)
    return replace(capture, samples=heard)


def test_loudspeaker_in_a_lively_room_subject(benchmark):
    benchmark.group = "loudspeaker, the same in a lively room"
    capture = lively(taken())
    result = benchmark(lambda: KIND.conclude(SETTINGS, KIND.prepare(SETTINGS, capture)))
    assert result.trace("response", 1) is not None
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min


def test_window_dragged_subject(benchmark, qtbot):
    from utter_calm.ui.picture.canvas import PlotCanvas

    benchmark.group = "acoustics: window dragged, both pictures redrawn"
    prepared = KIND.prepare(SETTINGS, taken())
    canvases = [PlotCanvas(), PlotCanvas()]
    for canvas in canvases:
        qtbot.addWidget(canvas)
        canvas.resize(700, 260)
        canvas.show()
    stops = iter(range(1_000_000))

    def frame() -> None:
        tried = replace(SETTINGS, gate="set", gate_stop_s=4e-3 + 1e-5 * (next(stops) % 100))
        shown = Shown(KIND.conclude(tried, prepared), Facts("loudspeaker", "unit", settings={"situation": "in a room"}))
        view = acoustic_view(shown, tried.layout)
        for canvas, one in zip(canvases, (view.time, view.response), strict=True):
            canvas.show_view(one, keep_range=True)
            canvas.repaint()

    frame()
    busy = time.process_time()
    benchmark(frame)
    busy = (time.process_time() - busy) / benchmark.stats.stats.total
    benchmark.extra_info["frames_per_second"] = 1 / benchmark.stats.stats.median
    benchmark.extra_info["processor"] = min(busy, 2.0)

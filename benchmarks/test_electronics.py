"""What the electronics set costs: sound against what it needs, analysis against sound, many curves, many takes."""

import math
import time

import numpy as np
import pytest

from utter_calm.job.job import Job
from utter_calm.measure.frequency_series import FrequencySeriesSettings
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.stepped import measured_points
from utter_calm.measure.take_step import take_step
from utter_calm.rig import SimulatedDevice, stereo_rig

RIG = stereo_rig()
SET = (
    "first_look",
    "response",
    "level_series",
    "frequency_series",
    "noise",
    "multitone",
    "crosstalk",
    "intermodulation",
    "edges",
)


def needed_s(capture):
    """Sound that the points cannot do without: a glide and two looks at the tone, and the record that the uncertainty asks for."""
    total = 0.0
    for tags, part in measured_points(capture):
        frequency = tags["frequency_hz"]
        total += max(0.012, 2 / frequency) + 2 * max(0.012, 2 / frequency) + part.duration_s
    return total


def test_frequency_series_subject(benchmark):
    """31 points at 3 levels: sound played and the time of all analysis together, over the sound that it needs."""
    benchmark.group = "frequency series, 31 points at 3 levels"
    settings = FrequencySeriesSettings(lower_levels="0.01 V, 0.03 V")
    kind = KINDS["frequency_series"]
    device = SimulatedDevice(RIG)
    capture, _ = take_step(kind, settings, device, RIG, load_ohm=8.0)
    benchmark(lambda: kind.analyze(settings, capture))
    benchmark.extra_info["cost"] = (capture.duration_s + benchmark.stats.stats.min) / needed_s(capture)


def test_set_subject(benchmark):
    """The whole set of one stereo unit: seconds of sound, and analysis as a part of it."""
    benchmark.group = "set of electronics, one stereo unit"
    taken = []
    for key in SET:
        kind = KINDS[key]
        settings = kind.settings_type()
        device = SimulatedDevice(RIG)
        capture, _ = take_step(kind, settings, device, RIG, load_ohm=8.0)
        taken.append((kind, settings, capture))
    benchmark(lambda: [kind.analyze(settings, capture) for kind, settings, capture in taken])
    sound = sum(capture.duration_s for _, _, capture in taken)
    benchmark.extra_info["set_sound_s"] = sound
    benchmark.extra_info["cost"] = benchmark.stats.stats.min / sound


def test_overlay_subject(benchmark, qtbot):
    """200 traces of 2000 points, panned and zoomed at every frame."""
    from utter_calm.present.picture.axis import Axis
    from utter_calm.present.picture.compose import CurveView, PlotView
    from utter_calm.ui.picture.canvas import PlotCanvas

    benchmark.group = "overlay, 200 traces of 2000 points"
    x = np.geomspace(20, 20_000, 2_000)
    rng = np.random.default_rng(1)
    curves = tuple(
        CurveView(
            x,
            -60 + 20 * np.sin(3 * np.log(x) + k / 9) + 0.1 * k + rng.normal(0, 0.3, 2_000),
            f"no. {k}",
            k % 6,
            focus=k == 199,
        )
        for k in range(200)
    )
    canvas = PlotCanvas()
    qtbot.addWidget(canvas)
    canvas.resize(900, 560)
    canvas.show()
    canvas.show_view(PlotView("Many", "", "", Axis("frequency in Hz", 20, 20e3, log=True), Axis("dB", -100, 0), curves))
    box = canvas.getPlotItem().vb
    qtbot.waitExposed(canvas)
    qtbot.wait(400)

    def two_seconds():
        frames, start, busy = 0, time.monotonic(), time.process_time()
        while time.monotonic() - start < 2:
            shift = 0.3 * math.sin(frames / 7)
            box.setRange(xRange=(1.3 + shift, 4.3 + shift), yRange=(-100 + 10 * shift, 8 * shift), padding=0)
            canvas.viewport().repaint()
            frames += 1
        seconds = time.monotonic() - start
        benchmark.extra_info["frames_per_second"] = frames / seconds
        benchmark.extra_info["processor"] = (time.process_time() - busy) / seconds

    benchmark.pedantic(two_seconds, rounds=1)


@pytest.fixture
def large_job(tmp_path):
    """A job of 5,000 takes with the readings of a first look each."""
    import sqlite3

    from utter_calm.demo import demo_document
    from utter_calm.job.document import Setup

    path = tmp_path / "large.calm"
    job = Job.create(path, demo_document())
    kind = KINDS["first_look"]
    settings = kind.settings_type(duration_s=0.3)
    capture, result = take_step(kind, settings, SimulatedDevice(RIG), RIG, load_ohm=8.0)
    job.append("first-look", Setup((("load", "8 ohm"),)), settings, capture, result)
    job.close()
    columns = "step,kind,role,setup,settings,taken_at,unit_title,rig,readings,trust,derived_from,superseded_by,capture,note"
    connection = sqlite3.connect(path)
    with connection:
        connection.execute(
            f"INSERT INTO take ({columns}) WITH RECURSIVE n(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM n WHERE i < 5000) "
            f"SELECT {columns} FROM n, take WHERE take.id = 1"
        )
    connection.close()
    return path


def test_job_subject(benchmark, large_job, qtbot):
    """From the name of the file to the painted window."""
    from utter_calm.ui.shell.app import make_window

    benchmark.group = "job of 5,000 takes, opened in the window"
    window = make_window(large_job.parent)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)

    def open_and_paint():
        window.open_path(large_job)
        assert len(window.workspace.session.job.takes) == 5_000
        window.grab()

    benchmark(open_and_paint)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min

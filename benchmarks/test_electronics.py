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
    from utter_calm.present.picture.mapper import Window
    from utter_calm.present.picture.view import CurveView, PlotView
    from utter_calm.quantities import quantity
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
    hz = Axis("frequency", quantity("frequency").view("log"), 20, 20e3, log=True)
    canvas.show_view(PlotView("Many", "", "", hz, Axis("gain", quantity("gain").first, -100, 0), curves))
    qtbot.waitExposed(canvas)
    qtbot.wait(400)

    def two_seconds():
        frames, start, busy = 0, time.monotonic(), time.process_time()
        while time.monotonic() - start < 2:
            shift = 0.3 * math.sin(frames / 7)
            canvas.set_window(Window(20 * 10**shift, 20e3 * 10**shift, -100 + 10 * shift, 8 * shift))
            canvas.repaint()
            frames += 1
        seconds = time.monotonic() - start
        benchmark.extra_info["frames_per_second"] = frames / seconds
        benchmark.extra_info["processor"] = (time.process_time() - busy) / seconds

    benchmark.pedantic(two_seconds, rounds=1)


UNITS, TAKES = 2_000, 10


@pytest.fixture(scope="module")
def batch(tmp_path_factory):
    """A batch: 2,000 units of one plan, 10 takes of each with the readings of a first look."""
    import sqlite3
    from dataclasses import replace

    from utter_calm.demo import demo_document
    from utter_calm.job.document import Cell, Step

    document = demo_document()
    plan, one = document.plans[0], document.units[0]
    settings = KINDS["first_look"].settings_type(duration_s=0.3)
    steps = tuple(Step(f"look-{k}", "first_look").with_settings(settings) for k in range(TAKES))
    plan = replace(plan, steps=steps, claims=(), factors=(replace(plan.factors[0], values=plan.factors[0].values[:1]),))
    units = tuple(replace(one, id=f"u{k}", sample=f"no. {k:04d}") for k in range(UNITS))
    path = tmp_path_factory.mktemp("batch") / "batch.calm"
    job = Job.create(path, replace(document, units=units, plans=(plan,)))
    capture, result = take_step(KINDS["first_look"], settings, SimulatedDevice(RIG), RIG, load_ohm=8.0)
    job.append(Cell("u0", "look-0", plan.setups()[0]), settings, replace(result, traces=()), capture=capture)
    job.close()
    columns = "role, setup, kind, settings, taken_at, unit_title, rig, origin, sources, trust, capture, note"
    count = f"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < {UNITS * TAKES - 2})"
    values = "position, name, channel, value, unit, uncertainty, phase, coordinates, note"
    connection = sqlite3.connect(path)
    with connection:
        connection.execute(
            f"INSERT INTO take (id, unit, step, {columns}) {count} SELECT i + 1, 'u' || (i / {TAKES}), 'look-' || (i % {TAKES}), "
            f"{columns} FROM n, take WHERE take.id = 1"
        )
        connection.execute(f"INSERT INTO reading (take, {values}) {count} SELECT i + 1, {values} FROM n, reading WHERE take = 1")
    connection.close()
    return path


def test_job_subject(benchmark, batch, qtbot):
    """From the name of the file to the painted window."""
    from utter_calm.ui.shell.app import make_window

    benchmark.group = "job of 2,000 units with 10 takes each, opened in the window"
    window = make_window(batch.parent)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)

    def open_and_paint():
        window.open_path(batch)
        assert len(window.workspace.session.job.takes) == UNITS * TAKES - 1
        window.grab()

    benchmark(open_and_paint)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
    window.close()


def test_edit_subject(benchmark, batch):
    """One unit of the batch is renamed: in memory and in the file."""
    from dataclasses import replace

    benchmark.group = "edit of that job"
    job = Job.open(batch)
    number = iter(range(10**6))

    def rename():
        job.edit(job.document.with_unit(replace(job.document.units[7], notes=f"{next(number)}")))

    benchmark(rename)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
    job.close()


def test_missing_subject(benchmark, batch):
    """What is missing of the whole batch after a take has finished."""
    benchmark.group = "missing cells of that job, kept up to date"
    job = Job.open(batch)
    first = job.takes[0]
    settings, result = job.settings_of(first), job.full(first).result
    job.missing()

    def finish():
        job.append(first.cell, settings, result)
        assert len(job.missing()) < 5 * TAKES

    benchmark(finish)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
    job.close()


@pytest.mark.parametrize("key", ["first_look", "noise", "multitone", "response"])
def test_drag_subject(benchmark, key):
    """A dragged edge: concluding again on a 5 s recording with two channels at 48 kHz."""
    from dataclasses import replace

    from utter_calm.measure.capture import Capture

    benchmark.group = f"dragged edge of a {KINDS[key].title.lower()}, 5 s with two channels at 48 kHz"
    kind = KINDS[key]
    settings = {
        "first_look": lambda of: of(duration_s=5.0, rate_hz=48_000),
        "noise": lambda of: of(duration_s=5.0, rate_hz=48_000),
        "multitone": lambda of: of(periods=7, rate_hz=48_000),
        "response": lambda of: of(duration_s=4.0, rate_hz=48_000, stop_hz=22_000.0),
    }[key](kind.settings_type)
    volts = kind.stimulus(settings).volts
    x = volts + np.random.default_rng(1).normal(0, 1e-5, len(volts))
    capture = Capture(np.stack([x, x], axis=1), 48_000, channels=stereo_rig().inputs, drive_known=True)
    prepared = kind.prepare(settings, capture)
    edge = next(name for spec in kind.plots for name in reversed(spec.edges))
    places = iter(np.linspace(5_000, 20_000, 10**6))
    benchmark(lambda: kind.conclude(replace(settings, **{edge: float(next(places))}), prepared))
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min

"""What a cursor reads is exact on its axis."""

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import made_take, shown
from utter_calm.measure.pictures import Over, PlotSpec
from utter_calm.present.picture.axis import Axis, height_ticks
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.cursor import curves_csv, focus_curve, peaks_of, places_of, value_at
from utter_calm.present.picture.over import over_something, usable_overs
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.quantities import Measured, quantity

X = np.geomspace(20, 20_000, 31)


def test_value_and_place_are_inverse_on_a_log_axis():
    curve = CurveView(X, 20 * np.log10(X))
    assert value_at(curve, 1_234.5, log=True) == pytest.approx(20 * np.log10(1_234.5), abs=1e-9)
    assert places_of(curve, 20 * np.log10(777.7), log=True) == pytest.approx([777.7])
    assert value_at(curve, 10.0, log=True) is None
    assert places_of(curve, 500, log=True) == []


def test_every_crossing_and_the_peaks_from_the_top():
    x = np.linspace(0, 3, 301)
    curve = CurveView(x, np.sin(2 * np.pi * x) * np.exp(-0.3 * x))
    assert len(places_of(curve, 0.1, log=False)) == 6
    assert peaks_of(curve, 0, 3) == pytest.approx([0.24, 1.24, 2.24], abs=0.011)
    assert peaks_of(curve, 1, 2) == pytest.approx([1.24], abs=0.011)
    assert peaks_of(curve, 5, 6) == []


def test_numbers_for_the_clipboard():
    view = PlotView("t", "", "", Axis("frequency", quantity("frequency").view("log"), 1, 10, log=True), Axis("impedance",
    quantity("impedance").view("log"), -1, 2),
                    (CurveView(np.array([1.0, 10.0]), np.array([0.0, 2.0]), "a"), CurveView(np.array([2.0]),
                    np.array([1.0]))))  # fmt: skip
    lines = [line.split("\t") for line in curves_csv(view).splitlines()]
    assert lines[1] == ["1", "1", "2", "10"]
    assert lines[2] == ["10", "100", "", ""]
    assert focus_curve(view) is view.curves[1]


def test_ticks_of_decades_are_readable():
    assert [t for _, t in height_ticks(-1.2, 2.1, percent=False, decades=True)][:4] == ["0.1", "0.2", "0.5", "1"]


def test_a_series_is_drawn_over_what_it_was_measured_over(series_take):
    spec = series_take[1]
    assert [s.key for s in usable_overs(spec, [series_take[0]])] == [
        "power",
        "output",
        "drive",
        "output_dbv",
        "drive_dbfs",
    ]
    by_power = plot_view([series_take[0]], "distortion")
    assert by_power.x.unit == "W"
    own = plot_view([series_take[0]], "distortion", over="drive")
    thd_n = series_take[0].result.trace("thd_n")
    power = series_take[0].result.trace("power")
    assert own.curves[0].x == pytest.approx(thd_n.x)
    assert np.sort(by_power.curves[0].x) == pytest.approx(np.sort(power.magnitude))
    assert plot_view([series_take[0]], "distortion", over="drive_dbfs").x.unit == "dBFS"
    # into the input of another device nobody thinks of watts
    into_line = replace(series_take[0], facts=replace(series_take[0].facts, conditions=(("load", Measured(10e3, "ohm")),)))
    assert plot_view([into_line], "distortion").x.unit == "V"
    assert [s.key for s in usable_overs(spec, [into_line])][-1] == "power"
    assert over_something(series_take[0], spec, Over("none", "nothing", "level", trace="nothing")).result.traces == ()


@pytest.fixture
def series_take(measured):
    """A take of a level series, measured quickly, and the picture of its distortion."""
    from utter_calm.measure.level_series import LevelSeries
    from utter_calm.measure.level_series_settings import LevelSeriesSettings
    from utter_calm.measure.take_step import take_step
    from utter_calm.rig import SimulatedDevice, stereo_rig

    settings = LevelSeriesSettings(step_db=10, refine="no", record_s=0.05)
    rig = stereo_rig()
    _, result = take_step(LevelSeries(), settings, SimulatedDevice(rig), rig, load_ohm=8.0)
    take = made_take("level_series", result.traces, result.readings, settings={"level_v": 2.0})
    spec: PlotSpec = LevelSeries.plots[0]
    return shown(take)[0], spec

"""The plot: places and values, ticks, curves, what is faint, what is empty."""

import math

import numpy as np
import pytest
from PySide6.QtGui import QColor
from utter_calm.ui.plot_items import Scale

from utter_calm.present.palette import DARK, LIGHT
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.compose import BoundView, CurveView, PlotView, empty_plot
from utter_calm.present.picture.cursor import value_at as read_curve
from utter_calm.ui.look.theme import apply_theme, load_fonts
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.picture.pane import PlotPane, value_words


@pytest.fixture
def canvas(qtbot, qapp):
    load_fonts()
    apply_theme(qapp)
    made = PlotCanvas()
    qtbot.addWidget(made)
    made.resize(700, 420)
    made.show()
    qtbot.waitExposed(made)
    return made


def view(*curves, log=True, percent=False, low=-10.0, high=10.0, **more):
    x = Axis("frequency in Hz", 20.0, 20_000.0, log=True) if log else Axis("time in ms", 0.0, 3.0)
    return PlotView("A plot", "", "", x, Axis("gain in dB", low, high, percent=percent), curves, **more)


def curve(height=0.0, **more):
    x = np.geomspace(20, 20_000, 300)
    return CurveView(x, np.full(300, height), **more)


def pixel(canvas, x, y):
    """Colour on the screen at a frequency and a height."""
    box = canvas.getPlotItem().vb
    place = canvas.mapFromScene(box.mapViewToScene(box.viewRect().center().__class__(math.log10(x), y)))
    image = canvas.viewport().grab().toImage()
    return QColor(image.pixel(place.x(), place.y()))


def near(one, two, within=60):
    return sum(abs(a - b) for a, b in zip(one.getRgb()[:3], QColor(two).getRgb()[:3], strict=True)) < within


@pytest.mark.parametrize("log", [True, False])
@pytest.mark.parametrize("value", [20.0, 997.0, 20_000.0])
def test_places_and_values_are_inverse(log, value):
    scale = Scale(log=log)
    assert scale.value(scale.place(value)) == pytest.approx(value)


def test_a_curve_is_drawn_where_its_values_are(canvas):
    canvas.show_view(view(curve(5.0, label="here")))
    assert near(pixel(canvas, 1_000, 5.0), LIGHT.hues[0])
    assert not near(pixel(canvas, 1_000, -5.0), LIGHT.hues[0])


def test_hue_is_the_condition(canvas):
    canvas.show_view(view(curve(5.0, hue=0), curve(-5.0, hue=1)))
    assert near(pixel(canvas, 700, 5.0), LIGHT.hues[0])
    assert near(pixel(canvas, 700, -5.0), LIGHT.hues[1])


def test_beyond_its_range_a_curve_fades(canvas):
    canvas.show_view(view(curve(5.0, valid=(100.0, 5_000.0))))
    assert near(pixel(canvas, 700, 5.0), LIGHT.hues[0])
    assert not near(pixel(canvas, 12_000, 5.0), LIGHT.hues[0])


def test_what_is_no_more_than_noise_is_faint(canvas):
    doubtful = np.zeros(300, dtype=bool)
    doubtful[:150] = True
    canvas.show_view(view(curve(5.0, dense=True, doubtful=doubtful)))
    assert near(pixel(canvas, 5_000, 5.0), LIGHT.hues[0], 90)
    assert not near(pixel(canvas, 100, 5.0), LIGHT.hues[0], 90)


def test_the_floor_is_an_area_and_bounds_are_lines(canvas):
    x = np.geomspace(50, 10_000, 100)
    bounds = (BoundView(x, np.full(100, 8.0), -1, ""),)
    canvas.show_view(view(curve(5.0), floor=curve(-5.0), bounds=bounds))
    assert near(pixel(canvas, 1_400, -8.0), LIGHT.floor, 40)
    assert pixel(canvas, 1_400, 8.0).lightness() < 190
    assert pixel(canvas, 15_000, 8.0).lightness() > 200


def test_nothing_is_off_the_plot_and_the_range_can_be_kept(canvas):
    canvas.show_view(view(curve(5.0), detail=(4.0, 6.0)))
    box = canvas.getPlotItem().vb
    assert box.viewRange()[0] == pytest.approx([math.log10(20), math.log10(20_000)])
    assert box.viewRange()[1] == pytest.approx([-10, 10])
    canvas.toggle_detail()
    assert box.viewRange()[1] == pytest.approx([4, 6])
    canvas.show_view(view(curve(5.1), detail=(4.0, 6.0)), keep_range=True)
    assert box.viewRange()[1] == pytest.approx([4, 6])
    canvas.toggle_detail()
    assert box.viewRange()[1] == pytest.approx([-10, 10])


def test_an_empty_plot_says_so_and_takes_no_cursor(canvas):
    canvas.show_view(empty_plot("t", "Press Space & look"))
    assert "Press Space" in canvas._empty.toPlainText()
    canvas.set_cursor(100.0)
    assert not canvas._cursor.isVisible()
    canvas.show_view(view(curve()))
    assert not canvas._empty.isVisible()


def test_themes_change_what_is_shown(canvas):
    canvas.show_view(view(curve(5.0, label="a")))
    canvas.viewport().grab()  # painted once: what is kept of it must not outlive the theme
    canvas.apply_palette(DARK)
    assert canvas._axes["left"].palette_ is DARK
    assert near(pixel(canvas, 1_000, -5.0), DARK.grid)
    canvas.apply_palette(LIGHT)


def test_live_heights_move_the_curves(canvas):
    canvas.show_view(view(curve(5.0)))
    canvas.update_curves([np.full(300, -5.0)])
    assert near(pixel(canvas, 1_000, -5.0), LIGHT.hues[0])


def test_live_heights_reach_their_curves_in_whatever_order_these_are_drawn(canvas):
    canvas.show_view(view(curve(5.0, hue=0, focus=True), curve(0.0, hue=1, focus=False)))
    canvas.update_curves([np.full(300, -5.0), np.full(300, 7.0)])
    assert near(pixel(canvas, 1_000, -5.0), LIGHT.hues[0])
    assert near(pixel(canvas, 1_000, 7.0), LIGHT.hues[1], within=150)


def test_dense_curves_are_told_by_their_strength_and_others_by_their_dashes():
    assert curve(channel=2, dense=True, focus=False).dash == ()
    assert curve(channel=2, dense=True, focus=False).opacity < curve(channel=1, dense=True).opacity == 1
    assert curve(channel=2, focus=False).dash
    assert curve(channel=2, focus=False).opacity == 1


def test_labels_of_curves_stand_at_their_ends(canvas):
    canvas.show_view(view(curve(5.0, label="one"), curve(5.0, label="two")))
    entries = canvas._axes["right"]._entries
    assert [c.label for c, _ in entries] == ["one", "two"]
    assert all(h == pytest.approx(5.0) for _, h in entries)


def test_readings_at_the_cursor_are_exact_on_log_axes():
    x = np.array([100.0, 1_000.0, 10_000.0])
    c = CurveView(x, np.array([0.0, 3.0, -3.0]), valid=(100.0, 5_000.0))
    assert read_curve(c, math.sqrt(1e5), log=True) == pytest.approx(1.5)
    assert read_curve(c, 6_000.0, log=True) is None
    assert read_curve(c, 550.0, log=False) == pytest.approx(1.5)


@pytest.mark.parametrize(
    ("label", "percent", "text"),
    [("gain in dB", False, "−40.000 dB"), ("dB re fundamental", True, "−40.0 dB = 1 %"), ("level in dBV", False, "−40.0 dBV"),
     ("phase in degrees", False, "−40.0°"), ("voltage in V", False, "−40.00 V")],
)  # fmt: skip
def test_values_have_their_unit(label, percent, text):
    made = PlotView("", "", "", Axis("", 1, 2), Axis(label, -60, 0, percent=percent))
    assert value_words(-40.0, made) == text


def test_the_pane_reads_every_curve(qtbot, qapp):
    pane = PlotPane()
    qtbot.addWidget(pane)
    pane.resize(700, 500)
    pane.show_view(view(curve(1.0, label="a"), curve(-2.0, label="b <b>")))
    pane.canvas.set_cursor(1_000.0)
    text = pane.readout.text()
    assert "a 1.000 dB" in text
    assert "b &lt;b&gt; −2.000 dB" in text


def crowd(count):
    x = np.geomspace(20, 20_000, 500)
    curves = tuple(
        CurveView(x, -60 + np.sin(np.log(x) + k), f"no. {k}", k % 6, focus=k == count - 1) for k in range(count)
    )
    return PlotView("Many", "", "", Axis("frequency in Hz", 20, 20e3, log=True), Axis("dB", -70, -50), curves)


def test_a_crowd_is_one_item_and_its_focus_keeps_its_own(qtbot):
    canvas = PlotCanvas()
    qtbot.addWidget(canvas)
    canvas.resize(800, 500)
    canvas.show()
    canvas.show_view(crowd(120))
    assert len(canvas._curves) == 1  # the one in focus
    assert canvas._curves[0][0].label == "no. 119"
    picture = canvas.grab().toImage()
    assert len({picture.pixelColor(x, 250).name() for x in range(100, 600)}) > 5
    canvas.show_view(crowd(10))
    assert len(canvas._curves) == 10


def test_a_crowd_rests_finely_and_moves_coarsely(qtbot):
    from utter_calm.ui.many_curves import ManyCurves

    canvas = PlotCanvas()
    qtbot.addWidget(canvas)
    canvas.resize(800, 500)
    canvas.show()
    canvas.show_view(crowd(60))
    (item,) = [i for i in canvas._shown if isinstance(i, ManyCurves)]
    qtbot.waitUntil(lambda: item._fine is not None, timeout=5_000)
    canvas.getPlotItem().vb.setRange(xRange=(2, 3), padding=0)
    assert item._fine is None
    canvas.grab()
    qtbot.waitUntil(lambda: item._fine is not None, timeout=5_000)


def test_an_octave_is_one_key_away(qtbot):
    canvas = PlotCanvas()
    qtbot.addWidget(canvas)
    canvas.resize(800, 500)
    canvas.show()
    canvas.show_view(crowd(3))
    canvas.set_cursor(1_000.0)
    canvas.zoom_octave()
    low, high = canvas.visible_range()
    assert high / low == pytest.approx(2.0)
    assert math.sqrt(low * high) == pytest.approx(1_000.0)
    canvas.zoom_octave()
    assert canvas.visible_range() == pytest.approx((20.0, 20_000.0))

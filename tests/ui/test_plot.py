"""The plot: places and values, ticks, curves, what is faint, what is empty."""

import math

import numpy as np
import pytest
from PySide6.QtGui import QColor

from utter_calm.present.palette import DARK, LIGHT
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.cursor import value_at as read_curve
from utter_calm.present.picture.drawing import Text
from utter_calm.present.picture.mapper import Window
from utter_calm.present.picture.view import BoundView, CurveView, PlotView, empty_plot
from utter_calm.quantities import quantity
from utter_calm.ui.look.theme import apply_theme, load_fonts, set_theme
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.picture.pane import PlotPane

HZ = Axis("frequency", quantity("frequency").view("log"), 20.0, 20_000.0, log=True)


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
    x = HZ if log else Axis("time", quantity("time").first, 0.0, 3.0)
    return PlotView("A plot", "", "", x, Axis("gain", quantity("gain").first, low, high, percent=percent), curves, **more)


def curve(height=0.0, **more):
    x = np.geomspace(20, 20_000, 300)
    return CurveView(x, np.full(300, height), **more)


def pixel(canvas, x, y):
    """Colour on the screen at a frequency and a height."""
    image = canvas.grab().toImage()
    _, mapper = canvas._drawn(LIGHT)
    return QColor(image.pixel(int(mapper.x(x)), int(mapper.y(y))))


def near(one, two, within=60):
    return sum(abs(a - b) for a, b in zip(one.getRgb()[:3], QColor(two).getRgb()[:3], strict=True)) < within


@pytest.mark.parametrize("log", [True, False])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.9])
def test_places_and_values_are_inverse(canvas, log, share):
    canvas.show_view(view(curve(), log=log))
    _, mapper = canvas._drawn(LIGHT)
    point = mapper.frame.left + share * mapper.frame.width
    assert float(mapper.x(mapper.x_at(point))) == pytest.approx(point)
    assert mapper.y_at(float(mapper.y(3.0))) == pytest.approx(3.0)


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
    _, mapper = canvas._drawn(LIGHT)
    middle = mapper.y_at(int(mapper.y(5.0)) + 0.5)  # of a row of pixels: between two, each would have half of the line
    canvas.show_view(view(curve(middle, dense=True, doubtful=doubtful)))
    red = [QColor(c).red() for c in (LIGHT.ground, LIGHT.hues[0])]

    def strength(x):
        """How much of the colour of the curve is there: 0 the ground's, 1 the curve's."""
        return (red[0] - pixel(canvas, x, middle).red()) / (red[0] - red[1])

    assert strength(5_000) > 0.75
    assert strength(100) < 0.35


def test_the_floor_is_an_area_and_bounds_are_lines(canvas):
    x = np.geomspace(50, 10_000, 100)
    bounds = (BoundView(x, np.full(100, 8.0), -1, ""),)
    canvas.show_view(view(curve(5.0), floor=curve(-5.0), bounds=bounds))
    assert near(pixel(canvas, 1_400, -8.0), LIGHT.floor, 40)
    assert pixel(canvas, 1_400, 8.0).lightness() < 190
    assert pixel(canvas, 15_000, 8.0).lightness() > 200


def test_nothing_is_off_the_plot_and_the_range_can_be_kept(canvas):
    canvas.show_view(view(curve(5.0), detail=(4.0, 6.0)))
    assert canvas.window_shown == Window(20.0, 20_000.0, -10.0, 10.0)
    canvas.toggle_detail()
    assert canvas.window_shown == Window(20.0, 20_000.0, 4.0, 6.0)
    canvas.show_view(view(curve(5.1), detail=(4.0, 6.0)), keep_range=True)
    assert canvas.window_shown.y_low == 4.0
    canvas.toggle_detail()
    assert canvas.window_shown == Window(20.0, 20_000.0, -10.0, 10.0)


def test_an_empty_plot_says_so_and_takes_no_cursor(canvas):
    canvas.show_view(empty_plot("t", "Press Space & look"))
    image = canvas.grab().toImage()
    written = [image.pixelColor(x, 210).lightness() for x in range(700)]
    assert min(written) < 160
    canvas.set_cursor(100.0)
    assert canvas.grab().toImage() == image
    canvas.show_view(view(curve()))
    assert canvas.grab().toImage() != image


def test_themes_change_what_is_shown(canvas):
    canvas.show_view(view(curve(5.0, label="a")))
    canvas.grab()  # painted once: what is kept of it must not outlive the theme
    set_theme("dark")
    canvas.apply_palette(DARK)
    assert near(pixel(canvas, 700, 5.0), DARK.hues[0])
    assert near(pixel(canvas, 1_500, -9.0), DARK.ground, 90)
    set_theme("light")


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


def test_labels_of_curves_stand_at_their_ends_apart(canvas):
    canvas.show_view(view(curve(5.0, label="one"), curve(5.0, label="two")))
    drawing, mapper = canvas._drawn(LIGHT)
    places = {i.text: i for i in drawing.words if isinstance(i, Text)}
    at = float(mapper.y(5.0))
    assert all(places[t].x > mapper.frame.right and abs(places[t].y - at) < 20 for t in ("one", "two"))
    assert abs(places["one"].y - places["two"].y) > 10


def test_readings_at_the_cursor_are_exact_on_log_axes():
    x = np.array([100.0, 1_000.0, 10_000.0])
    c = CurveView(x, np.array([0.0, 3.0, -3.0]), valid=(100.0, 5_000.0))
    assert read_curve(c, math.sqrt(1e5), log=True) == pytest.approx(1.5)
    assert read_curve(c, 6_000.0, log=True) is None
    assert read_curve(c, 550.0, log=False) == pytest.approx(1.5)


@pytest.mark.parametrize(
    ("name", "shown_as", "percent", "text"),
    [("gain", "", False, "−40.000 dB"), ("distortion", "db", True, "−40.0 dB = 1 %"), ("level", "dbv", False, "−40.0 dBV"),
     ("phase", "", False, "−40.0°"), ("voltage", "linear", False, "−40.00 V")],
)  # fmt: skip
def test_values_have_their_unit(name, shown_as, percent, text):
    assert Axis("", quantity(name).view(shown_as), -60, 0, percent=percent).y_words(-40.0) == text


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
    curves = tuple(CurveView(x, -60 + np.sin(np.log(x) + k), f"no. {k}", k % 6, focus=k == count - 1) for k in range(count))
    return PlotView("Many", "", "", HZ, Axis("gain", quantity("gain").first, -70, -50), curves)


def test_in_a_crowd_the_focus_is_on_top_and_named(canvas):
    canvas.show_view(crowd(120))
    drawing, _ = canvas._drawn(LIGHT)
    assert [i.text for i in drawing.words if isinstance(i, Text)] == ["no. 119"]
    picture = canvas.grab().toImage()
    assert len({picture.pixelColor(x, 195).name() for x in range(100, 600)}) > 5
    canvas.show_view(crowd(5))
    drawing, _ = canvas._drawn(LIGHT)
    assert len([i for i in drawing.words if isinstance(i, Text)]) == 5


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

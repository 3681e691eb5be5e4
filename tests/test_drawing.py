"""Drawings: many curves, labels that keep apart."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.present.palette import LIGHT
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.draw import curve_items, draw
from utter_calm.present.picture.drawing import Image, Path, Text
from utter_calm.present.picture.view import CurveView, PlotView, PointView, SurfaceView
from utter_calm.quantities import quantity


def crowd(count, change=lambda _k, y: y):
    x = np.geomspace(20, 20_000, 3_000)
    heights = [change(k, -60 + k + np.random.default_rng(k).normal(0, 1, len(x))) for k in range(count)]
    curves = tuple(CurveView(x.copy(), y, f"no. {k}", k % 6, focus=k == 0) for k, y in enumerate(heights))
    hz = Axis("frequency", quantity("frequency").view("log"), 20, 20e3, log=True)
    return PlotView("Many", "", "", hz, Axis("gain", quantity("gain").first, -100, 0), curves)


def polylines(view):
    drawing, mapper = draw(view, 900, 500, LIGHT)
    return [item for item in drawing.over if isinstance(item, Path) and len(item.points) > 40], mapper


def test_a_crowd_is_drawn_as_each_of_its_curves_alone_would_be():
    view = crowd(30)
    paths, mapper = polylines(view)
    assert len(paths) == 30
    for curve, path in zip(view.curves[1:], paths, strict=False):  # the one in focus comes last
        (alone,) = (i for i in curve_items(mapper, curve, LIGHT, thin=True) if isinstance(i, Path))
        assert path.stroke == alone.stroke
        for side in (np.min, np.max):
            assert side(path.points[:, 1]) == pytest.approx(side(alone.points[:, 1]), abs=1e-9)
        assert path.points[:, 0] == pytest.approx(np.interp(path.points[:, 0], np.sort(alone.points[:, 0]),
                                                            np.sort(alone.points[:, 0])), abs=1.5)  # fmt: skip


def test_a_picture_that_moves_for_hours_keeps_nothing_of_its_past():
    view = crowd(2)
    mapper = draw(view, 900, 500, LIGHT)[1]
    before = len(mapper._along)
    for _ in range(50):
        for curve in view.curves:
            curve_items(mapper, replace(curve, y=curve.y + 1), LIGHT)
    assert len(mapper._along) <= before + len(view.curves)


def test_gaps_in_a_crowd_stay_gaps():
    def hole(k, y):
        if k == 7:
            y[1_000:2_000] = np.nan
        return y

    paths, mapper = polylines(crowd(30, hole))
    (broken,) = (p for p in paths if np.isnan(p.points).any())
    inside = (broken.points[:, 0] > mapper.x(300.0)) & (broken.points[:, 0] < mapper.x(1_500.0))
    assert np.isnan(broken.points[inside, 1]).all()


@pytest.mark.parametrize(("width", "height"), [(280, 170), (500, 260), (900, 560), (1_400, 900)])
@pytest.mark.parametrize("percent", [False, True])
def test_no_label_of_an_axis_meets_its_neighbour(width, height, percent):
    """Five decades of watts, six of distortion: at every size of the plot there is room between the labels."""
    x = np.geomspace(1e-3, 100, 50)
    watts = Axis("power", quantity("power").view("log"), 1e-3, 100, log=True)
    part = Axis("distortion", quantity("distortion").view("db"), -120, 0, percent=percent)
    drawing, _ = draw(PlotView("P", "", "", watts, part, (CurveView(x, -60 + 0 * x),)), width, height, LIGHT)
    texts = [item for item in drawing.items if isinstance(item, Text) and not item.turned]
    below = sorted((t for t in texts if t.anchor == "middle"), key=lambda t: t.x)
    assert len(below) >= 2
    for left, right in itertools.pairwise(below):
        assert right.x - left.x > 0.55 * left.size * (len(left.text) + len(right.text)) / 2
    beside = sorted(t.y for t in texts if t.anchor == "end" and t.x < drawing.frame.left)
    assert len(beside) >= 2
    assert min(np.diff(beside)) > 8


@pytest.mark.parametrize("narrow", [1.0, 2.5, 6.0])
def test_each_contour_is_called_by_its_level_beside_it(narrow):
    """Where three contours run close together their words lay over each other, and over the lines."""
    hertz, angle = np.geomspace(200, 20_000, 200), np.linspace(-180, 180, 91)
    levels = -3.0 * narrow * (np.abs(angle)[:, None] / 60) * (hertz[None, :] / 1000) ** 0.8
    contours = (-3.0, -6.0, -12.0)
    x, gain = Axis("frequency", quantity("frequency").view("log"), 200, 20e3, log=True), quantity("gain").first
    surface = SurfaceView(hertz, angle, np.maximum(levels, -40), -30, 0, gain, "level", contours)
    drawing, _ = draw(PlotView("Map", "", "", x, Axis("angle", gain, -180, 180), surface=surface), 900, 500, LIGHT)
    image = next(item for item in drawing.items if isinstance(item, Image) and item.width > 100)
    pixels = image.pixels[..., :3].astype(int)
    words = {
        t.text: t for t in drawing.items if isinstance(t, Text) and t.text.endswith("dB") and image.x < t.x < image.x + image.width
    }
    assert set(words) == {"\N{MINUS SIGN}3 dB", "\N{MINUS SIGN}6 dB", "\N{MINUS SIGN}12 dB"}
    for level in contours:
        word = words[f"\N{MINUS SIGN}{-level:.0f} dB"]
        top, left = round(word.y - image.y - word.size), round(word.x - image.x)
        inside = pixels[top : top + round(word.size), left : left + round(3 * word.size)]
        assert np.max(np.abs(np.diff(inside, axis=0))) < 40  # no line runs through it
        here = np.interp(left, [0, image.width], np.log([200, 20e3]))
        line = 60 * -level / (3.0 * narrow * (np.exp(here) / 1000) ** 0.8)
        rows = [image.y + (180 - s * line) / 360 * image.height for s in (1, -1)]
        assert min(abs(word.y - word.size / 2 - r) for r in rows) < 4 * word.size


@pytest.mark.parametrize(("edge", "side"), [(None, "start"), (230.0, "end"), (150.0, "start"), (19_000.0, "start")])
def test_no_edge_of_the_band_runs_through_what_a_point_says(edge, side):
    curve = CurveView(np.geomspace(20, 20_000, 50), np.zeros(50))
    axis = Axis("frequency", quantity("frequency").view("log"), 20.0, 20_000.0, True)
    points = (PointView(200.0, 0.0, 0, "200 Hz"),)
    edges = () if edge is None else (("band_low_hz", edge),)
    y = Axis("gain", quantity("gain").first, -10.0, 10.0)
    view = PlotView("", "", "", axis, y, (curve,), points=points, edges=edges)
    drawing, _ = draw(view, 760, 380, LIGHT)
    assert [w.anchor for w in drawing.words if isinstance(w, Text) and w.text == "200 Hz"] == [side]

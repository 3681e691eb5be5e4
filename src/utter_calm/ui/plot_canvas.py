"""The plot: shows a :class:`PlotView`. Log axes are ours: the items below only ever see places."""

from __future__ import annotations

from dataclasses import replace
from html import escape

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPen
from PySide6.QtWidgets import QGraphicsItem, QGraphicsPathItem, QWidget

from utter_calm.present.layout import thinned
from utter_calm.present.palette import Palette
from utter_calm.present.plot import BoundView, CurveView, PlotView
from utter_calm.ui.many_curves import ManyCurves
from utter_calm.ui.plot_items import Grid, LabelAxis, Scale, ScaleAxis
from utter_calm.ui.theme import current_palette, font

_COLUMNS = 1200
_FEW = 8
_CROWD = 24
_EMPTY_WIDTH = 330


class PlotCanvas(pg.PlotWidget):
    """Axes, grid, curves, floor, bounds and a cursor.

    ``cursor_moved`` tells the x of the cursor, or NaN when it has left; ``marked`` that ``marks`` changed.
    """

    cursor_moved = Signal(float)
    marked = Signal()

    def __init__(self, parent: QWidget | None = None, *, interactive: bool = True) -> None:
        self._x, self._y = Scale(), Scale()
        palette = current_palette()
        axes = {
            "bottom": ScaleAxis("bottom", self._x, palette),
            "left": ScaleAxis("left", self._y, palette),
            "right": LabelAxis(palette),
        }
        super().__init__(parent, axisItems=axes, background=None)
        self._axes = axes
        item = self.getPlotItem()
        item.hideButtons()
        item.setMenuEnabled(False)
        item.showAxis("right")
        for axis in axes.values():
            axis.setZValue(1)
            axis.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)  # painted when it changes, not every frame
        item.layout.setContentsMargins(2, 8, 8, 2)
        self._grid = Grid(self._x, self._y, palette)
        self._grid.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        item.addItem(self._grid, ignoreBounds=True)
        item.vb.setMouseEnabled(x=interactive, y=interactive)
        item.vb.setDefaultPadding(0)
        item.vb.sigRangeChanged.connect(self._range_changed)
        self._shown: list[object] = []
        self._view: PlotView | None = None
        self._curves: list[tuple[CurveView, pg.PlotCurveItem]] = []
        self._cursor = pg.InfiniteLine(angle=90, movable=False, pen=_pen(palette.soft_text, 1))
        self._cursor.setZValue(50)
        self._cursor.hide()
        item.addItem(self._cursor, ignoreBounds=True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plot")
        self._empty = pg.TextItem(anchor=(0.5, 0.5))
        self._empty.setFont(font(15))
        item.addItem(self._empty, ignoreBounds=True)
        self._zoomed = False
        self.marks: tuple[float, ...] = ()
        self._mark_lines: list[pg.InfiniteLine] = []
        if interactive:
            self.scene().sigMouseMoved.connect(self._mouse_moved)
            self.scene().sigMouseClicked.connect(self._mouse_clicked)

    @property
    def view(self) -> PlotView | None:
        """What is shown."""
        return self._view

    def apply_palette(self, palette: Palette) -> None:
        """Change the theme."""
        self.resetCachedContent()  # the ground beneath was painted in the other theme
        self._grid.palette_ = palette
        self._grid.update()
        for axis in self._axes.values():
            axis.palette_ = palette
        self._cursor.setPen(_pen(palette.soft_text, 1))
        if self._view is not None:
            self.show_view(self._view, keep_range=True)

    def show_view(self, view: PlotView, *, keep_range: bool = False) -> None:
        """Show a picture; ``keep_range`` leaves the axes where the eye is."""
        if self._view is not None and view.x.label != self._view.x.label:
            self.set_marks(())
        self._view = view
        self._cursor.hide()
        self._x.log, self._y.percent, self._y.decades = view.x.log, view.y.percent, view.y.decades
        self._clear()
        palette = current_palette()
        self._empty.setVisible(bool(view.empty))
        for name in ("bottom", "left"):
            self._axes[name].setOpacity(0 if view.empty else 1)
        self._grid.setVisible(not view.empty)
        if not keep_range or view.empty:
            self._zoomed = False
            self.set_whole_range()
        if view.empty:
            (x0, x1), (y0, y1) = self.getPlotItem().vb.viewRange()
            self._empty.setHtml(
                f'<div style="text-align: center; color: {palette.soft_text}">{escape(view.empty)}</div>'
            )
            self._empty.setTextWidth(_EMPTY_WIDTH)
            self._empty.setPos((x0 + x1) / 2, (y0 + y1) / 2)
        if view.floor is not None:
            self._add_floor(view.floor, palette)
        for bound in view.bounds:
            self._add_bound(bound, palette)
        crowd = ManyCurves() if len(view.curves) > _CROWD else None
        drawn = {}
        for number, curve in sorted(
            enumerate(view.curves), key=lambda item: item[1].focus
        ):  # what has weight comes last
            if crowd is not None and not curve.focus:
                crowd.add(self._places(curve.x), curve.y, self._colour(curve, palette))
            else:
                drawn[number] = self._add_curve(curve, palette)
        self._curves = [drawn[number] for number in sorted(drawn)]
        if crowd is not None:
            self._add(crowd)
        self._axes["bottom"].update()
        self._axes["left"].update()
        self._range_changed()

    def update_curves(self, heights: list[np.ndarray]) -> None:
        """Move the curves that are shown, for a live picture: new heights at the same x, in the order of the view."""
        for (curve, item), height in zip(self._curves, heights, strict=False):
            x, y = thinned(self._places(curve.x), height, _COLUMNS)
            item.setData(x, y)

    def set_whole_range(self) -> None:
        """Show everything."""
        if self._view is None:
            return
        x, y = self._view.x, self._view.y
        self.getPlotItem().vb.setRange(
            xRange=(self._x.place(x.low), self._x.place(x.high)),
            yRange=(y.low, y.high),
            padding=0,
            disableAutoRange=True,
        )

    def toggle_detail(self) -> None:
        """Zoom to the detail, or back."""
        if self._view is None or self._view.detail is None or self._zoomed:
            self._zoomed = False
            self.set_whole_range()
            return
        self._zoomed = True
        self.getPlotItem().vb.setRange(yRange=self._view.detail, padding=0)

    def zoom_octave(self) -> None:
        """Zoom to the octave about the cursor (or the middle of the view); again shows the whole."""
        if self._view is None or self._view.empty or not self._x.log:
            return
        low, high = self.getPlotItem().vb.viewRange()[0]
        if high - low < 0.31:
            self.set_whole_range()
            return
        middle = self._cursor.value() if self._cursor.isVisible() else (low + high) / 2
        half = float(np.log10(2)) / 2
        self.getPlotItem().vb.setRange(xRange=(middle - half, middle + half), padding=0)

    def set_cursor(self, value: float) -> None:
        """Put the cursor at an x; NaN hides it."""
        visible = bool(np.isfinite(value)) and self._view is not None and not self._view.empty
        self._cursor.setVisible(visible)
        if visible:
            self._cursor.setValue(self._x.place(value))
        self.cursor_moved.emit(value)

    def cursor_value(self) -> float:
        """Where the cursor is; NaN when it is hidden."""
        return self._x.value(self._cursor.value()) if self._cursor.isVisible() else float("nan")

    def visible_range(self) -> tuple[float, float]:
        """Values at both ends of the horizontal axis."""
        low, high = self.getPlotItem().vb.viewRange()[0]
        return self._x.value(low), self._x.value(high)

    def set_marks(self, marks: tuple[float, ...]) -> None:
        """Set at most two marks; what is between them is told."""
        for line in self._mark_lines:
            self.getPlotItem().removeItem(line)
        self.marks, self._mark_lines = marks[-2:], []
        for value in self.marks:
            pen = _pen(current_palette().accent, 1.4)
            line = pg.InfiniteLine(self._x.place(value), angle=90, movable=False, pen=pen)
            self.getPlotItem().addItem(line, ignoreBounds=True)
            self._mark_lines.append(line)
        self.marked.emit()

    def add_mark(self) -> None:
        """Set a mark where the cursor is: the first, the second, then the first afresh."""
        value = self.cursor_value()
        if np.isfinite(value):
            self.set_marks((value,) if len(self.marks) == 2 else (*self.marks, value))

    def keyPressEvent(self, event) -> None:  # noqa: ANN001
        """Left and right move the cursor, with shift ten times as far; Return sets a mark, Backspace takes it away."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.add_mark()
            return
        if event.key() == Qt.Key.Key_Backspace:
            self.set_marks(self.marks[:-1])
            return
        if event.key() not in (Qt.Key.Key_Left, Qt.Key.Key_Right) or self._view is None or self._view.empty:
            super().keyPressEvent(event)
            return
        low, high = self.getPlotItem().vb.viewRange()[0]
        now = self._cursor.value() if self._cursor.isVisible() else (low + high) / 2
        far = 50 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 5
        step = (high - low) / 1000 * far * (1 if event.key() == Qt.Key.Key_Right else -1)
        self.set_cursor(self._x.value(min(high, max(low, now + step))))

    def leaveEvent(self, event) -> None:  # noqa: ANN001
        """The cursor goes with the mouse."""
        super().leaveEvent(event)
        self.set_cursor(float("nan"))

    def _mouse_moved(self, position) -> None:  # noqa: ANN001
        box = self.getPlotItem().vb
        if box.sceneBoundingRect().contains(position):
            self.set_cursor(self._x.value(box.mapSceneToView(position).x()))
        else:
            self.set_cursor(float("nan"))

    def _mouse_clicked(self, event) -> None:  # noqa: ANN001
        if event.button() == Qt.MouseButton.LeftButton and self._cursor.isVisible():
            self.add_mark()

    def _clear(self) -> None:
        for item in self._shown:
            self.getPlotItem().removeItem(item)
        self._shown, self._curves = [], []

    def _add(self, item: object) -> None:
        self.getPlotItem().addItem(item, ignoreBounds=True)
        self._shown.append(item)

    def _places(self, x: np.ndarray) -> np.ndarray:
        return np.log10(np.maximum(x, 1e-300)) if self._x.log else x

    @staticmethod
    def _colour(curve: CurveView, palette: Palette) -> QColor:
        return QColor(palette.hues[curve.hue % len(palette.hues)])

    def _add_curve(self, curve: CurveView, palette: Palette) -> tuple[CurveView, pg.PlotCurveItem]:
        colour = self._colour(curve, palette)
        inside = np.ones(len(curve.x), dtype=bool)
        if curve.valid is not None:
            inside = (curve.x >= curve.valid[0] * (1 - 1e-9)) & (curve.x <= curve.valid[1] * (1 + 1e-9))
            faded = QColor(colour)
            faded.setAlphaF(0.45)
            for part in (curve.x < curve.valid[0], curve.x > curve.valid[1]):
                if np.count_nonzero(part) > 1:
                    pen = _pen(faded, 1)
                    pen.setStyle(Qt.PenStyle.DotLine)
                    self._line(curve.x[part], curve.y[part], pen, smooth=False)
        colour.setAlphaF(curve.opacity)
        # thick antialiased lines are very slow on dense, noisy curves: those stay thin
        pen = _pen(colour, 1 if curve.dense else 2 if curve.focus else 1.4)
        if curve.dash:
            pen.setDashPattern(list(curve.dash))
        if curve.doubtful is not None:
            faint = QColor(colour)
            faint.setAlphaF(0.22)
            self._line(curve.x[inside], curve.y[inside], _pen(faint, 1), smooth=True)
            curve = replace(curve, y=np.where(curve.doubtful, np.nan, curve.y))
            pen.setWidthF(2.0 if curve.focus else 1.4)
        return curve, self._line(curve.x[inside], curve.y[inside], pen, smooth=True)

    def _line(self, x: np.ndarray, y: np.ndarray, pen: QPen, *, smooth: bool) -> pg.PlotCurveItem:
        at, height = thinned(self._places(x), y, _COLUMNS)
        if len(at) < _FEW:  # a line of so few points is hardly seen
            marks = pg.ScatterPlotItem(at, height, size=8, pen=None, brush=pen.color(), antialias=True)
            self._add(marks)
        item = pg.PlotCurveItem(at, height, pen=pen, antialias=smooth, connect="finite")
        if pen.widthF() > 1 and pen.style() == Qt.PenStyle.SolidLine:
            item.setSegmentedLineMode("on")
        self._add(item)
        return item

    def _add_floor(self, floor: CurveView, palette: Palette) -> None:
        at, height = thinned(self._places(floor.x), floor.y, _COLUMNS)
        path = pg.arrayToQPath(at, height)
        bottom = self._view.y.low - 200 if self._view else -400.0
        path.lineTo(at[-1], bottom)
        path.lineTo(at[0], bottom)
        path.closeSubpath()
        item = QGraphicsPathItem(path)
        colour = QColor(palette.floor)
        colour.setAlphaF(0.8)
        item.setBrush(colour)
        item.setPen(QPen(Qt.PenStyle.NoPen))
        item.setZValue(-50)
        self._add(item)
        text = pg.TextItem(self._view.floor_label if self._view else "", color=palette.soft_text, anchor=(0, 1))
        text.setFont(font(12))
        text.setPos(self._x.place(self._view.x.low), self._view.y.low)
        text.setZValue(60)
        self._add(text)

    def _add_bound(self, bound: BoundView, palette: Palette) -> None:
        item = pg.PlotCurveItem(self._places(bound.x), bound.y, pen=_pen(palette.text, 1.6), antialias=True)
        self._add(item)
        if bound.label:
            text = pg.TextItem(f"claim: {bound.label}", color=palette.text, anchor=(0, 0))
            text.setFont(font(12))
            text.setPos(self._places(bound.x[:1])[0], bound.y[0])
            self._add(text)

    def _range_changed(self, *_args) -> None:  # noqa: ANN002
        """Labels stand at the height of the last visible point."""
        if self._view is None:
            return
        high = self.getPlotItem().vb.viewRange()[0][1]
        entries = []
        crowded = len(self._view.curves) > _CROWD
        for curve in self._view.curves:
            if crowded and not curve.focus:
                continue  # so many names would be no help to anybody
            last = int(np.searchsorted(self._places(curve.x), high, side="right")) - 1
            entries.append((curve, float(curve.y[max(0, min(last, len(curve.y) - 1))])))
        self._axes["right"].set_curves(entries)
        for name in ("bottom", "left"):
            self._axes[name].update()


def _pen(colour: QColor | str, width: float) -> QPen:
    pen = QPen(QColor(colour), width)
    pen.setCosmetic(True)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return pen

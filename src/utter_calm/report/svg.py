"""Pictures as SVG, from the same views that the window draws."""

from __future__ import annotations

from html import escape

import numpy as np
import numpy.typing as npt

from utter_calm.present.axis import height_ticks, linear_ticks, log_ticks, percent_ticks, tick_text
from utter_calm.present.layout import spread_labels, straightened, thinned
from utter_calm.present.palette import LIGHT, Palette
from utter_calm.present.plot import BoundView, CurveView, PlotView

FloatArray = npt.NDArray[np.float64]
_TEXT = 11.5
_STRAIGHT = 0.04
_FEW = 8


class _Frame:
    """Maps values to places in the picture."""

    def __init__(self, view: PlotView, width: float, height: float) -> None:
        self.view = view
        longest = max((len(c.label) for c in view.curves), default=0)
        self.left, self.right = 86.0 if view.y.percent else 64.0, width - 16 - min(200.0, 6.4 * longest)
        self.top, self.bottom = 12.0, height - 40

    def x(self, value: FloatArray) -> FloatArray:
        axis = self.view.x
        low, high, at = axis.low, axis.high, np.asarray(value, dtype=float)
        if axis.log:
            low, high, at = np.log(low), np.log(high), np.log(np.maximum(at, 1e-300))
        return np.asarray(self.left + (at - low) / (high - low) * (self.right - self.left))

    def at_x(self, value: float) -> float:
        return float(self.x(np.array(value)))

    def at_y(self, value: float) -> float:
        return float(self.y(np.array(value)))

    def y(self, value: FloatArray) -> FloatArray:
        axis = self.view.y
        return np.asarray(
            self.bottom - (np.asarray(value) - axis.low) / (axis.high - axis.low) * (self.bottom - self.top)
        )


def plot_svg(
    view: PlotView, *, width: float = 760, height: float = 380, palette: Palette = LIGHT, ident: str = "p"
) -> str:
    """Give a picture as an SVG element with its own size; ``ident`` keeps clip paths of several pictures apart."""
    frame = _Frame(view, width, height)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:g}" width="{width:g}" height="{height:g}" '
        f'font-family="Inter, sans-serif" font-size="{_TEXT}" role="img" aria-label="{escape(view.title, quote=True)}">',
        f'<clipPath id="{ident}"><rect x="{frame.left}" y="{frame.top}" width="{frame.right - frame.left:.1f}" '
        f'height="{frame.bottom - frame.top:.1f}"/></clipPath>',
    ]
    if view.empty:
        parts.append(f'<text x="{width / 2}" y="{height / 2}" text-anchor="middle" fill="{palette.soft_text}">'
                     f"{escape(view.empty)}</text></svg>")  # fmt: skip
        return "".join(parts)
    parts += _grid(frame, palette)
    parts.append(f'<g clip-path="url(#{ident})" fill="none" stroke-linejoin="round">')
    if view.floor is not None:
        parts.append(_floor(frame, view.floor, palette))
    parts += [_bound(frame, bound, palette) for bound in view.bounds]
    for curve in view.curves:
        parts += _curve(frame, curve, palette)
    parts.append("</g>")
    parts += _labels(frame, palette)
    parts.append("</svg>")
    return "".join(parts)


def _grid(frame: _Frame, palette: Palette) -> list[str]:
    view, out = frame.view, []
    major, minor = log_ticks(view.x.low, view.x.high) if view.x.log else linear_ticks(view.x.low, view.x.high)
    step = None if view.x.log or len(major) < 2 else major[1] - major[0]
    for value in minor:
        out.append(_line(frame.at_x(value), frame.top, frame.at_x(value), frame.bottom, palette.grid, 0.4))
    for value in major:
        at = frame.at_x(value)
        out.append(_line(at, frame.top, at, frame.bottom, palette.grid, 1))
        out.append(_text(at, frame.bottom + 16, tick_text(value, step), palette.soft_text, "middle"))
    if view.y.percent:
        for value, text in percent_ticks(view.y.low, view.y.high):
            at = frame.at_y(value)
            out.append(_line(frame.left, at, frame.right, at, palette.grid, 1))
            out.append(_text(frame.left - 8, at, text, palette.text, "end"))
            out.append(_text(frame.left - 8, at + 12, f"{tick_text(round(value))} dB", palette.soft_text, "end", 9.5))
    else:
        for value, text in height_ticks(view.y.low, view.y.high, percent=False, decades=view.y.decades):
            at = frame.at_y(value)
            out.append(_line(frame.left, at, frame.right, at, palette.grid, 1))
            out.append(_text(frame.left - 8, at + 4, text, palette.soft_text, "end"))
    out.append(_text(frame.right, frame.bottom + 33, view.x.label, palette.soft_text, "end"))
    middle = (frame.top + frame.bottom) / 2
    out.append(f'<text transform="translate(13 {middle}) rotate(-90)" text-anchor="middle" fill="{palette.soft_text}">'
               f"{escape(view.y.label)}</text>")  # fmt: skip
    return out


def _line(x1: float, y1: float, x2: float, y2: float, colour: str, width: float) -> str:
    return f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" stroke="{colour}" stroke-width="{width}"/>'


def _text(x: float, y: float, text: str, colour: str, anchor: str, size: float = _TEXT) -> str:
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" fill="{colour}" font-size="{size}">{escape(text)}</text>'
    )


def _path(frame: _Frame, x: FloatArray, y: FloatArray) -> str:
    at, height = thinned(frame.x(x), frame.y(y), int((frame.right - frame.left) * 0.7))
    # far outside is pulled near: the clip hides it, and numbers stay short
    at, height = straightened(at, np.clip(height, frame.top - 500, frame.bottom + 500), _STRAIGHT)
    return "M" + "L".join(f"{a:.1f} {h:.1f}" for a, h in zip(at.tolist(), height.tolist(), strict=True))


def _floor(frame: _Frame, curve: CurveView, palette: Palette) -> str:
    edge = _path(frame, curve.x, curve.y)
    left, right = frame.x(curve.x[0]), frame.x(curve.x[-1])
    shape = f"{edge}L{right:.1f} {frame.bottom:.1f}L{left:.1f} {frame.bottom:.1f}Z"
    return f'<path d="{shape}" fill="{palette.floor}" fill-opacity="0.75" stroke="none"/>'


def _bound(frame: _Frame, bound: BoundView, palette: Palette) -> str:
    return f'<path d="{_path(frame, bound.x, bound.y)}" stroke="{palette.text}" stroke-width="1.6"/>'


def _curve(frame: _Frame, curve: CurveView, palette: Palette) -> list[str]:
    colour = palette.hues[curve.hue % len(palette.hues)]
    width = 0.9 if curve.dense else 2.0 if curve.focus else 1.3
    dashes = f' stroke-dasharray="{" ".join(str(d * width) for d in curve.dash)}"' if curve.dash else ""
    opacity = f' stroke-opacity="{curve.opacity:g}"' if curve.opacity < 1 else ""
    inside = np.ones(len(curve.x), dtype=bool)
    if curve.valid is not None:
        inside = (curve.x >= curve.valid[0] * (1 - 1e-9)) & (curve.x <= curve.valid[1] * (1 + 1e-9))
    out = []
    if curve.doubtful is not None and inside.any():
        path = _path(frame, curve.x[inside], curve.y[inside])
        out.append(f'<path d="{path}" stroke="{colour}" stroke-width="0.7" stroke-opacity="0.22"/>')
        for start, stop in _runs(inside & ~curve.doubtful):
            path = _path(frame, curve.x[start:stop], curve.y[start:stop])
            out.append(f'<path d="{path}" stroke="{colour}" stroke-width="1.5"/>')
    elif inside.any():
        if len(curve.x) < _FEW:
            places = zip(frame.x(curve.x).tolist(), frame.y(curve.y).tolist(), strict=True)
            out += [f'<circle cx="{a:.1f}" cy="{b:.1f}" r="3" fill="{colour}"/>' for a, b in places]
        path = _path(frame, curve.x[inside], curve.y[inside])
        out.append(f'<path d="{path}" stroke="{colour}" stroke-width="{width}"{dashes}{opacity}/>')
    for outside in (curve.x < (curve.valid or (0, 0))[0], curve.x > (curve.valid or (0, np.inf))[1]):
        if np.count_nonzero(outside) > 1:
            path = _path(frame, curve.x[outside], curve.y[outside])
            out.append(
                f'<path d="{path}" stroke="{colour}" stroke-width="1" stroke-dasharray="1 4" stroke-opacity="0.5"/>'
            )
    return out


def _runs(mask: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Give start and stop of each run of two or more true values."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]]))).reshape(-1, 2)
    return [(int(a), int(b)) for a, b in edges if b - a > 1]


def _labels(frame: _Frame, palette: Palette) -> list[str]:
    view, out = frame.view, []
    named = [c for c in view.curves if c.label]
    ends = [float(np.clip(frame.y(c.y[-1]), frame.top, frame.bottom)) for c in named]
    for curve, at in zip(named, spread_labels(ends, 13.5, frame.top + 6, frame.bottom - 2), strict=True):
        colour = palette.hues[curve.hue % len(palette.hues)]
        out.append(_text(frame.right + 6, at + 4, curve.label, colour, "start"))
    if view.floor is not None:
        out.append(_text(frame.left + 10, frame.bottom - 8, view.floor_label, palette.soft_text, "start"))
    for bound in view.bounds:
        if bound.label:
            at = float(np.clip(frame.y(bound.y[0]), frame.top + 12, frame.bottom - 12))
            out.append(_text(float(frame.x(bound.x[0])) + 6, at + 14, f"claim: {bound.label}", palette.text, "start"))
    return out

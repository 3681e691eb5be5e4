"""Pictures as SVG: the drawing that the window paints, written out."""

from __future__ import annotations

import base64
import struct
import zlib
from collections.abc import Sequence
from dataclasses import replace
from html import escape

import numpy as np

from utter_calm.present.palette import LIGHT, Palette
from utter_calm.present.picture.draw import draw
from utter_calm.present.picture.drawing import Dots, Drawing, Image, Item, Path, Text
from utter_calm.present.picture.view import PlotView

_PEN_UP = np.full((1, 2), np.nan)


def plot_svg(view: PlotView, *, width: float = 760, height: float = 380, palette: Palette = LIGHT, ident: str = "p") -> str:
    """Give a picture as an SVG element with its own size; ``ident`` keeps clip paths of several pictures apart."""
    drawing, _ = draw(view, width, height, palette)
    return drawing_svg(drawing, view.title, ident)


def drawing_svg(drawing: Drawing, title: str, ident: str) -> str:
    """Write a drawing as SVG."""
    frame, width, height = drawing.frame, drawing.width, drawing.height
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:g}" width="{width:g}" height="{height:g}" '
        f'font-family="Inter, sans-serif" role="img" aria-label="{escape(title, quote=True)}">',
        f'<clipPath id="{ident}"><rect x="{frame.left:g}" y="{frame.top:g}" width="{frame.width:.1f}" '
        f'height="{frame.height:.1f}"/></clipPath>',
    ]
    inside = False
    for item in _joined(drawing.items):
        clipped = isinstance(item, Path | Dots) and getattr(item, "clipped", True)
        if clipped != inside:
            parts.append(f'<g clip-path="url(#{ident})" fill="none" stroke-linejoin="round">' if clipped else "</g>")
            inside = clipped
        parts.append(_item(item))
    parts.append("</g></svg>" if inside else "</svg>")
    return "".join(parts)


def _joined(items: Sequence[Item]) -> list[Item]:
    """Lines that follow each other and look the same as one path of several pieces: a grid is dozens of them."""
    out = list[Item]()
    for item in items:
        last = out[-1] if out else None
        if isinstance(item, Path) and isinstance(last, Path) and not (item.fill or last.fill) and item.opacity == last.opacity == 1:
            looks = (item.stroke, item.width, item.dash, item.clipped)
            if looks == (last.stroke, last.width, last.dash, last.clipped) and len(item.points) == 2:
                out[-1] = replace(last, points=np.concatenate([last.points, _PEN_UP, item.points]))
                continue
        out.append(item)
    return out


def _item(item: Item) -> str:
    if isinstance(item, Path):
        return _path(item)
    if isinstance(item, Dots):
        return "".join(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{item.radius:g}" fill="{item.fill}"/>' for x, y in item.points)
    if isinstance(item, Image):
        data = base64.b64encode(png(item.pixels)).decode()
        return (
            f'<image x="{item.x:.1f}" y="{item.y:.1f}" width="{item.width:.1f}" height="{item.height:.1f}" '
            f'preserveAspectRatio="none" href="data:image/png;base64,{data}"/>'
        )
    return _text(item)


def _path(path: Path) -> str:
    known: list[bool] = np.asarray(np.isfinite(path.points).all(axis=1)).tolist()
    pieces, open_ = [], False
    for (x, y), seen in zip(path.points.tolist(), known, strict=True):
        if seen:
            pieces.append(f"{'L' if open_ else 'M'}{x:.1f} {y:.1f}")
        open_ = seen
    shape = "".join(pieces)
    dashes = f' stroke-dasharray="{" ".join(f"{d * path.width:g}" for d in path.dash)}"' if path.dash else ""
    opacity = f' opacity="{path.opacity:g}"' if path.opacity < 1 else ""
    stroke = f' stroke="{path.stroke}" stroke-width="{path.width:g}"' if path.stroke else ' stroke="none"'
    fill = f' fill="{path.fill or "none"}"'  # of itself a path is filled with black
    return f'<path d="{shape}{"Z" if path.fill else ""}"{stroke}{dashes}{opacity}{fill}/>'


def _text(text: Text) -> str:
    place = f'transform="translate({text.x:.1f} {text.y:.1f}) rotate(-90)"' if text.turned else f'x="{text.x:.1f}" y="{text.y:.1f}"'
    return f'<text {place} text-anchor="{text.anchor}" fill="{text.colour}" font-size="{text.size:g}">{escape(text.text)}</text>'


def png(pixels: np.ndarray) -> bytes:
    """Write (m, n, 4) bytes of red, green, blue and opacity as a PNG file (ISO/IEC 15948)."""

    def chunk(name: bytes, data: bytes) -> bytes:
        body = name + data
        return struct.pack(">I", len(data)) + body + struct.pack(">I", zlib.crc32(body))

    height, width = pixels.shape[:2]
    rows = np.concatenate([np.zeros((height, 1), np.uint8), pixels.reshape(height, -1)], axis=1)
    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows.tobytes(), 6)) + chunk(b"IEND", b"")

"""Draw a surface: an image on even points, and its scale with the range beside it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.present.palette import Palette, ramp
from utter_calm.present.picture.drawing import FloatArray, Image, Item, Text
from utter_calm.present.picture.mapper import Mapper, Style
from utter_calm.present.picture.surface import shares


def surface_items(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """An image on even points, and its scale with the range printed beside it."""
    view, frame, surface = mapper.view, mapper.frame, mapper.view.surface
    if surface is None:
        return []
    columns, lines = max(2, round(frame.width)), max(2, round(frame.height))
    x = np.array([mapper.x_at(frame.left + (k + 0.5) * frame.width / columns) for k in range(columns)])
    y = np.array([mapper.y_at(frame.top + (k + 0.5) * frame.height / lines) for k in range(lines)])
    part = shares(surface)
    picked = part[np.ix_(_nearest(surface.y, y), _nearest(surface.x, x, log=view.x.log))]
    colours = np.array(ramp(palette.name), dtype=np.uint8)
    pixels = np.zeros((*picked.shape, 4), dtype=np.uint8)
    known = np.isfinite(picked)
    pixels[known, :3] = colours[np.rint(picked[known] * 255).astype(int)]
    pixels[..., 3] = np.where(known, 255, 0)
    out: list[Item] = [Image(frame.left, frame.top, frame.width, frame.height, pixels)]
    bar = np.zeros((256, 1, 4), dtype=np.uint8)
    bar[:, 0, :3] = colours[::-1]
    bar[..., 3] = 255
    left = frame.right + 12
    out.append(Image(left, frame.top, 12, frame.height, bar))
    for value, at in ((surface.high, frame.top + 10), (surface.low, frame.bottom)):
        out.append(Text(left + 16, at, surface.scale.at_place(value, decimals=0), palette.soft_text, style.letters - 1.5))
    out.append(Text(left + 16, (frame.top + frame.bottom) / 2, surface.title, palette.soft_text, style.letters - 1.5))
    return out


def _nearest(known: FloatArray, wanted: FloatArray, *, log: bool = False) -> npt.NDArray[np.int64]:
    a, b = (np.log(np.maximum(v, 1e-300)) for v in (known, wanted)) if log else (known, wanted)
    right = np.clip(np.searchsorted(a, b), 1, len(a) - 1)
    return np.asarray(np.where(b - a[right - 1] < a[right] - b, right - 1, right), dtype=np.int64)

"""The grid of a polar picture: rings of level and spokes of angle."""

from __future__ import annotations

import numpy as np

from utter_calm.present.palette import Palette
from utter_calm.present.picture.drawing import Item, Path, Text
from utter_calm.present.picture.mapper import Mapper, Style

_SPOKE_DEG, _WORDS = 30, 1.06
_ROUND = np.radians(np.arange(0, 361, 2.0))
_AT = np.radians(-45.0)


def polar_grid(mapper: Mapper, palette: Palette, style: Style) -> tuple[list[Item], list[Item]]:
    """Rings, and spokes with their angles round the rim; and the rings' levels, which go over the curves."""
    polar, out, words = mapper.view.polar, list[Item](), list[Item]()
    if polar is None:
        return out, words
    for radius, text in polar.rings:
        out.append(Path(_place(mapper, radius * np.sin(_ROUND), radius * np.cos(_ROUND)), palette.grid, 1.0))
        x, y = _place(mapper, np.array([radius * np.sin(_AT)]), np.array([radius * np.cos(_AT)]))[0]
        if radius > 0.1:
            half, up = 0.3 * style.letters * len(text), 0.6 * style.letters
            plate = np.array([[x - half, y - up], [x + half, y - up], [x + half, y + up], [x - half, y + up]])
            words.append(Path(plate, fill=palette.ground, opacity=0.85))
            words.append(Text(float(x), float(y) + 4, text, palette.soft_text, style.letters - 1.5, "middle"))
    for angle in range(-180 + _SPOKE_DEG, 181, _SPOKE_DEG):
        sine, cosine = np.sin(np.radians(angle)), np.cos(np.radians(angle))
        out.append(Path(_place(mapper, np.array([0.0, sine]), np.array([0.0, cosine])), palette.grid, 1.0))
        x, y = _place(mapper, np.array([_WORDS * sine]), np.array([_WORDS * cosine]))[0]
        anchor = "middle" if abs(sine) < 0.1 else "start" if sine > 0 else "end"
        angled = f"{angle}°".replace("-", "\N{MINUS SIGN}")
        out.append(Text(float(x), float(y) + 4, angled, palette.soft_text, style.letters, anchor))
    return out, words


def _place(mapper: Mapper, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return np.stack([mapper.x(x), mapper.y(y)], axis=1)

"""Colours with a meaning: hue is the condition that differs, dashes are the channel, weight is focus."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Palette:
    """One theme's colours."""

    name: str
    ground: str
    surface: str
    raised: str
    line: str
    text: str
    soft_text: str
    accent: str
    accent_text: str
    floor: str
    grid: str
    good: str
    bad: str
    open: str
    warn_ground: str
    warn_text: str
    hues: tuple[str, ...]


LIGHT = Palette(
    name="light",
    ground="#f3efe7",
    surface="#fbf9f4",
    raised="#ffffff",
    line="#ddd6c8",
    text="#23211d",
    soft_text="#655f54",
    accent="#1f5f66",
    accent_text="#ffffff",
    floor="#d9ddd6",
    grid="#e4decf",
    good="#1f6b52",
    bad="#a8321f",
    open="#7d6a1e",
    warn_ground="#f6e3c8",
    warn_text="#6b4410",
    hues=("#1f5f66", "#b5651d", "#5b4a9e", "#8a8420", "#a23b72", "#4d4d4d"),
)
DARK = Palette(
    name="dark",
    ground="#1b1d1f",
    surface="#222527",
    raised="#2a2e30",
    line="#3b4043",
    text="#ece8df",
    soft_text="#a9a497",
    accent="#6fb9bd",
    accent_text="#10282a",
    floor="#2f3536",
    grid="#33383a",
    good="#79c3a0",
    bad="#ef8a72",
    open="#d8bd62",
    warn_ground="#46361f",
    warn_text="#f0d3a4",
    hues=("#6fb9bd", "#e39a52", "#a99ae0", "#c4bd57", "#dd86b4", "#bdbdbd"),
)

DASHES: tuple[tuple[float, ...], ...] = ((), (6, 3), (2, 2), (8, 3, 2, 3))
"""Dash patterns of channels 1, 2, 3 and 4, in pen widths; the first is a full line."""

_RAMPS = {
    "light": ((0xF3, 0xEF, 0xE7), (0xB9, 0xD3, 0xCF), (0x5E, 0x9C, 0xA0), (0x1F, 0x5F, 0x66), (0x0B, 0x2A, 0x33)),
    "dark": ((0x22, 0x25, 0x27), (0x1F, 0x4E, 0x55), (0x3B, 0x86, 0x8C), (0x8F, 0xC9, 0xC6), (0xEF, 0xF3, 0xE6)),
}
"""Surfaces: one hue family, evenly rising in lightness against the ground, so that every eye reads the same order."""


def ramp(theme: str) -> tuple[tuple[int, int, int], ...]:
    """(256,) colours (red, green, blue) of a theme's surfaces, from the ground to the strongest."""
    stops = _RAMPS[theme]
    out = []
    for index in range(256):
        place = index / 255 * (len(stops) - 1)
        low = min(int(place), len(stops) - 2)
        part = place - low
        pairs = zip(stops[low], stops[low + 1], strict=True)
        red, green, blue = (round(a + (b - a) * part) for a, b in pairs)
        out.append((red, green, blue))
    return tuple(out)

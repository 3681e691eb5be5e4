"""How a loudspeaker was measured: a side view drawn from the numbers, and the same in words."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.acoustic.geometry import Layout
from utter_calm.measure.acoustic_settings import AUTO, BY_HAND, IN_ROOM, LoudspeakerSettings
from utter_calm.present.palette import Palette
from utter_calm.present.picture.drawing import Dots, Drawing, Frame, Path, Text

_MARGIN, _BOX, _MIC, _LETTERS = 16.0, 11.0, 4.0, 11.0
_USUAL_M = 1.2


def room_drawing(room: Layout, width: float, height: float, palette: Palette) -> Drawing:
    """What stands where, and the ways of the first reflections; nothing that is not known is drawn."""
    frame = Frame(_MARGIN, 6.0, width - _MARGIN, height - 6.0)
    out = Drawing(width, height, frame)
    source = room.source_m or _USUAL_M
    mic = room.microphone_m or source
    high = room.ceiling_m or max(source, mic) + 0.6
    scale = min(frame.width / (1.5 * room.distance_m), frame.height / high)
    left = frame.left + frame.width / 2 - room.distance_m * scale / 2

    def at(x: float, y: float) -> tuple[float, float]:
        return left + x * scale, frame.bottom - y * scale

    def line(*points: tuple[float, float], colour: str = palette.text, wide: float = 1.4, dash: tuple[float, ...] = ()) -> None:
        out.over.append(Path(np.array(points), colour, wide, dash, clipped=False))

    speaker, microphone = at(0, source), at(room.distance_m, mic)
    for level, known in ((0.0, room.source_m), (high, room.ceiling_m)):
        if known:
            line((frame.left, at(0, level)[1]), (frame.right, at(0, level)[1]))
            one, other = abs(source - level), abs(mic - level)
            middle = at(room.distance_m * one / max(one + other, 1e-9), level)
            line(speaker, middle, microphone, colour=palette.soft_text, wide=1.0, dash=(4.0, 3.0))
    line(speaker, microphone, colour=palette.accent, wide=1.6)
    x, y = speaker
    box = np.array([(x - _BOX, y - _BOX), (x, y - _BOX), (x, y + _BOX), (x - _BOX, y + _BOX), (x - _BOX, y - _BOX)])
    out.over += [Path(box, fill=palette.raised, clipped=False), Path(box, palette.text, 1.4, clipped=False)]
    out.over.append(Dots(np.array([microphone]), _MIC, palette.text))
    across = (speaker[0] + microphone[0]) / 2, (speaker[1] + microphone[1]) / 2 - 5
    out.words.append(Text(*across, f"{room.distance_m:g} m", palette.soft_text, _LETTERS, "middle"))
    if room.source_m:
        out.words.append(Text(x - _BOX - 4, y + _BOX + 12, f"{source:g} m", palette.soft_text, _LETTERS, "end"))
    return out


def setup_words(settings: LoudspeakerSettings) -> str:
    """How a loudspeaker stood, in a sentence that a customer can read."""
    if settings.situation == IN_ROOM:
        parts = [f"Microphone {settings.distance_m:g} m before the loudspeaker, in a room"]
        if settings.source_m:
            parts.append(f"{settings.source_m:g} m above the floor")
        if settings.ceiling_m:
            parts.append(f"under a ceiling of {settings.ceiling_m:g} m")
        if settings.wall_m:
            parts.append(f"{settings.wall_m:g} m from the nearest wall")
    else:
        parts = [f"Microphone {settings.situation}" if "close" in settings.situation or "port" in settings.situation else
                 f"Microphone {settings.distance_m:g} m before the loudspeaker, {settings.situation}"]  # fmt: skip
    window = {AUTO: "window up to the first reflection", BY_HAND: f"window of {1e3 * settings.gate_stop_s:.3g} ms"}
    if settings.gate in window and settings.situation == IN_ROOM:
        parts.append(window[settings.gate])
    return f"{', '.join(parts)}; sweep of {settings.duration_s:g} s at {settings.level_v:g} V."

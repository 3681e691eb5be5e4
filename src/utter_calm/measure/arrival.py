"""Does the sound arrive as it must from where the microphone is said to stand? Physics knows better than what was typed."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.analysis.acoustic.geometry import Layout, bounces, speed_of_sound
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker
from utter_calm.measure.acoustic_settings import CLOSE, LoudspeakerSettings
from utter_calm.measure.result import Trust
from utter_calm.quantities import si_text

_CLOSE_M = 0.3
"""From how far nothing is close to a cone or in a port any more."""
_REACH_M, _REACH_PART = 0.06, 0.03
"""By how much the place where sound sets out may lie off the front that a tape is held to; and what a tape is good for."""
_SAME_S, _AT_ONCE_S = 0.15e-3, 1e-5


def arrival_trust(settings: LoudspeakerSettings, found: Loudspeaker, *, wired: bool) -> list[Trust]:
    """Say where the first sound and the bounces off floor and ceiling contradict the distance that is set.

    Sound cannot come sooner than its travel takes. It can come later, where a loudspeaker delays; then the bounces, which count
    from the first sound, tell which of the two it is.

    Parameters
    ----------
    wired
        Whether the delay counts from the moment at which the sound was played.
    """
    if not wired or not found.direct:
        return []
    speed = speed_of_sound(settings.air_k - 273.15)
    away, after = found.delay_s * speed, si_text(found.delay_s, "s", digits=3)
    if settings.situation in CLOSE:
        if away < _CLOSE_M:
            return []
        text = f"The first sound came after {after}, as from {_metres(away)} away: that is not {settings.situation}."
        return [Trust("distance_contradicted", text)]
    typed = settings.distance_m
    reach = _REACH_M + _REACH_PART * typed + 2 * found.u_delay_s * speed + 0.25 * speed / settings.stop_hz
    if abs(away - typed) <= reach:
        return []
    as_typed = _bounce_found(found, settings.layout)
    if away > typed and as_typed:
        text = (
            f"The first sound came {si_text((away - typed) / speed, 's', digits=2)} later than from {_metres(typed)}, and the "
            "reflections say that the distance is right: the loudspeaker delays."
        )
        return [Trust("unit_delays", text, grave=False)]
    as_heard = away > 0 and _bounce_found(found, replace(settings.layout, distance_m=away))
    proof = ", and so do the reflections" if as_heard else ""
    maybe = ", unless the loudspeaker delays" if away > typed and not as_heard else ""
    when = "at once" if abs(found.delay_s) < _AT_ONCE_S else f"after {after}"
    text = (
        f"{_metres(typed)} is set, and the first sound came {when}, as from {_metres(max(away, 0.0))}{proof}: set the "
        f"distance right{maybe}; levels at 1 m count with it."
    )
    return [Trust("distance_contradicted", text)]


def _bounce_found(found: Loudspeaker, layout: Layout) -> bool:
    """Whether a reflection was found where floor or ceiling must send one; False where no height is known."""
    expected = [b.after_s for b in bounces(layout)[:2] if b.after_s > 0]
    return any(abs(one.after_s - at) < _SAME_S for one in found.reflections for at in expected)


def _metres(value: float) -> str:
    return f"{value:.2f} m" if value >= 0.1 else f"{1e3 * value:.0f} mm"

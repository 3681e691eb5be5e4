"""Averages over angles as readings, traces and maps."""

from __future__ import annotations

from utter_calm.analysis.acoustic.directivity import Directivity
from utter_calm.analysis.acoustic.narrowing import CROSSES_DEG, EVEN_DEG, Narrowing, narrowing
from utter_calm.analysis.acoustic.orbits import Orbit, round_whole
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Surface, Trace, Trust
from utter_calm.quantities import si_text

READINGS = {
    "even_to": Declared("even up to", "frequency", "Where the horizontal beamwidth falls below 120 degrees.", digits=3),
    "crossover_to": Declared("crossover up to", "frequency", "Where it falls below 90 degrees: from there on a smaller source "
                             "should take over.", digits=3),
    "narrowest_beamwidth": Declared("narrowest beamwidth", "angle_deg", "Least contiguous range within 6.02 dB of the axis.",
                                    digits=3),
    "narrowest_at": Declared("narrowest at", "frequency", "Where that is.", digits=3),
}  # fmt: skip
TRACES = {
    "on_axis": Declared("on axis", "gain", "The response at 0 degrees."),
    "listening_window": Declared("listening window", "gain", "Mean square of 0, 10 up and down, 10 to 30 to both sides "
                                 "(CTA-2034-A)."),
    "early_reflections": Declared("early reflections", "gain", "Mean of five mean squares: floor (20 to 40 down), ceiling (40 to "
                                  "60 up), front wall (0 to 30 to both sides), side walls (40 to 80), rear wall (180 and 90)."),
    "sound_power": Declared("sound power", "gain", "Mean square over the sphere, each angle by its share of it."),
    "predicted_in_room": Declared("predicted in a room", "gain", "0.12 listening window, 0.44 early reflections and 0.44 sound "
                                  "power, of mean squares."),
    "sound_power_index": Declared("sound power index", "gain", "Listening window over sound power."),
    "early_reflections_index": Declared("early reflections index", "gain", "Listening window over early reflections."),
    "beamwidth_horizontal": Declared("beamwidth, horizontal", "angle_deg", "Contiguous range about the axis within 6.02 dB of it; "
                                     "360 where that is never left."),
    "beamwidth_vertical": Declared("beamwidth, vertical", "angle_deg", "The same on the vertical orbit."),
}  # fmt: skip
SURFACES = {
    "level_horizontal": Declared("level round it, horizontal", "gain", "Level over frequency and angle, re the axis."),
    "level_vertical": Declared("level round it, vertical", "gain", "The same on the vertical orbit."),
}
_INDICES = ("sound_power_index", "early_reflections_index")
_WIDTHS = ("beamwidth_horizontal", "beamwidth_vertical")
_SHOWN = 4


def add_directivity(
    out: ResultBuilder, frequency_hz: FloatArray, found: Directivity, orbits: tuple[Orbit, Orbit], *, one_orbit: bool,
    unit: str = "1", channel: int = 1, valid: tuple[float, float] | None = None, against_deg: float | None = 0.0,
) -> None:  # fmt: skip
    """Add averages, indices, beamwidths, and a map of each orbit.

    ``one_orbit`` tells that it was taken for both; ``against_deg`` is the angle that maps are relative to, None for levels as
    they are.

    Raises
    ------
    AngleGap
        Nothing is near the angle that maps are to be relative to.
    """
    for name in TRACES:
        own = "deg" if name in _WIDTHS else "1" if name in _INDICES else unit
        out.traces.append(Trace(name, channel, frequency_hz, "Hz", getattr(found, name), own, valid=valid,
                                invalid_reason="the window is too short below" if valid else ""))  # fmt: skip
    for name, orbit in zip(SURFACES, orbits, strict=True):
        if not (one_orbit and name == "level_vertical"):
            angle, levels = round_whole(orbit)
            if against_deg is not None:
                levels = levels / orbit.at(against_deg)
            level_unit = "1" if against_deg is not None else unit
            out.surfaces.append(Surface(name, channel, frequency_hz, "Hz", angle, "deg", levels, level_unit))
    mirrored = [o.name for o in orbits if o.mirrored][: 1 if one_orbit else 2]
    if one_orbit:
        text = f"Only the {orbits[0].name} orbit was measured: it was taken for both."
        out.trust.append(Trust("one_orbit", text))
    if mirrored:
        text = f"Only one side was measured of the {' and of the '.join(mirrored)} orbit: the other was taken to mirror it."
        out.trust.append(Trust("mirrored", text))
    between = [b for b in found.between if not one_orbit or b[0] == orbits[0].name]
    if between:
        shown = ", ".join(f"{angle}° {name}" for name, angle in between[:_SHOWN])
        more = f" and {len(between) - _SHOWN} more" if len(between) > _SHOWN else ""
        out.trust.append(Trust("angles_interpolated", f"Read between measured angles: {shown}{more}.", grave=False))


def add_narrowing(out: ResultBuilder, frequency_hz: FloatArray, found: Directivity, channel: int = 1) -> None:
    """Add where the beam begins to narrow, where it is narrowest, and which highest crossover frequency follows; in words too."""
    told = narrowing(frequency_hz, found.beamwidth_horizontal)
    out.add("narrowest_beamwidth", channel, told.narrowest_deg, "deg")
    out.add("narrowest_at", channel, told.narrowest_hz, "Hz")
    for name, value in (("even_to", told.even_to_hz), ("crossover_to", told.crossover_hz)):
        if value is not None:
            out.add(name, channel, value, "Hz")
    out.trust.append(Trust("how_it_narrows", narrowing_words(told), grave=False))


def narrowing_words(told: Narrowing) -> str:
    """Say how the beam goes with frequency, as somebody who chooses a crossover would want to hear it."""
    even = f"nowhere narrower than {EVEN_DEG:g}°" if told.even_to_hz is None else f"narrows from {_hz(told.even_to_hz)} on"
    if told.from_deg < EVEN_DEG:
        even = f"narrower than {EVEN_DEG:g}° already at {_hz(told.from_hz)}, and nothing is known below"
    parts = [even]
    if told.bunches_hz is not None:
        parts.append(f"bunches at {_hz(told.bunches_hz)} ({told.bunches_deg:.0f}°, above it {told.opens_deg:.0f}°)")
    if told.breaks_up_hz is not None:
        parts.append(f"breaks up into lobes from {_hz(told.breaks_up_hz)}")
    if told.crossover_hz is not None:
        parts.append(f"cross over below {_hz(told.crossover_hz)}")
    elif told.from_deg < CROSSES_DEG:
        parts.append(f"cross over lower than {_hz(told.from_hz)}")
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}."


def _hz(value: float) -> str:
    return str(si_text(value, "Hz", digits=3))

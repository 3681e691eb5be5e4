"""What a beamwidth over frequency tells: where the sound narrows, bunches, breaks up into lobes, and what may cross over where."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

EVEN_DEG, CROSSES_DEG = 120.0, 90.0
_TURNS, _LOBES, _OCTAVE = np.log(1.3), 3, 2.0


@dataclass(frozen=True, slots=True)
class Narrowing:
    """Frequencies in Hz and widths in degrees; None where it does not happen inside the range.

    Parameters
    ----------
    from_hz, from_deg
        The lowest frequency that is known, and how wide it is there.
    even_to_hz
        Where the beam first falls below 120 degrees; None as well where it is narrower from the beginning.
    crossover_hz
        Where it first falls below 90: a source that is smaller should take over below that. None as above.
    narrowest_deg, narrowest_hz
        The least width and its place.
    bunches_hz, bunches_deg, opens_deg
        A waist: where it is narrow and opens again by more than 1.3 times above, how narrow, how wide then.
    breaks_up_hz
        From where it goes to and fro by more than 1.3 times, three turns within an octave: lobes come and go.
    """

    from_hz: float
    from_deg: float
    even_to_hz: float | None
    crossover_hz: float | None
    narrowest_deg: float
    narrowest_hz: float
    bunches_hz: float | None = None
    bunches_deg: float = 0.0
    opens_deg: float = 0.0
    breaks_up_hz: float | None = None


def narrowing(frequency_hz: FloatArray, width_deg: FloatArray) -> Narrowing:
    """Read a beamwidth (n,) in degrees over rising frequencies (n,)."""
    least = int(np.argmin(width_deg))
    turns = turning_points(np.log(np.maximum(width_deg, 1e-3)), _TURNS)
    waist = next(((a, b) for a, b in pairwise(turns) if width_deg[b] > width_deg[a]), None)
    lobes = next(
        (a for a, b in zip(turns, turns[_LOBES - 1 :], strict=False) if frequency_hz[b] <= _OCTAVE * frequency_hz[a]), None
    )
    return Narrowing(
        float(frequency_hz[0]), float(width_deg[0]),
        _falls_below(frequency_hz, width_deg, EVEN_DEG), _falls_below(frequency_hz, width_deg, CROSSES_DEG),
        float(width_deg[least]), float(frequency_hz[least]),
        None if waist is None else float(frequency_hz[waist[0]]),
        0.0 if waist is None else float(width_deg[waist[0]]),
        0.0 if waist is None else float(width_deg[waist[1]]),
        None if lobes is None else float(frequency_hz[lobes]),
    )  # fmt: skip


def turning_points(height: FloatArray, least: float) -> list[int]:
    """Indices at which (n,) heights turn round by at least so much; the last one is where the last run ended."""
    out: list[int] = []
    top = bottom = 0
    rising: bool | None = None
    for k in range(1, len(height)):
        if rising is not False and height[k] > height[top]:
            top = k
        if rising is not True and height[k] < height[bottom]:
            bottom = k
        if rising is not False and height[k] < height[top] - least:
            if rising:
                out.append(top)
            rising, bottom = False, k
        elif rising is not True and height[k] > height[bottom] + least:
            if rising is False:
                out.append(bottom)
            rising, top = True, k
    if out:
        out.append(top if rising else bottom)
    return out


def _falls_below(frequency_hz: FloatArray, width_deg: FloatArray, least: float) -> float | None:
    narrow = np.flatnonzero(width_deg < least)
    return float(frequency_hz[narrow[0]]) if len(narrow) and narrow[0] > 0 else None

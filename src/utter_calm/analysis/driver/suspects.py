"""What is not the driver's own on its impedance, and what it most likely is: support, vent, cone, clip, coil."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.parasitic import Parasite
from utter_calm.analysis.running import running_median

FloatArray = npt.NDArray[np.float64]
BESIDE, SUPPORT, VENT, CONE = "beside", "support", "vent", "cone"
_BESIDE, _SUPPORT, _CONE = 1.5, 8.0, 20.0
_SHARP = 8.0
_OUTSTANDS, _LEAST_JUMP, _BEND, _AT_PEAK = 14.0, 4e-3, 8.0, 0.015
_AROUND, _CLEAR = 30, 3.0
_ROUGH, _LEAST_ROUGH, _WITHIN = 4.0, 5e-4, 1.5


def cause_of(parasite: Parasite, fs_hz: float) -> str:
    """The likeliest cause of a small resonance, by where it lies against the driver's own and how sharp it is.

    What carries the driver rings low and sharply; air behind a covered vent is damped; what lies far above is the cone's or its
    surround's. A curve alone proves none of them: each says what to try.
    """
    place = parasite.resonance_hz / fs_hz
    if place < _BESIDE:
        return BESIDE
    if place < _SUPPORT and parasite.q >= _SHARP:
        return SUPPORT
    return CONE if place > _CONE or parasite.q >= _SHARP else VENT


@dataclass(frozen=True, slots=True)
class Jump:
    """A place in Hz where the curve leaps, and by how much of itself."""

    at_hz: float
    part: float


def find_jump(
    frequency_hz: FloatArray, ohm: FloatArray, phase_rad: FloatArray | None, fs_hz: float, q: float, parasites: Sequence[Parasite],
    *, above_hz: float = 0.0,
) -> Jump | None:  # fmt: skip
    """Look for the largest leap of a curve (n,) between neighbours; None where none stands out.

    Between two points the parabolas through the three at either side meet where the curve is smooth, and are a leap apart where
    it leaps. Where a resonance bends more than the points can follow, only more than its own bend counts.
    """
    if len(ohm) < 4 * _AROUND:
        return None
    z = ohm * np.exp(1j * phase_rad) if phase_rad is not None else ohm.astype(complex)
    x = np.log(frequency_hz)
    middle = (x[2:-3] + x[3:-2]) / 2
    sides = [_parabola([x[k : len(x) - 5 + k] for k in places], [z[k : len(z) - 5 + k] for k in places], middle)
             for places in ((0, 1, 2), (3, 4, 5))]  # fmt: skip
    leap = np.abs(sides[1] - sides[0]) / ohm[2:-3]
    step = np.maximum((x[5:] - x[:-5]) / 5, 1e-9)
    bend = np.zeros(len(leap))
    for at, sharp in [(fs_hz, q), *((p.resonance_hz, p.q) for p in parasites)]:
        near = np.abs(middle - np.log(at)) < _CLEAR / sharp
        bend = np.maximum(bend, np.where(near, np.maximum(_BEND * (2 * sharp * step) ** 3, _AT_PEAK), 0.0))
    if above_hz:
        leap = np.where(np.exp(middle) > above_hz, leap, 0.0)
    beyond = leap / np.maximum(np.maximum(_OUTSTANDS * running_median(leap, _AROUND), _LEAST_JUMP), bend)
    worst = int(np.argmax(beyond))
    return Jump(float(np.exp(middle[worst])), float(leap[worst])) if beyond[worst] > 1 else None


def _parabola(x: Sequence[FloatArray], y: Sequence[npt.NDArray[np.complex128]], at: FloatArray) -> npt.NDArray[np.complex128]:
    """Values at places (n,) of the parabolas through three points each (Lagrange)."""
    out = np.zeros(len(at), dtype=complex)
    for k in range(3):
        i, j = (m for m in range(3) if m != k)
        out += y[k] * (at - x[i]) * (at - x[j]) / ((x[k] - x[i]) * (x[k] - x[j]))
    return out


def rough_about(frequency_hz: FloatArray, scatter: FloatArray, fs_hz: float) -> float | None:
    """Relative scatter about the resonance, where the cone moves far, if it is rough there and smooth above; None else.

    ``scatter`` (n,) is relative, from place to place.
    """
    near = np.abs(np.log(frequency_hz / fs_hz)) < np.log(_WITHIN)
    above = (frequency_hz > 6 * fs_hz) & (frequency_hz < 60 * fs_hz)
    if np.count_nonzero(near) < 12 or np.count_nonzero(above) < 12:
        return None
    here, there = float(np.median(scatter[near])), float(np.median(scatter[above]))
    return here if here > max(_ROUGH * there, _LEAST_ROUGH) else None

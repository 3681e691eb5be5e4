"""How far a cone moves by its model: what no voltage limit tells, for below the resonance it moves the most."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError
from utter_calm.quantities import parse_quantity, si_text

_FORM = re.compile(r"^\s*(?P<per>[^,;/]+)/\s*V\s*[,;]\s*(?P<fs>[^,;]+)[,;]\s*(?:Q\s*)?(?P<q>[\d.]+)\s*$", re.IGNORECASE)
_EXAMPLE = "As in 0.35 mm/V, 45 Hz, 0.4."
_RINGS = 3.0
_LONGEST, _SHOWN = 200, 60


@dataclass(frozen=True, slots=True)
class Moves:
    """A cone on its suspension, driven by a voltage: ``x / U = m_per_v / (1 + s / (Q w) + s^2 / w^2)`` (Small 1972).

    Parameters
    ----------
    m_per_v
        Metres per volt far below the resonance: ``Bl Cms / Re``.
    resonance_hz, q
        In the box that it stands in, if in any; Q with the amplifier connected (Qts, Qtc).
    """

    m_per_v: float
    resonance_hz: float
    q: float

    def __post_init__(self) -> None:
        for what, value in (("displacement per volt", self.m_per_v), ("resonance", self.resonance_hz), ("Q", self.q)):
            if not (math.isfinite(value) and value > 0):
                raise InputError(f"The cone's {what} is {value:g}.", hint=_EXAMPLE)

    def per_volt(self, frequency_hz: npt.NDArray[np.float64]) -> npt.NDArray[np.complex128]:
        """Metres per volt (n,) at frequencies."""
        s = 1j * frequency_hz / self.resonance_hz
        return np.asarray(self.m_per_v / (1 + s / self.q + s * s))

    def peak_m(self, volts: npt.NDArray[np.float64], rate_hz: float) -> float:
        """How far it moves at most, to one side, under samples (n,) in volts."""
        if not np.any(volts):
            return 0.0
        rings = round(_RINGS * max(self.q, 0.5) / self.resonance_hz * rate_hz)
        size = len(volts) + rings
        frequency = np.asarray(np.fft.rfftfreq(size, 1 / rate_hz), dtype=np.float64)
        moved = np.asarray(np.fft.rfft(volts, size), dtype=np.complex128) * self.per_volt(frequency)
        return float(np.max(np.abs(np.fft.irfft(moved, size))))

    @property
    def words(self) -> str:
        """As it is typed."""
        return f"{1e3 * self.m_per_v:.4g} mm/V, {self.resonance_hz:.4g} Hz, {self.q:.3g}"


def parse_moves(text: str) -> Moves:
    """Read what somebody typed; as :attr:`Moves.words`.

    Raises
    ------
    InputError
        It is something else.
    """
    found = _FORM.match(text) if len(text) <= _LONGEST else None
    if found is None:
        raise InputError(f"“{text[:_SHOWN]}” does not say how the cone moves.", hint=_EXAMPLE)
    per = parse_quantity(found["per"].strip(), "m", what="displacement per volt")
    return Moves(per, parse_quantity(found["fs"].strip(), "Hz", what="resonance"), float(found["q"]))


def too_far(peak_m: float, most_m: float) -> InputError:
    """Say that a cone would move too far."""
    most, would = si_text(most_m, "m", digits=3), si_text(peak_m, "m", digits=3)
    return InputError(f"The cone may move {most} to one side; this step would move it {would}, by its model.",
                      hint="Lower the level, begin higher, or change the unit's rating (Alt+3).")  # fmt: skip

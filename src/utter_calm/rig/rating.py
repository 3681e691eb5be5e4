"""What the thing on the leads can take: volts, power, and down to which frequency; checked before anything sounds."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError
from utter_calm.quantities import si_text
from utter_calm.rig.excursion import Moves, too_far

SPAN_S = 0.1
_LEAKS = 0.1
"""Part of the whole that may lie below the lowest frequency: what the ramps of a sweep spread."""
_EDGE = 0.84


@dataclass(frozen=True, slots=True)
class Rating:
    """Of a unit that hangs on the rig's outputs: a driver, a loudspeaker; None where it is not limited.

    Parameters
    ----------
    volts
        R.m.s. volts over any tenth of a second.
    power_w, ohm
        Watts, into so many ohms.
    lowest_hz
        No signal below: the tweeter's guard.
    excursion_m
        How far its cone may move to one side, by the model ``moves``; None where it is not limited.
    """

    volts: float | None = None
    power_w: float | None = None
    ohm: float = 8.0
    lowest_hz: float | None = None
    excursion_m: float | None = None
    moves: Moves | None = None

    def __post_init__(self) -> None:
        named = (("volts", self.volts), ("power", self.power_w), ("resistance", self.ohm), ("lowest frequency", self.lowest_hz),
                 ("excursion", self.excursion_m))  # fmt: skip
        if self.excursion_m is not None and self.moves is None:
            raise InputError(
                "How far the cone moves by a volt is not known.", hint="Say how it moves, as in 0.35 mm/V, 45 Hz, 0.4."
            )
        for what, value in named:
            if value is not None and not (math.isfinite(value) and value > 0):
                raise InputError(f"The unit's {what} is {value:g}.", hint="Enter a number above zero, or nothing.")

    @property
    def most_v(self) -> float:
        """R.m.s. volts that it takes, by volts or by power."""
        by_power = math.inf if self.power_w is None else math.sqrt(self.power_w * self.ohm)
        return min(by_power, math.inf if self.volts is None else self.volts)

    def most_v_at(self, frequency_hz: float) -> float:
        """R.m.s. volts that it takes of a tone, its excursion minded."""
        if self.excursion_m is None or self.moves is None:
            return self.most_v
        per_volt = float(np.abs(self.moves.per_volt(np.array([frequency_hz])))[0])
        return min(self.most_v, self.excursion_m / (math.sqrt(2) * per_volt))

    def check(self, volts: npt.NDArray[np.float64], rate_hz: float) -> None:
        """Refuse what would be too much for it.

        Parameters
        ----------
        volts
            (n,) or (n, drives) at the unit.

        Raises
        ------
        InputError
            Says which limit, and what would have come.
        """
        columns = volts[:, None] if volts.ndim == 1 else volts
        loudest = max((loudest_rms(c, rate_hz) for c in columns.T), default=0.0)
        if loudest > self.most_v * (1 + 1e-6):
            why = f"{si_text(self.most_v, 'V', digits=3)}"
            if self.power_w is not None and self.most_v < (self.volts or math.inf):
                why += f", {si_text(self.power_w, 'W', digits=3)} into {si_text(self.ohm, 'ohm', digits=3)}"
            raise InputError(f"The unit takes {why}; this step would give it {si_text(loudest, 'V', digits=3)}.",
                             hint="Lower the level, or change the unit's rating (Alt+3).")  # fmt: skip
        for column in columns.T:
            if self.lowest_hz is not None:
                self._check_low(column, rate_hz, self.lowest_hz)
            if self.excursion_m is not None and self.moves is not None:
                peak = self.moves.peak_m(column, rate_hz)
                if peak > self.excursion_m * (1 + 1e-6):
                    raise too_far(peak, self.excursion_m)

    def _check_low(self, volts: npt.NDArray[np.float64], rate_hz: float, lowest_hz: float) -> None:
        if not np.any(volts):
            return
        lines = np.abs(np.fft.rfft(volts)) ** 2
        frequency = np.fft.rfftfreq(len(volts), 1 / rate_hz)
        below, whole = float(np.sum(lines[frequency < _EDGE * lowest_hz])), float(np.sum(lines))
        if below > _LEAKS**2 * whole:
            first = float(frequency[np.searchsorted(np.cumsum(lines), 0.001 * whole)])
            guard, played = si_text(lowest_hz, "Hz", digits=3), si_text(first, "Hz", digits=2)
            raise InputError(
                f"The unit is guarded below {guard}; this step plays down to {played}.",
                hint="Begin higher, or change the unit's rating (Alt+3).",
            )


def loudest_rms(samples: npt.NDArray[np.float64], rate_hz: float, span_s: float = SPAN_S) -> float:
    """Largest r.m.s. of samples (n,) over any tenth of a second, or another span; a shorter record counts as one."""
    span = max(1, min(len(samples), round(span_s * rate_hz)))
    powers = np.concatenate([[0.0], np.cumsum(samples.astype(np.float64) ** 2)])
    return math.sqrt(max(0.0, float(np.max(powers[span:] - powers[:-span])) / span)) if len(samples) else 0.0

"""How far two measurements of the same thing may lie apart by chance, when many of them are held against each other."""

from __future__ import annotations

import math
from dataclasses import dataclass

FALSE_ALARM = 0.05
"""Probability that a whole comparison of equals says anywhere that they differ."""


@dataclass(frozen=True, slots=True)
class Yardstick:
    """What a difference of two measurements is held against.

    Parameters
    ----------
    deviation
        Standard deviation of such a difference where nothing differs, in the unit of the difference.
    degrees
        Degrees of freedom from which it was estimated; None where the uncertainties themselves state it.
    """

    deviation: float
    degrees: int | None = None

    def limit(self, count: int) -> float:
        """Give the largest difference that chance alone is held able of, where ``count`` differences are looked at.

        The two-sided quantile of Student's t (the normal one without degrees), at the probability that leaves
        :data:`FALSE_ALARM` to the whole of them: Šidák, J. Am. Stat. Assoc. 62 (1967) 626.
        """
        return self.deviation * _quantile(count, self.degrees)


def _quantile(count: int, degrees: int | None) -> float:
    from scipy.special import ndtri, stdtrit  # noqa: PLC0415 - heavy: not before two takes are compared

    each = -math.expm1(math.log1p(-FALSE_ALARM) / max(count, 1))
    return float(ndtri(1 - each / 2) if degrees is None else stdtrit(degrees, 1 - each / 2))

"""The points of a series of tones: values, traces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.measure.declare import Declared
from utter_calm.measure.point_tone import PointTone
from utter_calm.measure.result import FloatArray, Trace
from utter_calm.quantities import Conditions

ORDERS = (2, 3, 4, 5)
DISTORTION_TRACES: dict[str, Declared] = {
    "thd_n": Declared("THD+N", "distortion", "THD+N at each point."),
    "thd": Declared("THD", "distortion", "THD at each point."),
    "noise_ratio": Declared("noise", "distortion", "Noise over the fundamental at each point."),
    "harmonic_#": Declared("harmonic {}", "distortion", "Amplitude of harmonic {} over the fundamental's, at each point."),
}


@dataclass(frozen=True, slots=True, eq=False)
class Points:
    """Values of one channel at every point of a series, (n,) each; NaN where a value cannot be told.

    Parameters
    ----------
    drive_v, frequency_hz
        What was played.
    level, u_level
        R.m.s. of the fundamental, in the capture's unit.
    thd, thd_n, noise, u_thd_n
        Ratios to the fundamental.
    in_band
        How many of the harmonics 2 to 10 lie in the band.
    harmonics
        (n, len(ORDERS)) ratios.
    """

    drive_v: FloatArray
    frequency_hz: FloatArray
    level: FloatArray
    u_level: FloatArray
    thd: FloatArray
    thd_n: FloatArray
    u_thd_n: FloatArray
    noise: FloatArray
    in_band: FloatArray
    harmonics: FloatArray

    def sorted_by(self, key: FloatArray) -> Points:
        """Give the points in rising order of one of their values."""
        order = np.argsort(key, kind="stable")
        return Points(*(getattr(self, name)[order] for name in self.__slots__))


def gather(tones: list[tuple[dict[str, float], PointTone | None]]) -> Points:
    """Gather the points of one channel; points without a tone are left out."""
    known = [(tags, tone) for tags, tone in tones if tone is not None]
    nan = float("nan")
    rows = []
    for tags, tone in known:
        rows.append(
            (tags.get("level_v", nan), tags.get("frequency_hz", tone.frequency_hz), tone.level, tone.u_level,
             nan if tone.thd is None else tone.thd, tone.thd_n, tone.u_thd_n, tone.noise / tone.level,
             float(len(tone.harmonics)), *(tone.harmonics.get(k, nan) for k in ORDERS))
        )  # fmt: skip
    table = np.array(rows, dtype=np.float64).reshape(len(rows), 9 + len(ORDERS))
    columns = [*(table[:, k] for k in range(9)), table[:, 9:]]
    return Points(*columns)


def distortion_traces(
    points: Points, x: FloatArray, x_unit: str, channel: int, *, at: Conditions = (),
    valid: tuple[float, float] | None = None, reason: str = "",
) -> list[Trace]:  # fmt: skip
    """Give the traces ``thd_n``, ``thd``, ``noise_ratio`` and ``harmonic_n`` over x, each where it can be told."""
    curves = [
        ("thd_n", points.thd_n, 2 * points.u_thd_n),
        ("thd", points.thd, None),
        ("noise_ratio", points.noise, None),
    ]
    curves += [(f"harmonic_{k}", points.harmonics[:, i], None) for i, k in enumerate(ORDERS)]
    out = []
    for name, values, spread in curves:
        seen = np.isfinite(values) & (values > 0)
        if np.count_nonzero(seen) > 0:
            own = None if spread is None else spread[seen]
            limits = valid if name in ("thd_n", "thd") else None
            out.append(Trace(name, channel, x[seen], x_unit, values[seen], "1", None, own, limits,
                             reason if limits else "", at))  # fmt: skip
    return out

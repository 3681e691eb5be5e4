"""Telling that a recording was made by another clock than the one that played."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.errors import InputError, MeasurementError
from utter_calm.formats.audio import read_audio
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.measure.usable import usable_part

_TOLD_PPM = 0.1


def tones_of(stimulus: Path, rate_hz: int, tones: Callable[[FloatArray, float], FloatArray]) -> FloatArray:
    """Give the frequencies in Hz that a stimulus at the rate of its recording holds, as ``tones`` finds them.

    Raises
    ------
    InputError
        Its rate is another, or it holds no such tones.
    """
    samples, rate = read_audio(stimulus)
    if rate != rate_hz:
        raise InputError(
            f"The recording has a rate of {rate_hz} Hz, the stimulus {rate} Hz.",
            hint="Record at the stimulus's rate.",
        )
    source = Capture(samples, rate)
    try:
        return tones(usable_part(source, 1)[0] * source.scale(), rate)
    except MeasurementError as problem:
        raise InputError(f"The stimulus {stimulus.name} cannot be used: {problem}", hint="Give what was played.") from problem


def add_skew(out: ResultBuilder, skew: float | None, doubt: float = 0.0, *, leans: str = "") -> None:
    """Add the skew of channel 1 as a reading in parts per million, and say it where it is one.

    ``doubt`` is its expanded uncertainty, 0 where that is far below what matters; ``leans`` says what else it spoils.
    """
    if skew is None:
        return
    ppm = 1e6 * skew
    out.add("clock_skew", 1, ppm, "ppm", 1e6 * doubt / 2 if doubt else None)
    if abs(ppm) > max(_TOLD_PPM, 1e6 * doubt):
        text = f"The recorder's clock is not the player's: {ppm:+.3g} parts per million.{leans}"
        out.trust.append(Trust("clock_skew", text, grave=False))

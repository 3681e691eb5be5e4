"""The level of an impedance step as the unit feels it: volts across it or amperes through it, found by a short quiet sweep."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.quantities import si_text
from utter_calm.rig import CURRENT, VOLTAGE, Rig

if TYPE_CHECKING:
    from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings

OUTPUT, UNIT, AMPERES = "output", "unit", "current"
TOLD_AS = (
    (OUTPUT, "volts at the output"),
    (UNIT, "volts at the unit, at most"),
    (AMPERES, "amperes in the unit, at most"),
)
TRIED, LEVEL = "tried", "level_v"
"""Tags of the quiet sweep, and of the level in volts that was played."""
_TRIAL_V, _TRIAL_S, _PIECES = 0.05, 1.0, 200


def tried(settings: ImpedanceSweepSettings) -> ImpedanceSweepSettings:
    """The quiet sweep."""
    return replace(settings, level_v=min(_TRIAL_V, settings.level_v), duration_s=min(_TRIAL_S, settings.duration_s))


def refuse_unknown_current(settings: ImpedanceSweepSettings, rig: Rig) -> None:
    """Refuse to ask for amperes, before anything sounds, where nothing tells a current; InputError."""
    if settings.told_as == AMPERES and not rig.senses_impedance:
        raise InputError("Nothing on this rig tells a current.", hint="Add its sense resistor (rig), or ask for volts.")


def at_level_asked(
    settings: ImpedanceSweepSettings, trial: ImpedanceSweepSettings, heard: Capture, rig: Rig
) -> ImpedanceSweepSettings:  # fmt: skip
    """The settings with the volts at the output that give what was asked, where the unit takes most.

    Raises
    ------
    NoSignal
        Nothing was heard of the quiet sweep.
    InputError
        That takes more than the rig's ceiling.
    """
    volts, amperes = _most(heard.signal(VOLTAGE)), _most(_current(heard, rig, trial))
    got, wanted = (volts, settings.level_v) if settings.told_as == UNIT else (amperes, settings.level_a)
    if not got > 0:
        raise NoSignal("Nothing of the quiet sweep was heard at the unit.", hint="Check the leads.")
    level = trial.level_v * wanted / got
    if level > rig.highest_v:
        what = si_text(wanted, "V" if settings.told_as == UNIT else "A", digits=3)
        raise NoSignal(
            f"{what} in this unit take {si_text(level, 'V', digits=3)}, more than the ceiling of {rig.highest_v:.3g} V.",
            hint="Ask for less, or raise the rig's ceiling if the unit can take it.",
        )
    return replace(settings, level_v=level)


def _current(heard: Capture, rig: Rig, trial: ImpedanceSweepSettings) -> np.ndarray:
    """Amperes (n,); behind a known resistor at most what the loudest volts of the source leave over."""
    if CURRENT in {c.role for c in heard.channels}:
        return heard.signal(CURRENT)
    return np.full(1, trial.level_v * np.sqrt(2) / rig.sense_ohm)


def _most(values: np.ndarray) -> float:
    """R.m.s. where it is largest, of a sweep that changes slowly: the largest of many pieces, each by its own peak."""
    peaks = np.array([np.max(np.abs(p)) for p in np.array_split(values, min(_PIECES, len(values)))])
    return float(np.percentile(peaks, 99)) / np.sqrt(2) if len(peaks) else 0.0


__all__ = ["AMPERES", "LEVEL", "OUTPUT", "TOLD_AS", "TRIED", "UNIT", "at_level_asked", "refuse_unknown_current",
           "tried"]  # fmt: skip

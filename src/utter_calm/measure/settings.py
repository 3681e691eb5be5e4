"""Settings of a kind of step: frozen dataclasses whose fields say what they are, so that editors follow by themselves."""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np

from utter_calm.errors import InputError
from utter_calm.quantities import si_text
from utter_calm.rig.protocol import RATES_HZ

SettingValues = dict[str, float | str]
YES_OR_NO = (("yes", "yes"), ("no", "no"))


def setting(
    default: float | str,
    label: str,
    unit: str = "",
    *,
    low: float = 0.0,
    high: float = np.inf,
    analysis_only: bool = False,
    choices: tuple[tuple[str, str], ...] = (),
    rare: bool = False,
) -> Any:  # noqa: ANN401
    """Declare one field of a step's settings: its label, unit and bounds; a text has ``choices``, or is free.

    ``choices`` are (key, words) pairs: keys are stored, words are shown.

    ``analysis_only`` marks what can be changed on an old capture without measuring again, ``rare`` what is seldom changed: an
    editor keeps it behind “more”.
    """
    meta = {"label": label, "unit": unit, "low": low, "high": high, "analysis_only": analysis_only, "choices": choices,
            "rare": rare}  # fmt: skip
    return field(default=default, metadata=meta)


def sample_rate(default_hz: int) -> Any:  # noqa: ANN401
    """Declare the field ``rate_hz``: any rate that converters have; whether the rig's has it shows when it is opened."""
    return setting(default_hz, "Sample rate", "Hz", low=RATES_HZ[0], high=RATES_HZ[-1], rare=True)


class StepSettings:
    """Base of the settings of all kinds; frozen dataclasses whose fields are made by :func:`setting`."""

    __slots__ = ()

    def check(self) -> None:
        """Refuse values outside their bounds.

        Raises
        ------
        InputError
            Names the field and its bounds.
        """
        for item in fields(self):  # type: ignore[arg-type]
            value, meta = getattr(self, item.name), item.metadata
            label = meta["label"].lower()
            if isinstance(value, str):
                keys = [key for key, _ in meta["choices"]]
                if keys and value not in keys:
                    raise InputError(f"The {label} is “{value}”.", hint=f"Choose one of {', '.join(keys)}.")
                continue
            if not isinstance(value, int | float) or not np.isfinite(value) or not meta["low"] <= value <= meta["high"]:
                low, high = (_words(meta[side], meta["unit"]) for side in ("low", "high"))
                raise InputError(f"The {label} is {_words(value, meta['unit'])}.", hint=f"It lies between {low} and {high}.")
            if item.name == "rate_hz" and value not in RATES_HZ:
                rates = ", ".join(f"{rate / 1000:g}" for rate in RATES_HZ)
                raise InputError(f"{value / 1000:g} kHz is no sample rate of a converter.", hint=f"Choose one of {rates} kHz.")


def _words(value: object, unit: str) -> str:
    """A value as people write it, with its prefix; what is no number as it is."""
    if not isinstance(value, int | float) or not np.isfinite(value):
        return "anything" if value == np.inf else str(value)
    if unit in ("", "1"):
        return f"{value:g}"
    shown = str(si_text(value, unit, digits=6))
    number, _, rest = shown.partition(" ")
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {rest}".strip()


@dataclass(frozen=True, slots=True)
class SettingField:
    """One field of a step's settings, as declared by :func:`setting`."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    analysis_only: bool
    choices: tuple[tuple[str, str], ...] = ()
    rare: bool = False
    is_text: bool = False
    whole: bool = False

    def words(self, value: str) -> str:
        """Words of a choice."""
        return dict(self.choices).get(value, value)


def setting_fields(settings_type: type[StepSettings]) -> tuple[SettingField, ...]:
    """Give the fields of a kind's settings, in order."""
    return tuple(
        SettingField(item.name, **item.metadata, is_text=isinstance(item.default, str), whole=isinstance(item.default, int))
        for item in fields(settings_type)  # type: ignore[arg-type]
    )


def setting_changes(settings_type: type[StepSettings], before: SettingValues, after: StepSettings) -> tuple[SettingField, ...]:
    """Give the fields whose values differ."""
    return tuple(f for f in setting_fields(settings_type) if before.get(f.name) != getattr(after, f.name))

"""The conversions that people do all day: peak to peak, peak, r.m.s., dBV, dBu and watts into a load, all ways."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.errors import InputError
from utter_calm.quantities import parse_decibels, parse_quantity, power_w, si_text, volts_to_dbu, volts_to_dbv
from utter_calm.quantities.text import fixed

FIELDS = ("r.m.s.", "peak", "peak to peak", "dBV", "dBu", "watts")
_DBU_REFERENCE_V = math.sqrt(0.6)


@dataclass(frozen=True, slots=True)
class Converted:
    """One voltage of a sine, in all its names."""

    volts: float
    load_ohm: float | None

    def text(self, field: str) -> str:
        """Write one of ``FIELDS``."""
        factor = {"r.m.s.": 1.0, "peak": math.sqrt(2), "peak to peak": 2 * math.sqrt(2)}.get(field)
        if factor is not None:
            return str(si_text(self.volts * factor, "V", digits=5))
        if field == "watts":
            return str(si_text(power_w(self.volts, self.load_ohm), "W", digits=5)) if self.load_ohm else "no load"
        if not self.volts > 0:
            return "−∞"
        return f"{fixed(volts_to_dbv(self.volts) if field == 'dBV' else volts_to_dbu(self.volts), 3)} {field}"


def convert(field: str, text: str, load: str) -> Converted:
    """Read one field and the load.

    Raises
    ------
    InputError
        The text is no such quantity, or watts were typed without a load.
    """
    bare = load.strip().lower()
    ohm = None if bare in ("", "none", "–") else parse_quantity(load, "ohm", what="load")
    if ohm is not None and not ohm > 0:
        raise InputError("The load is a short circuit.", hint="Type ohms above zero.")
    if field == "watts":
        if ohm is None:
            raise InputError("Without a load there are no watts.", hint="Type a load, as in 8 ohm.")
        return Converted(math.sqrt(max(0.0, parse_quantity(text, "W", what="power")) * ohm), ohm)
    if field in ("dBV", "dBu"):
        number = parse_decibels(text.replace(field, ""))
        return Converted((1.0 if field == "dBV" else _DBU_REFERENCE_V) * 10 ** (number / 20), ohm)
    factor = {"r.m.s.": 1.0, "peak": math.sqrt(2), "peak to peak": 2 * math.sqrt(2)}[field]
    return Converted(parse_quantity(text, "V", what="voltage") / factor, ohm)

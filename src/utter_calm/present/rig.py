"""A rig as rows of words: its channels, and what stands in the path."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.quantities import amplitude_to_db, si_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Channel, Correction, Part, Rig
from utter_calm.rig.change import INPUT, OUTPUT, PART, connector_unit
from utter_calm.rig.rig import AMPLIFIER, DIVIDES, SENSE

HEADINGS = ("", "name", "carries", "sine at full scale", "level ± (k = 2)", "flat ± (k = 2)", "divided out", "calibrated")


@dataclass(frozen=True, slots=True)
class RigRow:
    """A channel or a part: which side, its place there, and its texts under :data:`HEADINGS`."""

    side: str
    index: int
    texts: tuple[str, ...]


def rig_rows(rig: Rig) -> tuple[RigRow, ...]:
    """Outputs, inputs, and the parts between them and the unit."""
    rows = [RigRow(side, k, _channel(rig, side, c)) for side, all_ in ((OUTPUT, rig.outputs), (INPUT, rig.inputs))
            for k, c in enumerate(all_)]  # fmt: skip
    return (*rows, *(RigRow(PART, k, _part(p)) for k, p in enumerate(rig.parts)))


def rig_summary(rig: Rig) -> str:
    """Say what it is and what must not be exceeded."""
    counts = ", ".join(_count(n, word) for n, word in ((len(rig.outputs), "output"), (len(rig.inputs), "input")))
    limit = f"never more than {si_text(rig.ceiling_v, 'V', digits=3)}"
    return f"{counts} · {limit} · loads up to {si_text(rig.load_power_w, 'W', digits=3)}, known to ± {_percent(2 * rig.u_load)}"


def correction_text(correction: Correction | None) -> str:
    """Say what is divided out: from where to where, and by how much."""
    if correction is None:
        return "–"
    low, high = correction.frequency_hz[0], correction.frequency_hz[-1]
    least, most = (amplitude_to_db(f(correction.magnitude)) for f in (min, max))
    span = f"{si_text(low, 'Hz', digits=3)} to {si_text(high, 'Hz', digits=3)}"
    return f"{span}, {fixed(least, 1)} to {fixed(most, 1)} dB{', with phase' if correction.phase_rad else ''}"


def _channel(rig: Rig, side: str, channel: Channel) -> tuple[str, ...]:
    spread = [_percent(2 * u) if u else "not known" for u in (channel.u_level, channel.u_flatness)]
    return (
        f"{side} {channel.number}", channel.name or "–", channel.role,
        str(si_text(channel.full_scale, connector_unit(rig, channel), digits=4)), *spread, correction_text(channel.correction),
        " · ".join(w for w in (channel.calibrated, channel.how) if w) or "never",
    )  # fmt: skip


def _part(part: Part) -> tuple[str, ...]:
    every = f"every {part.side} in {'amperes' if part.kind == SENSE else 'volts'}"
    where = f"{part.side} {', '.join(map(str, part.channels))}" if part.channels else every
    value = {
        **dict.fromkeys(DIVIDES, f"divides by {part.value:g}"), AMPLIFIER: f"gain {fixed(amplitude_to_db(part.value), 1)} dB",
        SENSE: str(si_text(part.value, "ohm", digits=4)),
    }.get(part.kind, "–")  # fmt: skip
    spread = _percent(2 * part.u_value) if part.u_value else "not known"
    return part.kind, where, "–", value, spread, "–", correction_text(part.correction), "–"


def _count(number: int, word: str) -> str:
    return f"{number or 'no'} {word}{'' if number == 1 else 's'}"


def _percent(value: float) -> str:
    digits = max(0, 1 - math.floor(math.log10(100 * value))) if value > 0 else 0
    return f"{fixed(100 * value, min(digits, 4))} %"

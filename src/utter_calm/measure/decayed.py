"""A loudspeaker's decay as maps, and what rings as readings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.decay import decay_grid, decay_in_periods, decay_in_time
from utter_calm.analysis.acoustic.gate import Gate, gate_to
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker
from utter_calm.analysis.acoustic.ringing import find_ringing
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Surface, Trust
from utter_calm.quantities import si_text

READINGS: dict[str, Declared] = {
    "resonance_#": Declared("resonance {}", "frequency", "Pole {} of the impulse response after the direct sound, with a Q of 8 or "
                            "more (matrix pencil).", digits=4),
    "resonance_#_q": Declared("resonance {}, Q", "ratio", "Its frequency over twice its decay rate.", digits=3),
    "resonance_#_level": Declared("resonance {}, level", "gain", "Its amplitude as the direct sound comes, re that.", digits=3),
}  # fmt: skip
SURFACES: dict[str, Declared] = {
    "decay_time": Declared("decay over time", "gain", "Transform of what comes after each time, re the largest at the first."),
    "decay_periods": Declared("decay over periods", "gain", "Envelope through a burst of a few periods of each frequency, from its "
                              "maximum on and re it."),
}  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class ClearImpulse:
    """An impulse response: (n,) the direct sound at sample 0, what comes before at its end.

    ``first_s`` is when the first reflection comes, None where there is none; ``high_hz`` where it ends.
    """

    impulse: FloatArray
    rate_hz: float
    first_s: float | None
    high_hz: float

    @staticmethod
    def of(time_s: FloatArray, value: FloatArray, first_s: float | None, high_hz: float) -> ClearImpulse:
        """From a trace over seconds after the direct sound; nothing stands beyond its ends."""
        rate = (len(time_s) - 1) / float(time_s[-1] - time_s[0])
        before = int(np.argmin(np.abs(time_s)))
        out = np.zeros(2 * len(value))
        out[: len(value) - before], out[len(out) - before :] = value[before:], value[:before]
        return ClearImpulse(out, rate, first_s, high_hz)

    @staticmethod
    def heard(found: Loudspeaker) -> ClearImpulse:
        """That of an analysed sweep."""
        first = found.reflections[0].after_s if found.reflections else None
        return ClearImpulse(found.impulse, found.rate_hz, first, found.high_hz)


def add_decay(out: ResultBuilder, found: ClearImpulse, gate: Gate | None, cycles: float, channel: int = 1) -> None:
    """Add both maps and the resonances; NaN where the window is over."""
    grid = decay_grid(found.high_hz)
    in_time = decay_in_time(found.impulse, found.rate_hz, gate, grid)
    in_periods = decay_in_periods(found.impulse, found.rate_hz, gate, grid, cycles)
    for name, shown, unit in (("decay_time", in_time, "s"), ("decay_periods", in_periods, "1")):
        out.surfaces.append(Surface(name, channel, shown.frequency_hz, "Hz", shown.after, unit, shown.amplitude, "1"))
    clear = None if found.first_s is None else gate_to(found.first_s)
    if clear is None or (gate is not None and gate.stop_s < clear.stop_s):
        clear = gate
    # reflections ring as well, but that is the room
    for number, one in enumerate(find_ringing(found.impulse, found.rate_hz, clear, found.high_hz), start=1):
        out.add(f"resonance_{number}", channel, one.frequency_hz, "Hz")
        out.add(f"resonance_{number}_q", channel, one.q, "1")
        out.add(f"resonance_{number}_level", channel, one.amplitude, "1")
    if gate is not None:
        lows = [f for f, row in zip(in_periods.frequency_hz, in_periods.amplitude.T, strict=True) if np.any(np.isfinite(row))]
        low, over = (si_text(f, "Hz", digits=2) for f in (gate.lowest_hz, lows[0] if lows else found.high_hz))
        text = (
            f"The window ends after {1e3 * gate.stop_s:.3g} ms: no decay is known after that, and none at all below {low} "
            f"({over} over periods)."
        )
        out.trust.append(Trust("decay_bounded", text, grave=False))

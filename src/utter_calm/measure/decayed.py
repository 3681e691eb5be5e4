"""A loudspeaker's decay as maps, and what rings as readings."""

from __future__ import annotations

from utter_calm.analysis.acoustic.decay import decay_grid, decay_in_periods, decay_in_time
from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker
from utter_calm.analysis.acoustic.ringing import find_ringing
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


def add_decay(out: ResultBuilder, found: Loudspeaker, gate: Gate | None, cycles: float, channel: int = 1) -> None:
    """Add both maps and the resonances; NaN where the window is over."""
    grid = decay_grid(found.high_hz)
    in_time = decay_in_time(found.impulse, found.rate_hz, gate, grid)
    in_periods = decay_in_periods(found.impulse, found.rate_hz, gate, grid, cycles)
    for name, shown, unit in (("decay_time", in_time, "s"), ("decay_periods", in_periods, "1")):
        out.surfaces.append(Surface(name, channel, shown.frequency_hz, "Hz", shown.after, unit, shown.amplitude, "1"))
    clear = found.auto_gate()
    if clear is None or (gate is not None and gate.stop_s < clear.stop_s):
        clear = gate
    # reflections ring as well, but that is the room
    for number, one in enumerate(find_ringing(found.impulse, found.rate_hz, clear, found.high_hz), start=1):
        out.add(f"resonance_{number}", channel, one.frequency_hz, "Hz")
        out.add(f"resonance_{number}_q", channel, one.q, "1")
        out.add(f"resonance_{number}_level", channel, one.amplitude, "1")
    if gate is not None:
        low = si_text(gate.lowest_hz, "Hz", digits=3)
        text = f"The window ends after {1e3 * gate.stop_s:.3g} ms: no decay is known after that, and below {low} none at all."
        out.trust.append(Trust("decay_bounded", text, grave=False))

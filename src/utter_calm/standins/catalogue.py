"""All stand-ins by name, with the knobs that each of them has. A new one is listed here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from utter_calm.standins import class_d, patch_cable, preamplifier, show_converter, valve_amplifier, wiring
from utter_calm.standins.amplifier import Amplifier, AmplifierModel
from utter_calm.standins.base import Bench, StandIn
from utter_calm.standins.cable import Cable
from utter_calm.standins.transformer import Transformer


@dataclass(frozen=True, slots=True)
class Entry:
    """A stand-in.

    Parameters
    ----------
    build
        Makes a running one.
    knobs
        Knob or switch to its positions; no positions where any value will do.
    """

    build: Callable[[Bench], StandIn]
    knobs: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def positions(self) -> dict[str, tuple[str, ...]]:
        """Its own knobs and the leads."""
        return {**self.knobs, **wiring.POSITIONS}

    def make(self, bench: Bench) -> StandIn:
        """Put it on the bench."""
        made = self.build(bench)
        how = bench.position("wiring", wiring.STRAIGHT)
        return made if how == wiring.STRAIGHT else wiring.Wired(made, how)


def _dome_amplifier(bench: Bench) -> StandIn:
    volts = bench.position("supply", "")
    model = AmplifierModel()
    if volts:
        model = replace(model, rail_v=float(volts.removesuffix("V")))
    return Amplifier(model, bench.rate_hz, bench.load_ohm, bench.seed)


CATALOGUE: dict[str, Entry] = {
    "dome amplifier": Entry(_dome_amplifier, {"supply": ()}),
    "cable": Entry(lambda _bench: Cable()),
    "preamplifier": Entry(preamplifier.Preamplifier, preamplifier.POSITIONS),
    "line transformer": Entry(Transformer),
    "valve amplifier": Entry(valve_amplifier.ValveAmplifier, valve_amplifier.POSITIONS),
    "class-D amplifier": Entry(class_d.ClassDAmplifier, class_d.POSITIONS),
    "show converter": Entry(show_converter.ShowConverter, show_converter.POSITIONS),
    "patch cable": Entry(patch_cable.PatchCable, patch_cable.POSITIONS),
}

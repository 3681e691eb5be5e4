"""All stand-ins by name, with the knobs that each of them has. A new one is listed here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from utter_calm.quantities import Measured, Value, number_of
from utter_calm.standins import (
    class_d,
    driver,
    driver_faults,
    driver_large,
    loudspeaker,
    microphone,
    part_box,
    patch_cable,
    preamplifier,
    show_converter,
    valve_amplifier,
    wiring,
)
from utter_calm.standins.amplifier import Amplifier, AmplifierModel
from utter_calm.standins.base import Bench, StandIn
from utter_calm.standins.bench_supply import BenchSupply
from utter_calm.standins.cable import Cable
from utter_calm.standins.own_clock import OwnClock
from utter_calm.standins.phone_recorder import PhoneRecorder
from utter_calm.standins.series_input import SeriesInput
from utter_calm.standins.transformer import Transformer
from utter_calm.standins.voice_device import VoiceDevice

SERIES = "series resistor"
"""What can stand in series with the input of any of them."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A stand-in.

    Parameters
    ----------
    build
        Makes a running one.
    knobs
        Knob or switch to its positions; no positions where any value will do.
    normal
        Where those knobs stand normally whose first position is not that, and those that take any value.
    input_ohm, input_farad
        What its input asks for; seen with a resistor in series with it.
    of_bench
        Whether it is the bench's own, and nothing that anybody would measure.
    """

    build: Callable[[Bench], StandIn]
    knobs: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    normal: Mapping[str, Value] = field(default_factory=dict)
    input_ohm: float = 47e3
    input_farad: float = 120e-12
    of_bench: bool = False

    @property
    def positions(self) -> dict[str, tuple[str, ...]]:
        """Its own knobs and the leads."""
        own = {knob: self.places(knob) for knob in self.knobs}
        return {**own, **wiring.POSITIONS, SERIES: ()}

    def places(self, knob: str) -> tuple[str, ...]:
        """Positions of a knob of its own, the normal one among them; none where any value will do."""
        listed, normal = self.knobs[knob], self.normal.get(knob)
        return (normal, *listed) if listed and isinstance(normal, str) and normal not in listed else listed

    def normal_position(self, knob: str) -> Value:
        """Where a knob of its own stands when nobody says anything else."""
        return self.normal[knob] if knob in self.normal else self.knobs[knob][0]

    def make(self, bench: Bench) -> StandIn:
        """Put it on the bench."""
        made = self.build(bench)
        series = number_of(bench.positions.get(SERIES), "ohm")
        if series:
            made = SeriesInput(made, series, self.input_ohm, self.input_farad, bench.rate_hz)
        how = bench.position("wiring", wiring.STRAIGHT)
        return made if how == wiring.STRAIGHT else wiring.Wired(made, how)


def _dome_amplifier(bench: Bench) -> StandIn:
    volts = number_of(bench.positions.get("supply"), "V")
    model = AmplifierModel()
    if volts:
        model = replace(model, rail_v=volts)
    return Amplifier(model, bench.rate_hz, bench.load_ohm, bench.seed)


def _wireless(bench: Bench) -> StandIn:
    """The audio-guide speaker over a wireless link: 100 to 300 ms late, anew each time, by a clock that is not quite even."""
    draw = np.random.default_rng(bench.seed)
    inner = loudspeaker.Loudspeaker(loudspeaker.GUIDE, bench)
    late_s, ppm = float(draw.uniform(0.1, 0.3)), float(draw.uniform(-60, 60))
    wanders = float(draw.uniform(2e-6, 4e-6)), float(draw.uniform(10, 20))
    return OwnClock(inner, bench.rate_hz, late_s=late_s, ppm=ppm, wanders=wanders)


def _loudspeaker(model: loudspeaker.LoudspeakerModel) -> Entry:
    return Entry(lambda bench: loudspeaker.Loudspeaker(model, bench), loudspeaker.KNOBS, loudspeaker.NORMAL)


_VOICE_PEAK_V = 4.0


def _voice(bench: Bench) -> StandIn:
    """A device that is spoken to and then plays the file it has on its own small loudspeaker."""
    draw = np.random.default_rng(bench.seed)
    file = np.zeros(0) if bench.file is None else _VOICE_PEAK_V * bench.file
    speaker = loudspeaker.Loudspeaker(loudspeaker.GUIDE, bench)
    return VoiceDevice(speaker, file, bench.rate_hz, thinks_s=float(draw.uniform(0.4, 1.5)), ppm=float(draw.uniform(-60, 60)))


def _phone(bench: Bench) -> StandIn:
    """A telephone that records what the rig plays to it."""
    draw = np.random.default_rng(bench.seed)
    regulates = bench.position("gain control", "off") == "on"
    ppm = float(draw.uniform(-80, 80))
    return PhoneRecorder(bench.rate_hz, bench.folder, ppm=ppm, seed=bench.seed, regulates=regulates)


CATALOGUE: dict[str, Entry] = {
    "dome amplifier": Entry(_dome_amplifier, {"supply": ()}, {"supply": Measured(AmplifierModel().rail_v, "V")}),
    "cable": Entry(lambda _bench: Cable()),
    "preamplifier": Entry(
        preamplifier.Preamplifier, preamplifier.POSITIONS, preamplifier.NORMAL, input_ohm=22e3, input_farad=680e-12
    ),
    "line transformer": Entry(Transformer),
    "valve amplifier": Entry(valve_amplifier.ValveAmplifier, valve_amplifier.POSITIONS),
    "class-D amplifier": Entry(class_d.ClassDAmplifier, class_d.POSITIONS),
    "show converter": Entry(show_converter.ShowConverter, show_converter.POSITIONS),
    "patch cable": Entry(patch_cable.PatchCable, patch_cable.POSITIONS),
    "bench supply": Entry(BenchSupply),
    "surround driver": Entry(driver.of(driver.SURROUND), driver.STATES),
    "tired surround driver": Entry(driver.of(driver.TIRED), driver.STATES),
    "surround driver on a shelf": Entry(driver.of(driver.ON_SHELF), driver.STATES),
    "surround driver, loose clip": Entry(lambda bench: driver_faults.LooseClip(driver.SURROUND, bench), driver.STATES),
    "surround driver, suspension stiffens": Entry(
        lambda bench: driver_large.stiffening(driver.SURROUND, bench, doubles_m=1.6e-3), driver.STATES
    ),
    "subwoofer, suspension stiffens": Entry(
        lambda bench: driver_large.stiffening(driver.SUBWOOFER, bench, doubles_m=4e-3), driver.STATES
    ),
    "surround driver, coil rubs": Entry(lambda bench: driver_faults.Rubbing(driver.SURROUND, bench), driver.STATES),
    "mid-woofer": Entry(driver.of(driver.WOOFER), driver.STATES),
    "mid-woofer, vent half covered": Entry(driver.of(driver.COVERED), driver.STATES),
    "vented box": Entry(driver.of(driver.IN_VENTED_BOX)),
    "leaky vented box": Entry(driver.of(driver.IN_LEAKY_BOX)),
    "tweeter": Entry(driver.of(driver.TWEETER), driver.STATES),
    "subwoofer": Entry(driver.of(driver.SUBWOOFER), {**driver.STATES, "coils": driver.COILS}),
    "console wedge": _loudspeaker(loudspeaker.WEDGE),
    "ceiling loudspeaker": _loudspeaker(loudspeaker.CEILING),
    "ceiling loudspeaker, coil rubs": _loudspeaker(loudspeaker.RUBBING),
    "subwoofer in its box": _loudspeaker(loudspeaker.SUB),
    "audio-guide speaker": _loudspeaker(loudspeaker.GUIDE),
    "wireless speaker": Entry(_wireless, loudspeaker.KNOBS, loudspeaker.NORMAL),
    "voice device": Entry(_voice, loudspeaker.KNOBS, loudspeaker.NORMAL),
    "phone recorder": Entry(_phone, {"gain control": ("off", "on")}),
    "calibrator on the microphone": Entry(microphone.Calibrator, of_bench=True),
    "bare leads": Entry(part_box.calibration_leads, {"clip": part_box.CLIPS}, of_bench=True),
    "part box": Entry(part_box.part_box, part_box.POSITIONS),
}

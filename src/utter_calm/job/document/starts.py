"""Plans to start from, by what is measured: the steps and conditions that practitioners ask for."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from utter_calm.errors import InputError
from utter_calm.job.document.conditions import LOAD, Factor
from utter_calm.job.document.plan import Plan
from utter_calm.job.document.step import Step
from utter_calm.measure.kinds import KINDS
from utter_calm.quantities import NONE, Conditions, Measured
from utter_calm.rig import acoustic_rig, impedance_rig, stereo_rig

_SWITCH_LOAD = "Switch the load to {value}."
_SERIES = "series resistor"
_LEVEL = "level at the output"
_SET_UP = "Set up loudspeaker and microphone: {value}."


@dataclass(frozen=True, slots=True)
class Start:
    """A plan to start from.

    Parameters
    ----------
    key, title
        For machines and for people.
    asks
        What such a plan is asked for, in one line.
    stand_ins
        Names of the stand-ins that suit, the likeliest first; none where there is none.
    plan
        Makes it; its steps' ids are those of their kinds.
    """

    key: str
    title: str
    asks: str
    stand_ins: tuple[str, ...]
    plan: Callable[[], Plan]

    def make(self, plan_id: str, free: Callable[[str], str]) -> Plan:
        """Give the plan under an id, ``free`` giving each step an id that no other step of the job has."""
        made = self.plan()
        return replace(made, id=plan_id, steps=tuple(replace(step, id=free(step.id)) for step in made.steps))


def _step(kind: str, where: Conditions = (), label: str = "", name: str = "", **settings: Any) -> Step:  # noqa: ANN401
    ident = name or kind.replace("_", "-")
    return Step(ident, kind, label=label, where=where).with_settings(KINDS[kind].settings_type(**settings))


def _ohm(value: float) -> Measured:
    return Measured(value, "ohm")


def _loads(*values: Measured | str) -> Factor:
    return Factor(LOAD, values, _SWITCH_LOAD)


def _into(*values: float) -> Conditions:
    return tuple((LOAD, _ohm(v)) for v in values)


def _power_amplifier() -> Plan:
    return Plan(
        rig=stereo_rig(),
        steps=(
            _step("first_look", _into(8, 4)),
            _step("response", level_v=0.1),
            _step("level_series", _into(8, 4), "Distortion against power", nominal_v=2.83),
            _step("frequency_series", _into(8), level_v=0.1, lower_levels="0.03 V"),
            _step("noise", _into(8)),
            _step("intermodulation", _into(8)),
            _step("crosstalk", _into(8), level_v=0.1),
            _step("impedance", label="Output impedance"),
        ),
        factors=(_loads(_ohm(8), _ohm(4), NONE),),
    )


def _preamplifier() -> Plan:
    direct = ((_SERIES, _ohm(0)),)
    return Plan(
        rig=stereo_rig(pickup_ratio=1.0, ceiling_v=3.9),
        steps=(
            _step("first_look", direct, level_v=0.2),
            _step("response", direct, level_v=0.1),
            _step("level_series", direct, "Distortion against level", nominal_v=1.0),
            _step("noise", direct, reference_v=1.0),
            _step("intermodulation", direct, level_v=0.2),
            _step("crosstalk", direct, level_v=0.2),
            _step("response", label="Response, for the input impedance", name="response-input", level_v=0.1, stop_hz=60_000.0),
            _step("impedance", label="Input impedance", side="input"),
        ),
        factors=(
            _loads(_ohm(10e3)),
            Factor(_SERIES, (_ohm(0), _ohm(10e3)), "Put {value} in series with the input.", cost=2.0),
        ),
    )


def _converter() -> Plan:
    return Plan(
        rig=stereo_rig(pickup_ratio=1.0, ceiling_v=3.9),
        steps=(
            _step("first_look", level_v=1.0),
            _step("response", level_v=0.3, stop_hz=60_000.0),
            _step("level_series", label="Distortion against level", level_v=1.9),
            _step("frequency_series", level_v=1.0),
            _step("noise", label="Dynamic range", method="tone", full_scale_v=2.0),
            _step("multitone", level_v=0.3),
            _step("crosstalk", level_v=1.0),
        ),
        factors=(_loads(_ohm(10e3)),),
    )


def _cable() -> Plan:
    return Plan(
        rig=stereo_rig(pickup_ratio=1.0, ceiling_v=3.9),
        steps=(_step("response", level_v=1.0, stop_hz=88_000.0), _step("crosstalk", level_v=1.0), _step("noise")),
        factors=(_loads(_ohm(10e3)),),
    )


def _recorder() -> Plan:
    return Plan(
        rig=stereo_rig(pickup_ratio=1.0),
        steps=(
            _step("response", start_hz=20.0, stop_hz=20_000.0, duration_s=2.0, level_v=0.5, rate_hz=48_000),
            _step("multitone", level_v=0.5, rate_hz=48_000),
            _step("noise", rate_hz=48_000, duration_s=2.0),
        ),
        factors=(_loads(NONE),),
    )


def _transformer() -> Plan:
    return Plan(
        rig=stereo_rig(ceiling_v=3.9),
        steps=(
            _step("response", start_hz=8.0, stop_hz=88_000.0, level_v=0.1),
            _step(
                "level_series",
                (*_into(600), (_LEVEL, Measured(3.0, "V"))),
                "Distortion against level",
                frequency_hz=50.0,
                start_v=0.03,
                level_v=3.0,
            ),
            _step("frequency_series", _into(600), level_v=1.0),
        ),
        factors=(
            _loads(_ohm(600), _ohm(10e3)),
            Factor(_LEVEL, (Measured(0.1, "V"), Measured(3.0, "V")), sets="level_v"),
        ),
    )


def _supply() -> Plan:
    return Plan(
        rig=stereo_rig(pickup_ratio=1.0),
        steps=(
            _step("noise", label="Hum and noise"),
            _step("noise", label="Ripple and noise to 80 kHz", name="noise-wide", band_low_hz=10.0, band_high_hz=80_000.0,
                  rate_hz=192_000),
        ),
        factors=(_loads(NONE, _ohm(47), _ohm(12)),),
    )  # fmt: skip


def _driver() -> Plan:
    return Plan(
        rig=impedance_rig(),
        steps=(_step("impedance_sweep"), _step("driver")),
        factors=(Factor("state", ("free air", "with mass"), "Bring the driver to this state: {value}.", cost=2.0),),
    )


def _box() -> Plan:
    """Impedance in the box, and what it tells."""
    return Plan(rig=impedance_rig(), steps=(_step("impedance_sweep"), _step("boxed")))


_CLOSE_BY = Factor(
    "situation", ("in a room", "close to the cone"), _SET_UP, cost=2.0, sets="situation", on_bench=True
)  # fmt: skip


def _loudspeaker() -> Plan:
    room = (("situation", "in a room"),)
    return Plan(
        rig=acoustic_rig(),
        steps=(
            _step("loudspeaker"),
            _step("decay", room),
            _step("multitone", room, level_v=1.0),
            _step("noise", room, "The room's own noise"),
            _step("splice", label="Whole response", baffle="300 mm"),
        ),
        factors=(_CLOSE_BY,),
    )


def _at_the_seat() -> Plan:
    places = tuple(f"seat {k}" for k in range(1, 5))
    return Plan(
        rig=acoustic_rig(),
        # seats may be far off, and the room counts
        steps=(_step("loudspeaker", duration_s=4.0, tail_s=0.2, gate="none", distance_m=3.0), _step("seat")),
        factors=(Factor("position", places, "Put the microphone at {value}, where ears would be."),),
    )


def _all_round() -> Plan:
    """A loudspeaker turned to one side: what is alike to both need not be measured twice."""
    angles = tuple(Measured(math.radians(a), "rad") for a in range(0, 181, 10))
    return Plan(
        rig=acoustic_rig(),
        steps=(_step("loudspeaker", duration_s=1.0), _step("directivity")),
        factors=(Factor("angle", angles, "Turn the loudspeaker to {value}.", cost=1.0),),
    )


def _parts() -> Plan:
    return Plan(
        rig=impedance_rig(),
        steps=(_step("impedance_sweep", start_hz=20.0, duration_s=2.0, level_v=0.3), _step("part")),
        factors=(Factor("part", _BOX_OF_PARTS, "Clip on the part: {value}."),),
    )


_BOX_OF_PARTS = ("R1 8.2 ohm 5 %", "R2 2.7 ohm 5 %", "L1 0.47 mH 5 %", "L2 2.2 mH 5 %", "C1 10 uF 5 %", "C2 4.7 uF 5 %")

STARTS: dict[str, Start] = {
    start.key: start
    for start in (
        Start("power-amplifier", "Power amplifier", "Watts into loads, distortion, response, noise, output impedance",
              ("dome amplifier", "class-D amplifier", "valve amplifier"), _power_amplifier),
        Start("preamplifier", "Preamplifier", "Gain, response, noise, crosstalk, input impedance",
              ("preamplifier",), _preamplifier),
        Start("converter", "Converter", "Dynamic range, distortion, response, multitone", ("show converter",), _converter),
        Start("cable", "Cable", "Response, crosstalk, what it picks up", ("patch cable", "cable"), _cable),
        Start("transformer", "Transformer", "Response at two levels into two loads, saturation", ("line transformer",),
              _transformer),
        Start("supply", "Power supply", "Ripple, hum and noise under every load", ("bench supply",), _supply),
        Start("driver", "Loudspeaker driver", "Impedance in free air and with a mass, Thiele and Small parameters",
              ("surround driver", "tired surround driver", "surround driver on a shelf", "surround driver, loose clip",
               "surround driver, coil rubs", "surround driver, suspension stiffens", "subwoofer, suspension stiffens", "mid-woofer",
               "mid-woofer, vent half covered", "tweeter", "subwoofer"), _driver),
        Start("box", "Loudspeaker box", "Impedance in the box: tuning, losses, leaks; held against its twin",
              ("vented box", "leaky vented box"), _box),
        Start("loudspeaker", "Loudspeaker", "Response, reflections, distortion, decay; close by and from afar, spliced",
              ("ceiling loudspeaker", "console wedge", "audio-guide speaker", "wireless speaker", "voice device",
               "subwoofer in its box", "ceiling loudspeaker, coil rubs"), _loudspeaker),
        Start("seat", "Loudspeaker at the seat", "Several positions averaged, with their spread",
              ("ceiling loudspeaker", "console wedge"), _at_the_seat),
        Start("all-round", "Loudspeaker, all round", "Every ten degrees: beamwidth, sound power, response to expect in a room",
              ("ceiling loudspeaker", "console wedge", "audio-guide speaker"), _all_round),
        Start("recorder", "Recorder", "What a device keeps of what it hears: response; its own file becomes the take",
              ("phone recorder",), _recorder),
        Start("parts", "Crossover parts", "Resistors, inductors and capacitors against what is printed on them", ("part box",),
              _parts),
        Start("other", "Something else", "An empty plan: steps and conditions are added one by one", (), Plan),
    )
}  # fmt: skip


def start_of(key: str) -> Start:
    """Find a plan to start from, by its key or title.

    Raises
    ------
    InputError
        There is none of that name.
    """
    wanted = key.strip().lower().replace(" ", "-")
    for start in STARTS.values():
        if wanted in (start.key, start.title.lower().replace(" ", "-")):
            return start
    raise InputError(f"There is no plan for “{key}” to start from.", hint=f"There is: {', '.join(STARTS)}.")

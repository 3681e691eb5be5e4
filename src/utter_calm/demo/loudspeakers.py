"""Loudspeakers of the demo job: for the foyer's ceiling, the console, the bass under the dome, the audio guides."""

from __future__ import annotations

import functools
import math
from typing import Any

from utter_calm.demo.drivers import Group
from utter_calm.job.document import Claim, Factor, MaskPoint, Plan, Step, Unit
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.microphone import CalibratorWanted, calibrate_microphone
from utter_calm.job.run.prompt import Answer
from utter_calm.measure.kinds import KINDS
from utter_calm.quantities import SPL_REFERENCE_PA, Measured
from utter_calm.quantities import db_to_amplitude as db
from utter_calm.rig import Rig, acoustic_rig
from utter_calm.rig.microphone import with_sensitivity

_PUT = "Set up loudspeaker and microphone: {value}."
_ROOM: dict[str, Any] = {"source_m": 1.2, "ceiling_m": 3.4, "wall_m": 3.1}
_IN_ROOM = (("situation", "in a room"),)


def _step(ident: str, kind: str, where: tuple[tuple[str, str], ...] = (), label: str = "", **settings: Any) -> Step:  # noqa: ANN401
    return Step(ident, kind, label=label, where=where).with_settings(KINDS[kind].settings_type(**settings))


def _spl(level_db: float) -> float:
    return SPL_REFERENCE_PA * db(level_db)


@functools.cache
def lobby_rig() -> Rig:
    """The simulated lobby, its microphone calibrated as a hand would."""
    rig = acoustic_rig("Simulated lobby")
    made = calibrate_microphone(simulated_bench(rig), rig, CalibratorWanted(), lambda _prompt: Answer.LET_RIG)
    return with_sensitivity(rig, made)


def demo_loudspeakers() -> tuple[Group, ...]:
    """Give each unit and its plan."""
    return _ceiling(), _wedge(), _subwoofer(), _guide()


def _ceiling() -> Group:
    unit = Unit(name="Ceiling loudspeaker CL-6", sample="no. 0052", stand_in="ceiling loudspeaker", nominal_gain=1.0,
                notes="Grille off. Stood on a stool in the lobby, 1.2 m above the tiles.")  # fmt: skip
    even = tuple(MaskPoint(f, db(-5), db(5)) for f in (80.0, 12_000.0))
    return (unit,), Plan(
        rig=lobby_rig(),
        steps=(
            _step("ceiling", "loudspeaker", nominal_ohm=8.0, baffle_m=0.3, **_ROOM),
            _step("ceiling-decay", "decay", _IN_ROOM),
            _step("ceiling-whole", "splice", label="Whole response", diaphragm="130 mm", baffle="300 mm", band_low_hz=200.0,
                  band_high_hz=5000.0),
        ),
        factors=(
            Factor("situation", ("in a room", "close to the cone"), _PUT, cost=2.0, sets="situation", on_bench=True),
        ),
        claims=(
            Claim("c-loud", "86 dB SPL at 2.83 V and 1 m", "ceiling", "sensitivity_2v83", _spl(86), conditions=_IN_ROOM),
            Claim("c-even", "Within 5 dB from 80 Hz to 12 kHz", "ceiling", "relative", mask=even, conditions=_IN_ROOM),
            Claim("c-rings", "No resonance with a Q above 8", "ceiling-decay", "resonance_1_q", high=8.0),
            Claim("c-bass", "−3 dB at 100 Hz or below", "ceiling-whole", "lower_3db", high=100.0),
        ),
    )  # fmt: skip


def _wedge() -> Group:
    unit = Unit(name="Console wedge CW-2", sample="no. 0011", settings="flat", stand_in="console wedge", nominal_gain=1.0)
    angles = tuple(Measured(math.radians(a), "rad") for a in (0, 30, 60, 90, 120, 150, 180))
    return (unit,), Plan(
        rig=lobby_rig(),
        steps=(_step("wedge", "loudspeaker", duration_s=1.0, **_ROOM), _step("wedge-round", "directivity")),
        factors=(Factor("angle", angles, "Turn the loudspeaker to {value}."),),
        claims=(
            Claim("w-even", "Even to both sides up to 1 kHz", "wedge-round", "even_to", 1000.0),
            Claim("w-beam", "Never narrower than 60 degrees", "wedge-round", "narrowest_beamwidth", 60.0),
        ),
    )


def _subwoofer() -> Group:
    unit = Unit(name="Dome subwoofer DS-1", sample="no. 0002", stand_in="subwoofer in its box", nominal_gain=1.0,
                notes="Far response taken in the yard, the lobby is too small for it.")  # fmt: skip
    places = ("close to the cone", "in the port", "free field")
    return (unit,), Plan(
        rig=lobby_rig(),
        steps=(
            _step("sub", "loudspeaker", start_hz=10.0, stop_hz=2000.0, band_low_hz=45.0, band_high_hz=90.0),
            _step("sub-whole", "splice", label="Whole response", diaphragm="260 mm", port="100 mm", baffle="450 mm",
                  far="free field", band_low_hz=45.0, band_high_hz=90.0),
        ),
        factors=(Factor("situation", places, _PUT, cost=2.0, sets="situation", on_bench=True),),
        claims=(Claim("s-low", "−10 dB at 30 Hz or below", "sub-whole", "lower_10db", high=30.0),),
    )  # fmt: skip


def _guide() -> Group:
    unit = Unit(name="Audio-guide speaker AG-1", sample="no. 0203", stand_in="audio-guide speaker", nominal_gain=1.0)
    levels = (Measured(0.5, "V"), Measured(2.0, "V"))
    return (unit,), Plan(
        rig=lobby_rig(),
        steps=(_step("guide", "loudspeaker", start_hz=80.0, **_ROOM),),
        factors=(Factor("level at the output", levels, sets="level_v"),),
        claims=(
            Claim("g-loud", "84 dB SPL at 2.83 V and 1 m", "guide", "sensitivity_2v83", _spl(84),
                  conditions=(("level at the output", levels[0]),)),
        ),
    )  # fmt: skip

"""The demo job: a municipal planetarium accepts a dome amplifier against its purchase sheet. All of it is made up."""

from __future__ import annotations

from utter_calm.job.cell import PICKUP_FACTOR, UNIT_FACTOR
from utter_calm.job.model import LOAD, Claim, Factor, JobDocument, MaskPoint, Plan, Step, Unit
from utter_calm.job.run import Bench
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.response import ResponseSettings
from utter_calm.quantities import db_to_amplitude
from utter_calm.rig import RigProfile, SimulatedDevice

FIRST_LOOK = "first-look"
RESPONSE = "response"
_EIGHT = ((LOAD, "8 ohm"),)
_FOUR = ((LOAD, "4 ohm"),)


def demo_document() -> JobDocument:
    """Give the demo job without takes."""
    db = db_to_amplitude
    look = Step(FIRST_LOOK, "first_look").with_settings(FirstLookSettings())
    response = Step(RESPONSE, "response").with_settings(ResponseSettings(level_v=0.3))
    audio_band = tuple(MaskPoint(x, db(-0.5), db(0.1)) for x in (20.0, 20_000.0))
    return JobDocument(
        title="Planetarium dome sound: acceptance of the dome amplifiers",
        notes="Purchase sheet, section 3: dome power amplifiers. Four of twelve are looked at before the rest is unpacked.",
        plans=(Plan(
        unit=Unit(
            name="Dome amplifier DA-3",
            sample="no. 0117",
            settings="gain fixed, both channels driven",
            nominal_gain=db(29.6),
            notes="Delivered with a dented lid; feet missing. Runs warm to the touch after ten minutes into 4 Ω.",
        ),
        rig=RigProfile(name="Simulated rig, workshop bench"),
        steps=(look, response),
        factors=(Factor(LOAD, ("8 ohm", "4 ohm"), "Switch the load to {value}."),),
        claims=(
            Claim("gain", "Gain 29.6 dB ± 0.2 dB", FIRST_LOOK, "gain", db(29.4), db(29.8)),
            Claim("thdn-8", "THD+N at most 0.005 % at 1 W into 8 Ω", FIRST_LOOK, "thd_n", high=5e-5, conditions=_EIGHT),
            Claim("noise", "Hum and noise at most 100 µV, 20 Hz to 20 kHz", FIRST_LOOK, "noise", high=100e-6),
            Claim("h2-8", "Second harmonic at most −140 dB into 8 Ω", FIRST_LOOK, "harmonic_2", high=1e-7, conditions=_EIGHT),
            Claim("corner-8", "−3 dB at 65 kHz or above into 8 Ω", RESPONSE, "upper_corner", 65e3, conditions=_EIGHT),
            Claim("corner-4", "−3 dB at 65 kHz or above into 4 Ω", RESPONSE, "upper_corner", 65e3, conditions=_FOUR),
            Claim("flat-8", "20 Hz to 20 kHz, +0.1 to −0.5 dB into 8 Ω", RESPONSE, "relative", mask=audio_band,
                  conditions=_EIGHT),
            Claim("gain-4", "Gain into 4 Ω at least 29.48 dB", FIRST_LOOK, "gain", db(29.48), conditions=_FOUR),
            Claim("match", "Channels alike within 0.1 dB", RESPONSE, "channel_difference", high=db(0.1)),
        ),
        ),),
    )  # fmt: skip


def new_document(title: str) -> JobDocument:
    """Give a fresh job: one unit, the steps that nearly every unit is asked for, one load."""
    steps = tuple(
        Step(key.replace("_", "-"), key).with_settings(KINDS[key].settings_type())
        for key in ("first_look", "response", "level_series", "noise")
    )
    plan = Plan(steps=steps, factors=(Factor(LOAD, ("8 ohm",), "Switch the load to {value}."),))
    return JobDocument(title=title, plans=(plan,))


def simulated_bench(rig: RigProfile, *, seed: int = 1) -> Bench:
    """Give the simulated device with the dome amplifier connected to 8 ohm."""
    device = SimulatedDevice(rig, seed=seed)
    standing = ((PICKUP_FACTOR, f"{rig.pickup_ratio:g}"), (UNIT_FACTOR, "dome amplifier"), (LOAD, "8 ohm"))
    return Bench(device, device, standing)

"""Drivers and crossover parts of the demo job: three surround drivers of a batch, a subwoofer with two coils, a box of parts."""

from __future__ import annotations

import functools
from dataclasses import replace

from utter_calm.job.document import Claim, Factor, Plan, Step, Unit
from utter_calm.measure.calibrate_impedance import calibrate
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.measure.kinds import KINDS
from utter_calm.rig import Rig, SimulatedDevice, impedance_rig

Group = tuple[tuple[Unit, ...], Plan]
_KNOWN_OHM, _U_KNOWN = 1000.0, 2.5e-4
_STATE = Factor("state", ("free air", "with mass"), "Bring the driver to this state: {value}.", cost=2.0)


def _step(ident: str, kind: str, **settings: object) -> Step:
    return Step(ident, kind).with_settings(KINDS[kind].settings_type(**settings))


@functools.cache
def calibrated_rig() -> Rig:
    """The simulated impedance rig, calibrated as a hand would: leads shorted, 1 kΩ, and the proof."""
    rig = impedance_rig("Simulated impedance rig")
    device = SimulatedDevice(rig)
    device.set("unit", "bare leads")
    settings = ImpedanceSweepSettings(start_hz=2.0, stop_hz=40_000.0, duration_s=1.5)
    known = calibrate(device, rig, settings, _KNOWN_OHM, _U_KNOWN, lambda clipped: device.set("clip", clipped.position))
    return replace(rig, impedance=known)


def demo_drivers() -> tuple[Group, ...]:
    """Give units and the plan that they share, for each kind."""
    return _surrounds(), _subwoofer(), _parts()


def _surrounds() -> Group:
    named = (
        ("no. 0021", "surround driver", ""),
        ("no. 0034", "tired surround driver", "Came back from the old dome; its surround feels soft."),
        ("no. 0040", "surround driver on a shelf", "Measured where it lay, on the store's shelf."),
    )
    units = tuple(
        Unit(name="Surround driver SD-4", sample=sample, stand_in=behind, notes=notes, nominal_gain=1.0)
        for sample, behind, notes in named
    )
    return units, Plan(
        rig=calibrated_rig(),
        steps=(
            _step("driver-impedance", "impedance_sweep", duration_s=3.0),
            _step("driver", "driver", amount="10.1 g", diameter="130.1 mm"),
            _step("driver-box", "box_model", volume_m3=0.016, tuned_hz=46.0, port_diameter_m=0.05, excursion_m=4e-3, power_w=40.0),
        ),
        factors=(_STATE,),
        claims=(
            Claim("d-fs", "fs 47.5 Hz ± 8 %", "driver", "fs", 43.7, 51.3),
            Claim("d-qts", "Qts 0.52 ± 10 %", "driver", "qts", 0.468, 0.572),
            Claim("d-vas", "Vas 19.7 l ± 15 %", "driver", "vas", 16.7e-3, 22.7e-3),
            Claim("d-corner", "Down to 50 Hz in 16 l", "driver-box", "f3", high=50.0),
            Claim("d-bl", "Bl 6.35 T·m ± 5 %", "driver", "bl", 6.03, 6.67),
        ),
    )


def _subwoofer() -> Group:
    unit = Unit(name="Subwoofer driver SW-10", sample="no. 0007", settings="two coils", stand_in="subwoofer", nominal_gain=1.0)
    return (unit,), Plan(
        rig=calibrated_rig(),
        steps=(_step("sub-impedance", "impedance_sweep", duration_s=3.0, stop_hz=10_000.0),),
        factors=(Factor("coils", ("in series", "in parallel", "in series, one reversed"), "Join the two coils: {value}."),),
        claims=(
            Claim("s-least", "At least 1.6 Ω in parallel", "sub-impedance", "minimum_impedance", 1.6,
                  conditions=(("coils", "in parallel"),)),
            Claim("s-peak", "Both coils pull together: peak above 30 Ω", "sub-impedance", "zmax", 30.0,
                  conditions=(("coils", "in series"),)),
        ),
    )  # fmt: skip


def _parts() -> Group:
    unit = Unit(name="Crossover parts CB-1", sample="one of each", stand_in="part box", nominal_gain=1.0)
    marked = ("R1 8.2 ohm 5 %", "R2 2.7 ohm 5 %", "L1 0.47 mH 5 %", "L2 2.2 mH 5 %", "C1 10 uF 5 %", "C2 4.7 uF 5 %")
    return (unit,), Plan(
        rig=calibrated_rig(),
        steps=(_step("part-impedance", "impedance_sweep", start_hz=20.0, duration_s=1.5, level_v=0.3), _step("part", "part")),
        factors=(Factor("part", marked, "Clip on the part: {value}."),),
        claims=(Claim("p-mark", "Within 5 % of its mark", "part", "deviation", -0.05, 0.05),),
    )

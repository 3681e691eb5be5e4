"""Rigs as they are usually wired: two alike channels, an impedance, a microphone."""

from __future__ import annotations

from utter_calm.rig.channel import CURRENT, DRIVE, LOOPBACK, MICROPHONE, UNIT_OF_ROLE, VOLTAGE, Channel
from utter_calm.rig.rig import CAPSULE, DIVIDER, SENSE, Part, Rig


def stereo_rig(
    name: str = "Simulated rig", *, device: str = "simulated", output_full_scale_v: float = 4.0, input_full_scale_v: float = 4.0,
    pickup_ratio: float = 10.0, ceiling_v: float = 2.0, u_level: float = 0.0006, u_flatness: float = 0.0001, u_load: float = 0.001,
    calibrated: str = "2026-11-02", load_power_w: float = 150.0, outputs: int = 2, inputs: int = 2,
) -> Rig:  # fmt: skip
    """Make a rig whose channels are all alike: volts out, volts in through one divider; two of each unless said otherwise."""
    drives = tuple(Channel(n, role=DRIVE, full_scale=output_full_scale_v, calibrated=calibrated) for n in range(1, outputs + 1))
    listens = tuple(
        Channel(n, unit=UNIT_OF_ROLE[VOLTAGE], full_scale=input_full_scale_v, u_level=u_level, u_flatness=u_flatness,
                calibrated=calibrated)
        for n in range(1, inputs + 1)
    )  # fmt: skip
    parts = () if pickup_ratio == 1 else (Part(DIVIDER, pickup_ratio),)
    return Rig(name, device, drives, listens, parts, ceiling_v, load_power_w, u_load)


def impedance_rig(
    name: str = "Simulated impedance rig", *, sense_ohm: float = 10.0, ceiling_v: float = 1.0, side: str = "low"
) -> Rig:  # fmt: skip
    """Make a rig that hears the volts across what hangs on the leads, and its current by a sense resistor.

    ``side`` is as :attr:`Rig.sense_side`: ``low``, ``high``, or ``source`` with one input only.
    """
    drives = (Channel(1, role=DRIVE, full_scale=4.0, calibrated="2026-11-02"),)
    second = {"low": ("current", CURRENT), "high": ("before the resistor", LOOPBACK)}.get(side)
    wanted = [("volts", VOLTAGE), *([second] if second else [])]
    inputs = tuple(
        Channel(n, title, role, UNIT_OF_ROLE[role], full_scale=4.0, u_level=0.0006, u_flatness=0.0001, calibrated="2026-11-02")
        for n, (title, role) in enumerate(wanted, start=1)
    )
    return Rig(name, "simulated", drives, inputs, (Part(SENSE, sense_ohm, channels=(2,) if side == "low" else ()),), ceiling_v)


def acoustic_rig(
    name: str = "Simulated lobby", *, per_pascal: float = 12.5e-3, u_per_pascal: float = 0.03, sense_ohm: float = 0.22,
    ceiling_v: float = 3.0,
) -> Rig:  # fmt: skip
    """Make a rig with a microphone on input 1, and a resistor on input 2 that the loudspeaker's current flows through.

    ``per_pascal`` is the microphone's sensitivity as its data sheet has it, in V/Pa.
    """
    drives = (Channel(1, role=DRIVE, full_scale=4.0, calibrated="2026-11-02"),)
    inputs = (
        Channel(1, "microphone", MICROPHONE, "Pa", full_scale=4.0, u_level=0.0006, u_flatness=0.0001, calibrated="2026-11-02"),
        Channel(2, "current", CURRENT, "A", full_scale=4.0, u_level=0.0006, u_flatness=0.0001, calibrated="2026-11-02"),
    )
    parts = (
        Part(CAPSULE, per_pascal, channels=(1,), u_value=u_per_pascal),
        Part(SENSE, sense_ohm, channels=(2,), u_value=0.002),
    )
    return Rig(name, "simulated", drives, inputs, parts, ceiling_v)

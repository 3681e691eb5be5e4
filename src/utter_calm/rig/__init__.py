"""Devices that play and record: the protocol they speak, the simulated one, calibration and the safety ceiling."""

from utter_calm.rig.play import Recording, play
from utter_calm.rig.profile import RigProfile
from utter_calm.rig.protocol import BenchControl, Device, DeviceInfo, RecordedBlock, Stream, StreamSettings
from utter_calm.rig.simulated import Faults, SimulatedDevice

__all__ = [
    "BenchControl",
    "Device",
    "DeviceInfo",
    "Faults",
    "RecordedBlock",
    "Recording",
    "RigProfile",
    "SimulatedDevice",
    "Stream",
    "StreamSettings",
    "play",
]

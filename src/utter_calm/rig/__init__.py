"""Channels, rigs kept by name, the port that plays and records, the simulated device, and the safety ceiling."""

from utter_calm.rig.channel import (
    CURRENT,
    DRIVE,
    FULL_SCALE,
    LOOPBACK,
    MICROPHONE,
    VOLTAGE,
    Channel,
    Correction,
    unknown_channels,
)
from utter_calm.rig.port import Port, Recording, limits_for, peaks_of
from utter_calm.rig.protocol import Device, DeviceInfo, Instrument, RecordedBlock, Stream, StreamSettings
from utter_calm.rig.rig import Part, Rig, stereo_rig
from utter_calm.rig.simulated import UNITS, Faults, SimulatedDevice, knobs_of, lacks

__all__ = [
    "CURRENT",
    "DRIVE",
    "FULL_SCALE",
    "LOOPBACK",
    "MICROPHONE",
    "UNITS",
    "VOLTAGE",
    "Channel",
    "Correction",
    "Device",
    "DeviceInfo",
    "Faults",
    "Instrument",
    "Part",
    "Port",
    "RecordedBlock",
    "Recording",
    "Rig",
    "SimulatedDevice",
    "Stream",
    "StreamSettings",
    "knobs_of",
    "lacks",
    "limits_for",
    "peaks_of",
    "stereo_rig",
    "unknown_channels",
]

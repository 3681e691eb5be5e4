"""Channels, rigs kept by name, the port that plays and records, the simulated device, and the safety ceiling.

What plays is loaded when it is first asked for: who reads a recording from a file needs none of it.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

from utter_calm.rig.calibrated import Calibrated
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
from utter_calm.rig.made import acoustic_rig, impedance_rig, stereo_rig
from utter_calm.rig.protocol import Device, DeviceInfo, Instrument, RecordedBlock, Stream, StreamSettings
from utter_calm.rig.rig import CAPSULE, SENSE, Part, Rig
from utter_calm.rig.sense_calibration import SenseCalibration
from utter_calm.rig.sound.address import SoundAddress

if TYPE_CHECKING:
    from utter_calm.rig.connected import BARE_LEADS, CALIBRATOR, LATE, RECORDS, SPOKEN_TO, UNITS, knobs_of, lacks, normal_of
    from utter_calm.rig.library import keep_rig, known_rigs
    from utter_calm.rig.limits import limits_for, peaks_of
    from utter_calm.rig.live import LiveSnapshot, LiveTone
    from utter_calm.rig.port import Port
    from utter_calm.rig.recording import Recording
    from utter_calm.rig.simulated import Faults, SimulatedDevice
    from utter_calm.rig.sound.device import SoundDevice
    from utter_calm.rig.sound.found import Found, FoundDevice, find_devices

_LATER = {
    "Port": "utter_calm.rig.port",
    "Recording": "utter_calm.rig.recording",
    **dict.fromkeys(("limits_for", "peaks_of"), "utter_calm.rig.limits"),
    "SoundDevice": "utter_calm.rig.sound.device",
    **dict.fromkeys(("Found", "FoundDevice", "find_devices"), "utter_calm.rig.sound.found"),
    **dict.fromkeys(("LiveSnapshot", "LiveTone"), "utter_calm.rig.live"),
    **dict.fromkeys(("keep_rig", "known_rigs"), "utter_calm.rig.library"),
    **dict.fromkeys(
        ("BARE_LEADS", "CALIBRATOR", "LATE", "RECORDS", "SPOKEN_TO", "UNITS", "knobs_of", "lacks", "normal_of"),
        "utter_calm.rig.connected",
    ),
    **dict.fromkeys(("Faults", "SimulatedDevice"), "utter_calm.rig.simulated"),
}


def __getattr__(name: str) -> Any:  # noqa: ANN401
    """Load what is asked for."""
    if name not in _LATER:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(importlib.import_module(_LATER[name]), name)


__all__ = [
    "BARE_LEADS",
    "CALIBRATOR",
    "CAPSULE",
    "CURRENT",
    "DRIVE",
    "FULL_SCALE",
    "LATE",
    "LOOPBACK",
    "MICROPHONE",
    "RECORDS",
    "SENSE",
    "SPOKEN_TO",
    "UNITS",
    "VOLTAGE",
    "Calibrated",
    "Channel",
    "Correction",
    "Device",
    "DeviceInfo",
    "Faults",
    "Found",
    "FoundDevice",
    "Instrument",
    "LiveSnapshot",
    "LiveTone",
    "Part",
    "Port",
    "RecordedBlock",
    "Recording",
    "Rig",
    "SenseCalibration",
    "SimulatedDevice",
    "SoundAddress",
    "SoundDevice",
    "Stream",
    "StreamSettings",
    "acoustic_rig",
    "find_devices",
    "impedance_rig",
    "keep_rig",
    "knobs_of",
    "known_rigs",
    "lacks",
    "limits_for",
    "normal_of",
    "peaks_of",
    "stereo_rig",
    "unknown_channels",
]

"""``utter-calm analyze``: recordings that come from elsewhere."""

from __future__ import annotations

import click

from utter_calm.cli.lazy import RECORDING, Entry, LazyGroup

_COMMANDS = {
    "acoustic": Entry(
        "utter_calm.cli.analyze_acoustic", "acoustic", "A loudspeaker before a microphone, out of one sweep.", RECORDING),
    "decay": Entry("utter_calm.cli.analyze_decay", "decay", "How a loudspeaker's sound decays.", RECORDING),
    "edges": Entry("utter_calm.cli.analyze_more", "edges", "Rise time, overshoot, ringing, droop, slew rate.", RECORDING),
    "imd": Entry("utter_calm.cli.analyze_more", "imd", "Intermodulation of two tones.", RECORDING),
    "impedance": Entry(
        "utter_calm.cli.unit_impedance", "unit_impedance", "Impedance, from a recording with volts and current.", RECORDING),
    "level-series": Entry(
        "utter_calm.cli.analyze_level_series", "level_series",
        "Distortion against level, one file for each level.", RECORDING),
    "multitone": Entry("utter_calm.cli.analyze_more", "multitone", "What lies between many tones.", RECORDING),
    "noise": Entry("utter_calm.cli.analyze_more", "noise", "Noise: broadband, weighted, density, idle tones.", RECORDING),
    "output-impedance": Entry(
        "utter_calm.cli.analyze_impedance", "output_impedance",
        "Output impedance, from recordings with and without a load.", RECORDING),
    "sweep": Entry("utter_calm.cli.analyze_sweep", "sweep", "Response and distortion out of a sweep.", RECORDING),
    "tone": Entry("utter_calm.cli.analyze_tone", "tone", "Level, distortion, noise and mains of one tone.", RECORDING),
}  # fmt: skip


@click.group(cls=LazyGroup, entries=_COMMANDS)
def analyze() -> None:
    """Analyse recordings made elsewhere: WAV or FLAC, 16, 24 or 32 bit or float."""

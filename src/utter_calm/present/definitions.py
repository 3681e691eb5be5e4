"""Names, ways of showing and definitions of all readings. docs/readings.md is checked against this list."""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Definition:
    """How a reading is named, shown and defined.

    Parameters
    ----------
    title
        Short, as on the screen.
    shown
        ``"si"`` in its own unit; ``"db"`` as 20 lg; ``"percent"`` as per cent with dB beside it; ``"volts"`` with dBV beside
        it.
    text
        The definition, with its source where there is one.
    """

    title: str
    shown: str
    text: str


DEFINITIONS: dict[str, Definition] = {
    "level": Definition("level", "volts", "R.m.s. of the fundamental at the unit's output, by a least-squares sine fit on the "
                        "raw record (IEEE 1057). Without known volts: FS, where a full-scale sine is 1 (AES17)."),
    "power": Definition("power", "si", "Level squared over the load's resistance."),
    "gain": Definition("gain", "db", "Level at the unit's output over level at the rig's output."),
    "fundamental_frequency": Definition("frequency", "si", "Frequency of the fundamental, by the four-parameter sine fit "
                                        "(IEEE 1057)."),
    "thd": Definition("THD", "percent", "Root-sum-square of harmonics 2 to 10 that lie in the band, over the fundamental "
                      "(IEEE 1241)."),
    "thd_n": Definition("THD+N", "percent", "All that lies in the band but the fundamental and DC, over the total in the band. "
                        "The band is a brick wall."),
    "sinad": Definition("SINAD", "db", "Inverse of THD+N."),
    "enob": Definition("effective bits", "si", "(SINAD in dB − 1.76) / 6.02 (IEEE 1241), in the measuring band; the tone is "
                       "taken as full scale."),
    "noise": Definition("noise", "volts", "R.m.s. of what remains in the band without fundamental, harmonics 2 to 10 and DC."),
    "dc": Definition("DC", "si", "Constant part of the record. In volts instantaneous; without known volts as a part of digital "
                     "full scale."),
    "headroom": Definition("input headroom", "db", "Digital full scale of the input over the highest sample."),
    "mains_frequency": Definition("mains", "si", "Mains frequency whose multiples hold the most power: looked for about 50 Hz "
                                  "and about 60 Hz, not assumed."),
    "gain_at_1khz": Definition("gain at 1 kHz", "db", "Magnitude of the response at 1 kHz."),
    "deviation_at_20hz": Definition("at 20 Hz", "db", "Response at 20 Hz relative to 1 kHz."),
    "deviation_at_20khz": Definition("at 20 kHz", "db", "Response at 20 kHz relative to 1 kHz."),
    "upper_corner": Definition("−3 dB, upper", "si", "First frequency above 1 kHz at which the response is 3 dB below that at "
                               "1 kHz; interpolated in dB over log frequency."),
    "lower_corner": Definition("−3 dB, lower", "si", "First frequency below 1 kHz, going down, at which the response is 3 dB "
                               "below that at 1 kHz."),
    "ripple": Definition("ripple", "db", "Highest over lowest response in the ripple band."),
    "channel_difference": Definition("channels differ", "db", "Largest ratio of the channels' responses in the ripple band."),
    "delay": Definition("delay", "si", "Bulk delay: where the impulse response has its peak. Removed from the phase."),
    "sweep_start": Definition("sweep start", "si", "Start frequency of the sweep that was found in the stimulus."),
    "sweep_stop": Definition("sweep stop", "si", "Stop frequency of the sweep that was found in the stimulus."),
    "sweep_duration": Definition("sweep duration", "si", "Duration of the sweep that was found in the stimulus."),
    "sweep_growth": Definition("sweep growth", "si", "Time in which the frequency of the sweep grows by the factor e."),
}  # fmt: skip

_FAMILIES = {
    r"harmonic_(\d+)": ("harmonic {}", "percent", "Amplitude of harmonic {} over the fundamental's; its phase is that in "
                        "x = A1 sin(t) + Ak sin(k t + phase)."),
    r"mains_(\d+)": ("mains × {}", "volts", "R.m.s. of the mains component at {} times the mains frequency."),
}  # fmt: skip


def definition(name: str) -> Definition:
    """Find the definition of a reading; an unknown one gets its own name."""
    if name in DEFINITIONS:
        return DEFINITIONS[name]
    for pattern, (title, shown, text) in _FAMILIES.items():
        match = re.fullmatch(pattern, name)
        if match:
            return Definition(title.format(match[1]), shown, text.format(match[1]))
    return Definition(name.replace("_", " "), "si", "")

"""A microphone's sensitivity as readings: what is said of it, by a calibrator on it."""

from __future__ import annotations

import math

from utter_calm.analysis.acoustic.calibrator import CalibratorTone, analyze_calibrator
from utter_calm.errors import MeasurementError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.measure.usable import usable_span

READINGS = {
    "sensitivity": Declared("sensitivity", "microphone_sensitivity", "R.m.s. of the calibrator's tone over its r.m.s. pressure; "
                            "without volts a full-scale sine is 1.", digits=5),
    "frequency": Declared("calibrator's frequency", "frequency", "Of its tone."),
    "stability": Declared("stability", "gain", "Largest over smallest r.m.s. of consecutive half seconds of the steady part; "
                          "handling about it is left out.", digits=4),
    "distortion": Declared("calibrator's distortion", "distortion", "THD of its tone."),
}  # fmt: skip
_UNSTABLE = 10 ** (0.05 / 20)


def heard_calibrator(capture: Capture, number: int) -> CalibratorTone:
    """The calibrator's tone on a channel, in samples.

    Raises
    ------
    NoSignal, MeasurementError
        There is none, or it is not one to rely on.
    """
    _, trust = usable_span(capture, number, across_holes=True)
    if any(t.code == "overload" for t in trust):
        raise MeasurementError("The recording touches full scale.", hint="Lower the input's gain and record again.")
    if not capture.channel(number).size:
        raise NoSignal("The recording is empty.", hint="Record a calibrator for some seconds.")
    return analyze_calibrator(capture.channel(number), capture.rate_hz)


def add_sensitivity(out: ResultBuilder, capture: Capture, number: int, pressure_pa: float, *, in_volts: bool) -> None:
    """Add what the tone of a calibrator of so many pascal (r.m.s.) says of a channel."""
    tone = heard_calibrator(capture, number)
    # samples are told as those of a sine whose peak is full scale
    scale = capture.scale(number) if in_volts else math.sqrt(2)
    out.add("sensitivity", number, tone.level * scale / pressure_pa, "V/Pa" if in_volts else "FS/Pa",
            tone.u_level * scale / pressure_pa)  # fmt: skip
    out.add("frequency", number, tone.frequency_hz, "Hz")
    out.add("stability", number, tone.stability, "1")
    out.add("distortion", number, tone.thd, "1")
    if tone.stability > _UNSTABLE:
        text = f"The tone's level moves by {20 * math.log10(tone.stability):.2f} dB from half second to half second."
        out.trust.append(Trust("unstable", text))

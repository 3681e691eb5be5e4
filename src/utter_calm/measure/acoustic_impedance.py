"""The impedance of a loudspeaker out of the sweep that it is heard with: its current against what was played."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.acoustic.high_order import high_order
from utter_calm.analysis.acoustic.minimum_phase import later_than_minimum_phase
from utter_calm.analysis.driver.boxed import analyse_boxed
from utter_calm.analysis.driver.parameters import Told
from utter_calm.analysis.excitation import Excitation, excitation
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep import SweepAnalysis, analyze_linear
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.errors import MeasurementError
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text
from utter_calm.rig import CURRENT, SENSE, Channel
from utter_calm.signals.sweep import Sweep

_FAINT_A, _POINTS = 1e-5, 300
_SOON_S, _FADES_S = 0.004, 0.002
"""For how long the current is heard on after the sweep, which comes to no microphone; how long what it does to a coil stands."""
_NO_COILS_S, _DELAYS_S = 30e-6, 15e-6
"""A current that comes later than any coil's is looked at; what is beyond its minimum phase by more than this is a delay."""
_TOLD = {"re": "ohm", "fc": "Hz", "qmc": "1", "qec": "1", "qtc": "1", "fb": "Hz", "f_low": "Hz", "f_min": "Hz", "f_high": "Hz",
         "ql": "1"}  # fmt: skip
"""What is told of a driver in its box, and its unit."""


@dataclass(frozen=True, slots=True, eq=False)
class HeardImpedance:
    """Impedance (n,) in ohms over Hz, its relative standard uncertainty, the resistor that told the current, what a fit told.

    ``late_s`` is how much later than what was played the current came, ``delayed_s`` what no load explains of that: taken out.
    """

    frequency_hz: FloatArray
    impedance: ComplexArray
    u: FloatArray
    sense_ohm: float
    told: Told | None
    late_s: float
    delayed_s: float

    @property
    def whole(self) -> bool:
        """Whether all of the sweep was in a current that was cut soon after it."""
        return self.late_s < _SOON_S - _FADES_S

    def at_terminals(self, frequency_hz: FloatArray) -> ComplexArray:
        """What to multiply a response to the played volts by, so that it is one to the volts at the terminals: (m,)."""
        share = 1 + self.sense_ohm / self.impedance
        log = np.log(self.frequency_hz)
        return np.asarray(np.interp(np.log(frequency_hz), log, share.real) + 1j * np.interp(np.log(frequency_hz), log, share.imag))


def heard_current(capture: Capture) -> Capture | None:
    """The channel that hears the current, by itself; None where the rig has none."""
    return next((capture.only(n) for n, c in enumerate(capture.channels, start=capture.first) if c.role == CURRENT), None)


def soon(capture: Capture, sweep: Sweep) -> Capture:
    """What was recorded until shortly after the sweep was played."""
    samples = capture.samples[: soon_frames(sweep, capture.rate_hz)]
    return capture if len(samples) == len(capture.samples) else replace(capture, samples=samples, parts=(), coming=None)


def soon_frames(sweep: Sweep, rate_hz: int) -> int:
    """Frames of that."""
    return round((sweep.onset_s + sweep.duration_s + _SOON_S) * rate_hz)


def heard_impedance(
    current: Capture, played: Callable[[int], tuple[FloatArray, Excitation]], sweep: Sweep
) -> HeardImpedance | None:  # fmt: skip
    """The impedance by the current, as :func:`heard_current` gives it; None where nothing flows.

    ``played`` gives the volts, and what they put into each bin for so many recorded: whoever computes this may know it already.
    """
    amperes = current.signal()
    if float(np.max(np.abs(amperes))) < _FAINT_A:
        return None
    volts, known = played(len(amperes))
    try:
        found = analyze_linear(amperes, volts, sweep, current.rate_hz, known, orders=False).told
    except MeasurementError:
        return None
    ohm = 0.0
    if current.rig is not None:
        ohm = next((p.value for p in current.rig.parts if p.kind == SENSE), 0.0)
    f = found.frequency_hz
    u = np.hypot(found.u_gain / np.maximum(np.abs(found.gain), 1e-300), current.u_level())
    delayed, u_delayed = _delay(found)

    def by(delayed: float) -> tuple[ComplexArray, Told | None]:
        z = np.asarray(1 / (found.gain * np.exp(-2j * np.pi * f * (found.delay_s - delayed))) - ohm)
        return z, _told(f, z)

    z, told = by(delayed)
    if u_delayed:
        other, otherwise = by(delayed + u_delayed)
        u = np.hypot(u, np.abs(other) / np.abs(z) - 1)
        told = _moved(told, otherwise)
    return HeardImpedance(f, z, u, ohm, told, found.delay_s, delayed)


def _delay(found: SweepAnalysis) -> tuple[float, float]:
    """Seconds by which a current is later than any load makes it, and their standard uncertainty; zeros where it is not."""
    if found.delay_s < _NO_COILS_S:
        return 0.0, 0.0
    later, u = later_than_minimum_phase(found.frequency_hz, found.gain)
    return (found.delay_s + later, u) if found.delay_s + later > _DELAYS_S else (0.0, 0.0)


def _told(f: FloatArray, z: ComplexArray) -> Told | None:
    """What a fit of the driver in its box tells; None where no resonance stands in it, or no driver's."""
    thin = max(1, len(f) // _POINTS)
    with contextlib.suppress(ValueError):
        return analyse_boxed(f[::thin], np.abs(z[::thin]), np.unwrap(np.angle(z))[::thin]).told
    return None


def _moved(told: Told | None, otherwise: Told | None) -> Told | None:
    """With what each parameter moves by where the delay is by its uncertainty another; None where nothing is told then."""
    if told is None or otherwise is None or told.names != otherwise.names:
        return None
    moved = otherwise.values - told.values
    return Told(told.names, told.values, told.covariance + np.outer(moved, moved))


def add_heard_impedance(out: ResultBuilder, found: HeardImpedance, channel: int = 1) -> None:
    """Add the curve, and what it tells of the driver in its box where a resonance stands in it."""
    f, z = found.frequency_hz, found.impedance
    if found.delayed_s:
        text = (
            f"The current comes {si_text(found.delayed_s, 's', digits=3)} after what was played: what drives the loudspeaker "
            "delays it. That is taken out by the phase that belongs to the magnitude."
        )
        out.trust.append(Trust("current_delayed", text, grave=False))
    out.traces.append(Trace("impedance", channel, f, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z)), 2 * found.u * np.abs(z)))
    least = int(np.argmin(np.abs(z)))
    out.add("minimum_impedance", 0, float(abs(z[least])), "ohm", float(found.u[least] * abs(z[least])))
    out.add("minimum_impedance_frequency", 0, float(f[least]), "Hz")
    if found.told is not None:
        for name in found.told.names:
            if name in _TOLD:
                out.add(name, 0, found.told.value(name), _TOLD[name], found.told.u(name))


def rehearse() -> None:
    """Load what :func:`heard_impedance` and rub and buzz take their time to load, by the current of a resonance that rings."""
    sweep, rate = Sweep(20.0, 2_000.0, 0.2, 1.0), 8_000
    volts = sweep.samples(rate, fade_in_s=0.02, fade_out_s=0.01)
    t = np.arange(800) / rate
    ringing = np.convolve(volts, 0.02 * np.exp(-60 * t) * np.sin(2 * np.pi * 90 * t))[: len(volts)]
    current = Capture((0.1 * volts - ringing)[:, None], rate, (Channel(1, role=CURRENT, unit="A"),))
    heard_impedance(current, lambda recorded: (volts, excitation(recorded, volts, sweep, rate)), sweep)
    high_order(volts, sweep, 0.0, rate, (np.array([20.0, 2_000.0]), np.ones(2)))

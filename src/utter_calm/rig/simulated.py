"""The simulated rig: a sound card that does not exist, with a stand-in between its output and its input."""

from __future__ import annotations

import math
import threading
import time
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from utter_calm.errors import DeviceGone, InputError
from utter_calm.quantities import NONE, Conditions, Measured, Value, number_of, value_text
from utter_calm.rig.channel import MICROPHONE, Channel, Correction
from utter_calm.rig.connected import UNITS, normal_of
from utter_calm.rig.protocol import RATES_HZ, DeviceInfo, FloatArray, RecordedBlock, StreamSettings
from utter_calm.rig.rig import Rig
from utter_calm.standins.base import Bench, StandIn
from utter_calm.standins.catalogue import CATALOGUE, SERIES
from utter_calm.standins.converter import ConverterModel, InputConverter, OutputConverter
from utter_calm.standins.leads import IDEAL, USUAL
from utter_calm.standins.path import PathFilter, grid_hz, taps_of

_FIRST = "dome amplifier"
_UNIT_CHANNELS = 2


@dataclass(frozen=True, slots=True)
class Faults:
    """Mishaps to be played, for tests and for practice; frames since the stream was opened."""

    vanish_at_frame: int | None = None
    lose_block_at_frame: int | None = None


class SimulatedDevice:
    """A device with a bench whose unit and load can be switched by the program.

    The unit has two channels: outputs 1 and 2 drive it, inputs 1 and 2 hear it; further outputs end in nothing, further
    inputs hear their own noise.

    Parameters
    ----------
    rig
        The rig it stands for: the stand-in's converters get its full-scale volts, its channels and its pickup.
    faults
        Mishaps to be played.
    seed
        Of all noise; the same seed gives the same recording.
    latency_s
        How late it answers, beyond its converters.
    tells_latency
        Whether its streams know how late they are.
    """

    def __init__(
        self,
        rig: Rig,
        *,
        faults: Faults | None = None,
        seed: int = 1,
        latency_s: float = 0.0,
        tells_latency: bool = True,
    ) -> None:
        self.rig = rig
        self.faults = faults or Faults()
        self.latency_s, self.tells_latency = latency_s, tells_latency
        self._seed = seed
        self._lock = threading.Lock()
        self._unit = _FIRST
        self._load: Value = Measured(8.0, "ohm")
        self._pickup_ratio = rig.pickup_ratio
        self._positions: dict[str, Value] = {}
        self._file: FloatArray | None = None
        self._folder: Path | None = None
        self._changes = 0

    @property
    def info(self) -> DeviceInfo:
        """What it is."""
        outputs, inputs = (max((c.number for c in side), default=0) for side in (self.rig.outputs, self.rig.inputs))
        return DeviceInfo(self.rig.name, True, outputs, inputs, RATES_HZ)

    @property
    def load_ohm(self) -> float:
        """Resistance of the load that is switched on; infinite for none."""
        return number_of(self._load, "ohm") or math.inf

    @property
    def unit(self) -> str:
        """Name of the stand-in that is connected."""
        return self._unit

    @property
    def standing(self) -> Conditions:
        """All that stands on it: unit, load, pickup, what is in the path, and every knob of the unit."""
        with self._lock:
            series = self._positions.get(SERIES, Measured(0.0, "ohm"))
            knobs = tuple((knob, self._positions.get(knob, normal)) for knob, normal in normal_of(self._unit))
            pickup = Measured(self._pickup_ratio, "1")
            return (("unit", self._unit), ("load", self._load), ("pickup", pickup), (SERIES, series), *knobs)

    @property
    def changes(self) -> int:
        """Number of changes at the bench so far: a running stream looks at it to follow them."""
        return self._changes

    @property
    def pickup_ratio(self) -> float:
        """By how much the pickup divides."""
        return self._pickup_ratio

    def can_set(self, factor: str) -> bool:
        """Whether the bench can switch this factor by itself."""
        return factor in ("load", "unit", "pickup") or any(factor in entry.positions for entry in CATALOGUE.values())

    def read(self, factor: str) -> Measured | None:
        """Read back what stands as a number: the load, the pickup, a knob with a unit."""
        value = {"load": self._load, "pickup": Measured(self._pickup_ratio, "1")}.get(factor, self._positions.get(factor))
        return value if isinstance(value, Measured) else None

    def set(self, factor: str, value: Value) -> None:
        """Switch the load (a resistance, or ``"none"``), the unit (one of ``UNITS``), the pickup, or a knob of a unit.

        Raises
        ------
        InputError
            The bench has no such factor or value.
        """
        with self._lock:
            if factor == "load":
                self._switch_load(value)
            elif factor == "unit" and value in CATALOGUE:
                self._unit = str(value)
            elif factor == "pickup":
                ratio = number_of(value, "1")
                if not ratio or not ratio > 0:
                    raise InputError(f"The pickup divides by {value_text(value)}.", hint="Give a number above zero, as in 10.")
                self._pickup_ratio = ratio
            else:
                self._turn(factor, value)
            self._changes += 1

    def lend(self, *, file: FloatArray | None = None, folder: Path | None = None) -> None:
        """Copy a file (n,) onto the unit, as somebody would onto a telephone, and say where what it records is to turn up."""
        with self._lock:
            self._file, self._folder = file, folder

    def _switch_load(self, value: Value) -> None:
        ohm = math.inf if value == NONE else number_of(value, "ohm")
        if ohm is None:
            raise InputError(f"A load of {value_text(value)} is no resistance.", hint="As in 8 ohm, or none.")
        if not ohm > 0:
            raise InputError(f"A load of {value_text(value)} is a short circuit.", hint="Choose a load above 0 ohm.")
        self._load = value

    def _turn(self, factor: str, value: Value) -> None:
        """Set a knob or switch of any unit of the bench; a number is free, a position must be one that it has."""
        known = [entry.positions[factor] for entry in CATALOGUE.values() if factor in entry.positions]
        if not known:
            raise InputError(
                f"The simulated bench has no {factor} “{value_text(value)}”.",
                hint=f"It has the units {', '.join(UNITS)}, a load and a pickup.",
            )
        if not any(value in positions or not positions for positions in known):
            raise InputError(f"The {factor} has no position “{value_text(value)}”.", hint=f"It has: {', '.join(known[0])}.")
        self._positions[factor] = value

    def stand_in(self, rate_hz: int, seed: int) -> StandIn:
        """Make a fresh stand-in for what is connected now."""
        with self._lock:
            leads = USUAL if self.rig.senses_impedance else IDEAL
            bench = Bench(
                rate_hz, self.load_ohm, dict(self._positions), seed, self.rig.sense_ohm, leads, self.rig.sense_side or "low",
                self._file, self._folder,
            )  # fmt: skip
            entry = CATALOGUE[self._unit]
        return entry.make(bench)  # the first of its kind takes its time: whoever switches does not wait for that

    def open(self, settings: StreamSettings) -> SimulatedStream:
        """Open a stream."""
        if settings.rate_hz not in RATES_HZ:
            known = ", ".join(str(rate) for rate in RATES_HZ)
            raise InputError(f"The device has no rate of {settings.rate_hz} Hz.", hint=f"Choose one of {known} Hz.")
        self._seed += 3
        return SimulatedStream(self, settings, self._seed)


def _path(correction: Correction, rate_hz: int) -> PathFilter:
    """The filter of a stated magnitude; its phase is the least that goes with it, as that of real filters is."""
    return PathFilter(taps_of(np.abs(correction.at(grid_hz(rate_hz)))))


def _ratios(channels: tuple[Channel, ...], first: float) -> FloatArray:
    """(2,) full scale of the unit's two channels over that of the first."""
    known = {c.number: c.full_scale / first for c in channels}
    return np.array([known.get(n, 1.0) for n in range(1, _UNIT_CHANNELS + 1)])


class SimulatedStream:
    """A running stream of the simulated device."""

    def __init__(self, device: SimulatedDevice, settings: StreamSettings, seed: int) -> None:
        self.settings = settings
        self._device = device
        rig = device.rig
        self._outputs, self._inputs = device.info.outputs, device.info.inputs
        extra = round(device.latency_s * settings.rate_hz)
        full_scale_v = rig.played[0].full_scale if rig.outputs else 1.0
        model = ConverterModel(full_scale_v, rig.input_full_scale_v)
        # channels that are not as the first: what a sample stands for, over what it stands for there
        self._per_output = _ratios(rig.played, full_scale_v)
        self._per_input = 1 / _ratios(rig.inputs, rig.input_full_scale_v)
        self._late_frames = model.latency_frames + extra
        model = replace(model, latency_frames=self._late_frames)
        self._output = OutputConverter(model, settings.rate_hz, _UNIT_CHANNELS, seed)
        self._input = InputConverter(model, settings.rate_hz, max(_UNIT_CHANNELS, self._inputs), seed + 1)
        self._unit = device.stand_in(settings.rate_hz, seed + 2)
        self._seen_changes = device.changes
        # the simulated rig is as its description says: what is divided out of an input stands before it
        # (but for a microphone, which is part of its stand-in)
        corrected = {k: c.correction for k, c in enumerate(rig.recorded) if c.correction is not None and c.role != MICROPHONE}
        self._paths = {k: _path(correction, settings.rate_hz) for k, correction in corrected.items()}
        self._frame = 0
        self._started: float | None = None
        self._closed = False
        if extra:  # the unit was there before the stream was opened: what comes late is its noise, not nothing
            self._input(self._heard(self._unit.process(self._output(np.zeros((extra, _UNIT_CHANNELS))))))

    @property
    def latency_frames(self) -> int | None:
        """How late the inputs are, where the device is one that tells."""
        return self._late_frames + getattr(self._unit, "late_frames", 0) if self._device.tells_latency else None

    def remember_latency(self, frames: int) -> None:
        """Nothing is noted: what is measured each time is tested each time."""

    def heard_before(self, frames: int) -> FloatArray:
        """(m, inputs) the noise of the unit, which was there before it was asked; empty once a block was played."""
        if self._frame:
            return np.empty((0, self._inputs))
        self._started = time.monotonic()  # of a real device it would be there: no time passes for it
        return self._answer(np.zeros((frames, self._outputs)))[0]

    def exchange(self, samples: FloatArray) -> RecordedBlock:
        """Play a block (n, outputs) and give what the inputs heard meanwhile, (n, inputs)."""
        if self._closed:
            raise DeviceGone("The stream was closed.", hint="Open the device again.")
        if self._started is None:  # a block is heard when it was played, the first one as well
            self._started = time.monotonic() - self._frame / self.settings.rate_hz
        first, faults = self._frame, self._device.faults
        self._frame += len(samples)
        if faults.vanish_at_frame is not None and self._frame > faults.vanish_at_frame:
            self._closed = True
            raise DeviceGone(
                "The device vanished while it was playing; its outputs are silent.",
                hint="Check its cable and power, then take the step again. Finished takes are safe.",
            )
        if self._seen_changes != self._device.changes:
            self._seen_changes = self._device.changes
            self._unit = self._device.stand_in(self.settings.rate_hz, self._seen_changes)
        heard, overload = self._answer(samples)
        self._keep_pace()
        lose = faults.lose_block_at_frame
        if lose is not None and first <= lose < self._frame:
            return RecordedBlock(self._frame, np.empty((0, self._inputs)), overload, lost_frames=len(samples))
        return RecordedBlock(first, heard, overload)

    def hush(self) -> bool:
        """Nothing is on its way that could be held back."""
        return False

    def close(self) -> None:
        """Let the bench go."""
        self._closed = True

    def _answer(self, samples: FloatArray) -> tuple[FloatArray, tuple[bool, ...]]:
        """What the inputs hear of samples (n, outputs), and which of them touched full scale."""
        # each channel in one piece, here and in all that follows: a filter need not sort them apart
        driven = np.zeros((len(samples), _UNIT_CHANNELS), order="F")
        driven[:, : min(self._outputs, _UNIT_CHANNELS)] = samples[:, :_UNIT_CHANNELS]
        volts = self._output(driven) * self._per_output
        heard, overload = self._input(self._heard(self._unit.process(volts)))
        return heard[:, : self._inputs], overload[: self._inputs]

    def _heard(self, volts: FloatArray) -> FloatArray:
        """(n, inputs) volts at the input connectors; inputs beyond those of the unit are open."""
        volts = volts / self._device.pickup_ratio
        if self._inputs > _UNIT_CHANNELS:
            volts = np.concatenate([volts, np.zeros((len(volts), self._inputs - _UNIT_CHANNELS))], axis=1)
        for column, path in self._paths.items():
            volts[:, column] = path(volts[:, column])
        volts[:, :_UNIT_CHANNELS] *= self._per_input
        return volts

    def _keep_pace(self) -> None:
        if not self.settings.paced or self._started is None:
            return
        ahead = self._started + self._frame / self.settings.rate_hz - time.monotonic()
        if ahead > 0:
            time.sleep(ahead)
        elif ahead < -0.5:  # the machine was busy: do not rush to catch up, a sound card would have lost blocks
            self._started = None

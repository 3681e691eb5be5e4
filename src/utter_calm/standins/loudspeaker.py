"""Loudspeakers in a lobby before a microphone: drivers in boxes, their baffles, directivity, break-up and faults.

The first column is the microphone's volts, the second those across the resistor that the loudspeaker's current flows through.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from utter_calm.quantities import Measured, Value, number_of
from utter_calm.standins import lobby as room
from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.driver import SUBWOOFER, SURROUND, TWEETER, DriverModel, circuit_of
from utter_calm.standins.linear import ComplexArray, LinearCircuit
from utter_calm.standins.microphone import SENSITIVITY, noise_of, response_of
from utter_calm.standins.noise import NoiseSource
from utter_calm.standins.path import PathFilter

DENSITY = 1.2041
SEATS = {"seat 1": (3.0, 1.2, 0.1), "seat 2": (3.4, 1.15, 0.35), "seat 3": (2.8, 1.2, -0.3), "seat 4": (4.1, 1.25, 0.2)}
"""Distance, height and angle of the seats that stand about."""
ON_AXIS = "before it"
KNOBS = {"situation": room.SITUATIONS, "distance": (), "height": (), "microphone height": (), "angle": (),
         "position": tuple(SEATS)}
NORMAL: dict[str, Value] = {"distance": Measured(1.0, "m"), "height": Measured(1.2, "m"), "microphone height": Measured(1.2, "m"),
          "angle": Measured(0.0, "rad"), "position": ON_AXIS}
_AHEAD, _TAPS_S, _TO_PART, _ROOM_NOISE_PA = 96, 0.34, 0.46, 20e-6 * 10 ** (38 / 20)


@dataclass(frozen=True, slots=True)
class LoudspeakerModel:
    """One way of a loudspeaker in its box.

    Parameters
    ----------
    driver
        In its box.
    baffle_m
        Width: decides the baffle step, and from where on sound keeps to the front.
    modes
        Hz, Q and height in dB of the cone's break-up.
    bends_m
        Excursion at which the motor has lost a tenth, and the part that is uneven.
    rubs_m
        Excursion from which the coil scrapes; None where it does not.
    port_m
        Radius of the port's mouth.
    lift_hz
        From where to where the cone's middle takes over, which is lighter.
    band_hz
        What a crossover of fourth order leaves of it: from, to; 0 and infinity for all.
    """

    driver: DriverModel
    baffle_m: float = 0.22
    modes: tuple[tuple[float, float, float], ...] = ()
    bends_m: float = 6e-3
    uneven: float = 0.3
    rubs_m: float | None = None
    port_m: float = 0.025
    band_hz: tuple[float, float] = (0.0, math.inf)
    lift_hz: tuple[float, float] = (1100.0, 2900.0)
    more: tuple[LoudspeakerModel, ...] = field(default=())


def _closed(driver: DriverModel, litres: float) -> DriverModel:
    return replace(driver, air=DENSITY * room.SPEED**2 * driver.sd**2 / (1e-3 * litres), creep=0.0)


def _vented(driver: DriverModel, litres: float, hertz: float, q: float = 40.0, leak: float = 9.0) -> DriverModel:
    stiff = DENSITY * room.SPEED**2 * driver.sd**2 / (1e-3 * litres) * driver.cms
    return replace(driver, vent=(hertz, q, stiff), leak_q=leak, creep=0.0)


CEILING = LoudspeakerModel(_closed(SURROUND, 9.0), baffle_m=0.3, modes=((3400.0, 11.0, 4.5), (7800.0, 7.0, 3.0)))
RUBBING = replace(CEILING, rubs_m=0.35e-3)
GUIDE = LoudspeakerModel(
    _closed(replace(SURROUND, sd=0.0028, mms=2.1e-3, cms=0.42e-3, bl=2.6, re=3.6, rms=0.35), 0.6), baffle_m=0.08,
    modes=((5600.0, 9.0, 5.0),), bends_m=1.2e-3,
)  # fmt: skip
SUB = LoudspeakerModel(_vented(SUBWOOFER, 75.0, 31.0), baffle_m=0.45, port_m=0.05, bends_m=9e-3)
WEDGE = LoudspeakerModel(
    _vented(replace(SURROUND, sd=0.0219, mms=0.0232, bl=9.1, cms=0.5e-3), 24.0, 52.0), baffle_m=0.34, port_m=0.035,
    modes=((1650.0, 9.0, 4.0),), band_hz=(0.0, 2200.0),
    more=(LoudspeakerModel(replace(TWEETER, creep=0.0), baffle_m=0.34, band_hz=(2200.0, math.inf), lift_hz=(9e3, 1.4e4)),),
)  # fmt: skip


def radius_of(model: LoudspeakerModel) -> float:
    """Of the cone, in m."""
    return math.sqrt(model.driver.sd / math.pi)


def crossed_over(f: FloatArray, band_hz: tuple[float, float]) -> ComplexArray:
    """Response (n,) of a crossover of fourth order (Linkwitz and Riley)."""
    out = np.ones(len(f), dtype=complex)
    low, high = band_hz
    for corner, rises in ((low, True), (high, False)):
        if corner and math.isfinite(corner):
            s = 1j * f / corner
            second = (s**2 if rises else 1.0) / (s**2 + math.sqrt(2) * s + 1)
            out = out * second**2
    return out


def set_out(model: LoudspeakerModel, f: FloatArray, angle_rad: float) -> ComplexArray:
    """What leaves a cone at an angle (n,), re its acceleration as in a wall: step of the baffle, beam of the cone, its modes."""
    turn = 1j * f / (115 / (model.baffle_m * math.sqrt(2)))
    step = 0.5 * (1 + turn) / (1 + turn / 2)
    front = (1 + math.cos(angle_rad)) / 2
    turned = 1j * f / (room.SPEED / (math.pi * model.baffle_m))
    shade = (1 + (0.06 + 0.94 * front) * turned) / (1 + turned)
    x = 2 * np.pi * f / room.SPEED * radius_of(model) * abs(math.sin(angle_rad))
    beam = (1 + (x / 1.8) ** 2) ** -0.75  # a piston's, without its zeros: cones are soft
    lift = (1 + 1j * f / model.lift_hz[0]) / (1 + 1j * f / model.lift_hz[1])
    out = step * shade * beam * lift
    for hertz, q, db in model.modes:
        s, gain = 1j * f / hertz, 10 ** (db / 20)
        out = out * (s**2 + gain * s / q + 1) / (s**2 + s / q + 1)
    return np.asarray(out * crossed_over(f, model.band_hz))


def heard_at(
    model: LoudspeakerModel, f: FloatArray, situation: str, distance_m: float, height_m: float, angle_rad: float,
    microphone_m: float | None = None,
) -> tuple[ComplexArray, ComplexArray]:  # fmt: skip
    """Pascal per m/s2 of the cone and per m/s2 of the port's air (as of the cone's area), (n,) each, direct sound at its travel."""
    driver, a = model.driver, radius_of(model)
    if situation == room.AT_CONE:
        close = _complex(DENSITY * a / (1 + 0.4j * f / (room.SPEED / (2 * math.pi * a))) * crossed_over(f, model.band_hz))
        return close, _complex(0.02 * close)
    if situation == room.IN_PORT:
        mouth = _complex(DENSITY * driver.sd / (math.pi * model.port_m) * np.ones(len(f)))
        return _complex(0.01 * mouth), -mouth
    if situation == room.IN_WALL:
        model = replace(model, baffle_m=1e3)
    if situation in (room.FREE_FIELD, room.IN_WALL):
        paths: tuple[room.Path, ...] = (room.Path(distance_m, 1.0, abs(angle_rad)),)
    elif situation == room.ON_FLOOR:
        paths = (room.Path(distance_m, 2.0, abs(angle_rad)),)
    else:
        paths = room.Lobby().paths(distance_m, height_m, angle_rad, microphone_m)
    total = np.zeros(len(f), dtype=complex)
    for path in paths:
        soft = (1 / (1 + 1j * f / 14_000.0)) ** path.bounces
        away = np.exp(-2j * np.pi * f * path.length_m / room.SPEED) / path.length_m
        total += path.left * soft * away * set_out(model, f, path.angle_rad)
    whole = _complex(DENSITY * driver.sd / (2 * math.pi) * total)
    return whole, -whole


def _complex(values: FloatArray | ComplexArray) -> ComplexArray:
    return np.asarray(values, dtype=np.complex128)


@lru_cache(maxsize=16)
def _paths(model: LoudspeakerModel, where: tuple[str, float, float, float, float], rate_hz: int) -> tuple[PathFilter, PathFilter]:
    """From speed of cone and port to volts of the microphone, at rest: kept.

    Take after take nothing of it moves, and somebody waits for the sound.
    """
    taps = 1 << math.ceil(math.log2(_TAPS_S * rate_hz))
    f: FloatArray = np.asarray(np.fft.rfftfreq(taps, 1 / rate_hz), dtype=np.float64)
    cone, port = heard_at(model, f, *where)
    if where[0] == room.LOBBY:
        late = np.fft.rfft(room.late_tail(taps // 2, rate_hz, where[1:4]), taps) * (DENSITY * model.driver.sd / (2 * math.pi))
        cone, port = cone + late * set_out(model, f, 1.2), port - late
    # speed to acceleration; close to half the rate nothing is left of it, and all that is heard is heard by the microphone
    part = np.clip((f / rate_hz - _TO_PART) / (0.5 - _TO_PART), 0, 1)
    soft = np.where(f < _TO_PART * rate_hz, 1.0, np.cos(np.pi / 2 * part) ** 2)
    # a sharp end of the band rings before as well: there must be room for that
    common = 2j * np.pi * f * soft * SENSITIVITY * response_of(f) * np.exp(-2j * np.pi * f * _AHEAD / rate_hz)
    to_cone, to_port = (PathFilter(np.fft.irfft(common * one, taps)) for one in (cone, port))
    return to_cone, to_port


@lru_cache(maxsize=32)
def _at_rest(model: DriverModel, sense_ohm: float, state: str, rate_hz: int) -> LinearCircuit:
    return circuit_of(model, sense_ohm).answer(state, rate_hz)


class _Way:
    """One driver: from volts to pascal at the microphone and to its current; carries its state to the next block."""

    def __init__(self, model: LoudspeakerModel, bench: Bench) -> None:
        rate, driver = bench.rate_hz, model.driver
        self._model, self._rng = model, np.random.default_rng(bench.seed)
        self._current, self._speed, self._moved = (_at_rest(driver, bench.sense_ohm, state, rate).another() for state in "iux")
        self._port = _at_rest(driver, bench.sense_ohm, "uv", rate).another() if driver.vent else None
        to_cone, to_port = _paths(model, _where(bench), rate)
        self._to_cone = to_cone.another()
        self._to_port = to_port.another() if self._port is not None else None

    def process(self, volts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Give the microphone's volts and the amperes (n,) of a block of the source."""
        _, amperes = self._current.process(volts)
        _, speed = self._speed.process(volts)
        _, x = self._moved.process(volts)
        out = x / self._model.bends_m
        speed = speed * (1 - 0.1 * self._model.uneven * out - 0.1 * out**2)
        heard = self._to_cone(speed)
        if self._port is not None and self._to_port is not None:
            heard = heard + self._to_port(self._port.process(volts)[1])
        if self._model.rubs_m is not None:
            over = np.maximum(np.abs(x) / self._model.rubs_m - 1, 0)
            heard = heard + SENSITIVITY * 0.05 * np.minimum(over, 1) * np.diff(self._rng.standard_normal(len(x) + 1))
        return heard, amperes


class Loudspeaker:
    """A loudspeaker of one way or more, the room's and the microphone's noise with it."""

    late_frames = LinearCircuit.late_frames + _AHEAD

    def __init__(self, model: LoudspeakerModel, bench: Bench) -> None:
        self._ways = [_Way(one, bench) for one in (model, *model.more)]
        self._sense, self._flowing = bench.sense_ohm, np.zeros(_AHEAD)
        self._own = noise_of(bench.rate_hz, bench.seed + 1)
        self._room = NoiseSource(bench.seed + 2, 1, 1.0)
        self._room_before, self._rate = 0.0, bench.rate_hz

    def process(self, volts: FloatArray) -> FloatArray:
        """Volts of the microphone and across the resistor, both (n, 2), of a block of the source."""
        from scipy.signal import lfilter  # noqa: PLC0415 - heavy: not before the first sound

        source = np.ascontiguousarray(volts[:, 0])
        both = [way.process(source) for way in self._ways]
        keep = math.exp(-2 * math.pi * 120.0 / self._rate)
        rumble, state = lfilter([1 - keep], [1, -keep], self._room.take(len(source))[:, 0], zi=[self._room_before])
        self._room_before = float(state[0])
        pascal = _ROOM_NOISE_PA * rumble / math.sqrt((1 - keep) / (1 + keep)) + self._own.take(len(source))[:, 0]
        heard = sum(h for h, _ in both) + SENSITIVITY * pascal
        # a loudspeaker of several ways has its amplifiers built in: no current comes out of the rig
        amperes = both[0][1] if len(both) == 1 else np.zeros(len(source))
        whole = np.concatenate([self._flowing, amperes])
        self._flowing = whole[len(amperes) :]
        return np.stack([heard, self._sense * whole[: len(amperes)]], axis=1)


def _where(bench: Bench) -> tuple[str, float, float, float, float]:
    """Situation, distance, height, angle (rad) and the microphone's height as they stand."""
    seat = SEATS.get(bench.position("position", ON_AXIS))
    if seat is not None:
        return (room.LOBBY, *seat, seat[1])
    distance, height, microphone, angle = (
        number_of(bench.positions.get(knob, NORMAL[knob]), unit)
        for knob, unit in (("distance", "m"), ("height", "m"), ("microphone height", "m"), ("angle", "rad"))
    )
    height = height or 1.2
    return bench.position("situation", room.LOBBY), max(distance or 1.0, 0.05), height, angle or 0.0, microphone or height

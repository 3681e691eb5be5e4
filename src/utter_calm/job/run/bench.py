"""The bench of a run: the device, the instruments that can be set, and how everything stands."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field

from utter_calm.errors import InputError
from utter_calm.job.bench import LEFT_OUT, OF_THE_RIG, PICKUP_FACTOR, PLACE, POSITION, SITUATION, UNIT_FACTOR, BenchState, relevant
from utter_calm.job.document import FLOOR, LOAD, Cell, JobDocument
from utter_calm.quantities import Conditions, Measured, Value
from utter_calm.rig import (
    BARE_LEADS,
    CALIBRATOR,
    UNITS,
    Device,
    Instrument,
    Rig,
    SimulatedDevice,
    SoundAddress,
    SoundDevice,
    lacks,
)
from utter_calm.rig.bench.control import BenchControl

_CHANGE_COST = {UNIT_FACTOR: 5.0, PICKUP_FACTOR: 3.0}
_BY_ITSELF = 0.05
_FIRST_LOAD = Measured(8.0, "ohm")
_SETTLED_S = 0.5


@dataclass(slots=True)
class Bench:
    """The device, what can be switched on it, and how it stands now."""

    device: Device
    control: Instrument | None = None
    noted: Conditions = ()
    """What was said, or set by the program."""
    last_unit: str = ""
    """What stood there last, apart from the bench's own cable, calibrator and leads."""
    named: dict[str, tuple[Value, Value | None]] = field(default_factory=dict)
    """What a hand calls a position that a simulated device has under another name, and which: as a part by its label."""
    moved_at: float = field(default_factory=time.monotonic)

    def still(self) -> bool:
        """Whether nothing has moved for so long that what was heard last is what stands now, and no relay clicks in it."""
        return time.monotonic() - self.moved_at > _SETTLED_S

    @property
    def standing(self) -> Conditions:
        """All that is known of how it stands: what a simulated device has, and what was said or set otherwise."""
        if not isinstance(self.device, SimulatedDevice):
            return self.noted
        own = dict(self.device.standing)
        own |= {f: called for f, (called, position) in self.named.items() if f in own and own[f] == position}
        elsewhere = self.control.sets if isinstance(self.control, BenchControl) else lambda _factor: False
        return tuple((own | {f: v for f, v in self.noted if f not in own or elsewhere(f)}).items())

    def state(self, words: str = "") -> BenchState:
        """What stands there now, as one value; ``words`` are how the unit's switches were noted."""
        return BenchState(relevant(self.standing), words)

    def value(self, factor: str) -> Value | None:
        """How a factor stands, as far as is known."""
        return dict(self.standing).get(factor)

    def have(self, rig: Rig) -> None:
        """Have the device of the rig of the plan that runs: volts are right, and ceilings hold, by that one only."""
        if rig.sound is not None:
            self._have_sound(rig, rig.sound)
        elif isinstance(self.device, SimulatedDevice):
            self.device.rig = rig
        else:
            self._leave(SimulatedDevice(rig))
        self._have_instruments(rig)

    def _have_instruments(self, rig: Rig) -> None:
        """Have what sets conditions: the rig's instruments, and what the simulated device switches by itself."""
        own = self.control.instruments if isinstance(self.control, BenchControl) else ()
        if own == rig.instruments:
            return
        if isinstance(self.control, BenchControl):
            self.control.close()
        by_itself = self.device if isinstance(self.device, SimulatedDevice) else None
        self.control = BenchControl(rig.instruments, by_itself) if rig.instruments else by_itself

    def _have_sound(self, rig: Rig, address: SoundAddress) -> None:
        outputs, inputs = (max((c.number for c in side), default=0) for side in (rig.outputs, rig.inputs))
        wanted = SoundDevice(address, outputs=outputs, inputs=inputs)
        if not isinstance(self.device, SoundDevice) or (self.device.address, self.device.info) != (address, wanted.info):
            self._leave(wanted)

    def _leave(self, device: Device) -> None:
        """Go over to another device: how its bench stands nobody knows."""
        if isinstance(self.device, SoundDevice):
            self.device.let_go()
        if isinstance(self.control, BenchControl):
            self.control.close()
        self.device, self.noted, self.last_unit, self.moved_at = device, (), "", time.monotonic()
        self.named.clear()
        self.control = device if isinstance(device, SimulatedDevice) else None

    def get_ready(self, rate_hz: int) -> None:
        """Have a stand-in ready: the first of its kind takes its time to be made. A sound device is left alone until it is used."""
        if isinstance(self.device, SimulatedDevice):
            self.device.stand_in(rate_hz, 1)

    def close(self) -> None:
        """Let its instruments go, quiet, and the device; whoever measures on it again has them anew."""
        if isinstance(self.control, BenchControl):
            self.control.close()
        if isinstance(self.device, SoundDevice):
            self.device.let_go()

    def can_set(self, factor: str) -> bool:
        """Whether the bench can set a factor by itself."""
        return self.control is not None and self.control.can_set(factor)

    def price(self, document: JobDocument, factor: str) -> float:
        """What a change of a factor costs: little where no hand must move."""
        known = (plan.factor(factor) for plan in document.plans)
        cost = next((f.cost for f in known if f is not None), _CHANGE_COST.get(factor, 1.0))
        return cost * (_BY_ITSELF if self.can_set(factor) else 1.0)

    def note(self, factor: str, value: Value) -> None:
        """Remember that a factor was set; of the knobs and the place of a unit that was not there nobody knows anything."""
        if factor == UNIT_FACTOR and value == CALIBRATOR:
            self._forget(lambda f: f in PLACE)
        elif factor == UNIT_FACTOR and value not in (LEFT_OUT, BARE_LEADS):
            if self.last_unit not in ("", value):
                self._forget(lambda f: f not in OF_THE_RIG)
            self.last_unit = str(value)
        elif factor in (SITUATION, POSITION) and self.value(factor) not in (None, value):
            self._forget(lambda f: f in PLACE)  # the microphone was carried elsewhere
        self.noted = (*((f, v) for f, v in self.noted if f != factor), (factor, value))
        if isinstance(self.device, SimulatedDevice) and lacks(self.device.unit, factor, value):
            self.named[factor] = (value, dict(self.device.standing).get(factor))
        self.moved_at = time.monotonic()

    def _forget(self, which: Callable[[str], bool]) -> None:
        self.noted = tuple((f, v) for f, v in self.noted if not which(f))


def refuse_impossible(document: JobDocument, cell: Cell, bench: Bench) -> None:
    """Refuse a cell that the bench cannot have before anything is played.

    Raises
    ------
    InputError
        A real unit on a simulated rig, a stand-in that is not there, or one without that knob or position.
    """
    if cell.role == FLOOR or document.step(cell.step).deduction is not None or not bench.device.info.simulated:
        return
    unit, plan = document.unit(cell.unit), document.plan_of(cell.step)
    if not unit.stand_in:
        raise InputError(
            f"“{unit.title}” is a real unit, and this rig is simulated.", hint="Choose a stand-in for it (Alt+3, “Behind it”)."
        )
    if unit.stand_in not in UNITS:
        raise InputError(f"There is no stand-in “{unit.stand_in}”.", hint=f"There is: {', '.join(UNITS)}.")
    for name, value in cell.setup.conditions:
        factor = plan.factor(name)
        if bench.value(name) == value:
            continue  # it stands so already
        why = "" if factor is not None and factor.by_program else lacks(unit.stand_in, name, value)
        if why:
            raise InputError(
                f"“{unit.title}” cannot be set so: {why}.", hint="Change the condition, or what stands behind the unit."
            )


def simulated_bench(rig: Rig, *, seed: int = 1, unit: str = UNITS[0], load: Value = _FIRST_LOAD) -> Bench:
    """Give the simulated device with a stand-in (the dome amplifier unless said otherwise) connected to a load (8 ohm)."""
    device = SimulatedDevice(rig, seed=seed)
    device.set(UNIT_FACTOR, unit)
    device.set(LOAD, load)
    return Bench(device, device, ((PICKUP_FACTOR, Measured(rig.pickup_ratio, "1")), (UNIT_FACTOR, unit), (LOAD, load)), unit)


def bench_for(document: JobDocument, unit_id: str) -> Bench:
    """Give the device of a unit's rig; a simulated one with the unit connected, under the first load of its plan."""
    unit = document.unit(unit_id)
    plan = document.plan(unit.plan)
    load = plan.factor(LOAD)
    bench = simulated_bench(
        plan.rig, unit=unit.stand_in if unit.stand_in in UNITS else UNITS[0], load=load.values[0] if load else _FIRST_LOAD
    )
    bench.have(plan.rig)
    return bench

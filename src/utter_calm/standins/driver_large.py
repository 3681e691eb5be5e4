"""Drivers whose suspension stiffens the farther the cone moves: their resonance depends on the level."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.driver import FREE, DriverModel, circuit_of
from utter_calm.standins.linear import LinearCircuit
from utter_calm.standins.sensing import Sensing

_PIECE_S, _MOST_TURNS = 0.01, 40
_CLOSE, _NOTHING = 1e-7, 1e-8


class _StiffeningCurrent:
    """Current of a driver of stiffness ``(1 + (x / doubles_m)^2) / Cms``; carries its state to the next block.

    What the suspension pulls beyond its small-signal force is one more source of the linear circuit. Within pieces much shorter
    than a period the excursion and that force are found in turn, each from the other, until neither moves (Picard).
    """

    late_frames = LinearCircuit.late_frames

    def __init__(self, model: DriverModel, bench: Bench, doubles_m: float) -> None:
        circuit = circuit_of(model, bench.sense_ohm)
        pull = replace(circuit, b=np.eye(len(circuit.b))[circuit.at["u"]] / model.mms)
        rate_hz = bench.rate_hz
        self._by_volts, self._moves = circuit.answer("i", rate_hz), circuit.answer("x", rate_hz)
        self._by_force, self._pulled = pull.answer("i", rate_hz), pull.answer("x", rate_hz)
        self._stiff, self._square = 1 / model.cms, doubles_m**2
        self._piece = max(64, round(_PIECE_S * rate_hz))

    def process(self, volts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Give a block of the source (n,) as late as the current, and the current, (n,) each."""
        moves = self._moves.at_once(volts)
        force = np.concatenate([
            self._force(moves[at : at + self._piece]) for at in range(0, len(volts), self._piece)
        ] or [volts])  # fmt: skip
        late, amperes = self._by_volts.process(volts)
        return late, amperes + self._by_force.process(force)[1]

    def _force(self, moves: FloatArray) -> FloatArray:
        """What the suspension pulls (n,) where the cone would move so (n,) without that."""
        force = np.zeros(len(moves))
        for _ in range(_MOST_TURNS):
            x = moves + self._pulled.at_once(force, keep=False)
            pulled = -self._stiff * x**3 / self._square
            moved = float(np.max(np.abs(pulled - force), initial=0.0))
            force = pulled
            if moved <= _CLOSE * float(np.max(np.abs(force), initial=0.0)) + _NOTHING:
                break
        self._pulled.at_once(force)
        return force


def stiffening(model: DriverModel, bench: Bench, *, doubles_m: float) -> Sensing:
    """A driver whose suspension is twice as stiff where the cone is out by ``doubles_m``."""
    leads, still = bench.leads, model.in_state(bench.position("state", FREE))
    longer = replace(still, leads_ohm=still.leads_ohm + leads.ohm, le=still.le + leads.henry)
    return Sensing(_StiffeningCurrent(longer, bench, doubles_m), bench)

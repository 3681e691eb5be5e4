"""A linear circuit that is run sample by sample, right up to nearly half the rate."""

from __future__ import annotations

from copy import copy
from typing import Self

import numpy as np
import numpy.typing as npt

from utter_calm.standins.base import FloatArray

Matrix = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_SIDE = 20
_FROM, _TO = 1e-3, 0.46
_PLACES = 500
_LOW, _AT_ZERO = 0.02, 1e6


class LinearCircuit:
    """``x' = A x + B v``, ``y = C x``: what one source makes flow, by filters of second order side by side.

    Between samples the source goes straight (first-order hold; Franklin, Powell and Workman); what that makes of high frequencies
    is put right by a short filter, with which it all comes some samples late.

    Parameters
    ----------
    a, b, c
        (n, n), (n,) and (n,); A is stable and has no repeated eigenvalues.
    rate_hz
        Samples per second.
    """

    late_frames = _SIDE

    def __init__(self, a: Matrix, b: FloatArray, c: FloatArray, rate_hz: float) -> None:
        from scipy.linalg import expm  # noqa: PLC0415 - heavy: not before the first sound

        n = len(a)
        # the source's slope is one more state, the source itself another
        whole = np.zeros((n + 2, n + 2))
        whole[:n, :n], whole[:n, n], whole[n, n + 1] = a / rate_hz, b / rate_hz, 1.0
        step = expm(whole)
        phi, first, second = step[:n, :n], step[:n, n], step[:n, n + 1]
        values, vectors = np.linalg.eig(phi)
        weights = (c @ vectors) * np.linalg.solve(vectors, (first + phi @ second - second).astype(complex))
        self._held = float(c @ second)
        self._sections: list[tuple[FloatArray, FloatArray, FloatArray]] = []
        for pole, w in zip(values.tolist(), weights.tolist(), strict=True):
            if pole.imag > 1e-14:
                top, bottom = (0.0, 2 * w.real, -2 * (w * pole.conjugate()).real), (1.0, -2 * pole.real, abs(pole) ** 2)
            elif pole.imag > -1e-14:
                top, bottom = (0.0, w.real, 0.0), (1.0, -pole.real, 0.0)
            else:
                continue  # with its conjugate already
            self._sections.append((np.array(top), np.array(bottom), np.zeros(2)))
        turn = np.linspace(_FROM, _TO * 2 * np.pi, _PLACES)  # at zero itself a capacitor lets nothing through, right or not
        run = (weights / (np.exp(1j * turn)[:, None] - values)).sum(axis=1) + self._held
        each = 1j * turn[:, None, None] * rate_hz * np.eye(n) - a
        true = np.linalg.solve(each, np.broadcast_to(b[:, None], (len(turn), n, 1)).astype(complex))[:, :, 0] @ c
        self._taps = _correcting(turn, true / run)
        self._before, self._waiting = np.zeros(2 * _SIDE), np.zeros(_SIDE)

    def another(self) -> Self:
        """One more of it, which begins as this one stands: worked out once, it goes many ways."""
        made = copy(self)  # states are replaced, never written into
        made._sections = list(self._sections)  # noqa: SLF001 - its own kind
        return made

    def process(self, volts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Run a block of the source (n,); give the source as late as the answer, and the answer, (n,) each."""
        whole = np.concatenate([self._before, self.at_once(volts)])
        self._before = whole[len(volts) :]
        late = np.concatenate([self._waiting, volts])
        self._waiting = late[len(volts) :]
        return late[: len(volts)], np.convolve(whole, self._taps, mode="valid")

    def at_once(self, source: FloatArray, *, keep: bool = True) -> FloatArray:
        """The answer (n,) not late at all, right well below the rate; only tried, and forgotten, unless it is to be kept."""
        from scipy.signal import lfilter  # noqa: PLC0415 - heavy: not before the first sound

        run = source * self._held
        for k, (top, bottom, state) in enumerate(self._sections):
            more, after = lfilter(top, bottom, source, zi=state)
            if keep:
                self._sections[k] = top, bottom, after
            run += more
        return run


def _correcting(w: FloatArray, wanted: ComplexArray) -> FloatArray:
    """Taps (2 k + 1,) whose response, but for a delay of k samples, is nearest to what is wanted; at the lowest place exactly."""
    turn = np.exp(-1j * np.multiply.outer(w, np.arange(-_SIDE, _SIDE + 1)))
    weight = 1 / (_LOW + w)  # what is low matters most: there drivers resonate
    weight[0] = _AT_ZERO
    columns = np.concatenate([turn.real, turn.imag]) * np.tile(weight, 2)[:, None]
    right = np.concatenate([wanted.real, wanted.imag]) * np.tile(weight, 2)
    return np.asarray(np.linalg.lstsq(columns, right, rcond=1e-9)[0])

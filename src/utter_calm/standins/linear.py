"""A linear circuit that is run sample by sample, right up to nearly half the rate."""

from __future__ import annotations

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
    """``x' = A x + B v``, ``y = C x + D v`` for one source and m outputs, its modes side by side as filters of second order.

    Between samples the source goes straight (first-order hold; Franklin, Powell and Workman); what that makes of high frequencies
    is put right by a short filter for each output, with which all comes some samples late.

    Parameters
    ----------
    a, b, c, d
        (n, n), (n,), (m, n) and (m,); A is stable and has no repeated eigenvalues.
    rate_hz
        Samples per second.
    """

    def __init__(self, a: Matrix, b: FloatArray, c: Matrix, d: FloatArray, rate_hz: float) -> None:
        from scipy.linalg import expm  # noqa: PLC0415 - heavy: not before the first sound

        n = len(a)
        # the source's slope is one more state, the source itself another
        whole = np.zeros((n + 2, n + 2))
        whole[:n, :n], whole[:n, n], whole[n, n + 1] = a / rate_hz, b / rate_hz, 1.0
        step = expm(whole)
        phi, first, second = step[:n, :n], step[:n, n], step[:n, n + 1]
        values, vectors = np.linalg.eig(phi)
        into = np.linalg.solve(vectors, (first + phi @ second - second).astype(complex))
        self._d, self._held = np.asarray(d), np.asarray(c @ second)
        self._sections: list[tuple[Matrix, list[FloatArray]]] = []
        for k, pole in enumerate(values):
            weights = (c @ vectors[:, k]) * into[k]
            if pole.imag > 1e-14:
                rows = [[0.0, 2 * w.real, -2 * (w * np.conj(pole)).real, 1.0, -2 * pole.real, abs(pole) ** 2] for w in weights]
            elif pole.imag > -1e-14:
                rows = [[0.0, w.real, 0.0, 1.0, -pole.real, 0.0] for w in weights]
            else:
                continue  # with its conjugate already
            self._sections.append((np.array(rows), [np.zeros((1, 2)) for _ in rows]))
        w = np.linspace(_FROM, _TO * 2 * np.pi, _PLACES)  # at zero itself a capacitor lets nothing through, right or not
        z = np.exp(1j * w)
        run = (c @ vectors) @ (into[:, None] / (z[None, :] - values[:, None])) + self._held[:, None]
        true = np.stack([c @ np.linalg.solve(1j * f * rate_hz * np.eye(n) - a, b) for f in w], axis=1)
        self._taps = [_correcting(w, t / r) for t, r in zip(true, run, strict=True)]
        self._before = np.zeros((2 * _SIDE, len(c)))
        self._waiting = np.zeros(_SIDE)

    def process(self, volts: FloatArray) -> FloatArray:
        """Run a block of the source (n,); give the outputs (n, m)."""
        from scipy.signal import sosfilt  # noqa: PLC0415 - heavy: not before the first sound

        run = np.multiply.outer(volts, self._held)
        for rows, states in self._sections:
            for column, (row, state) in enumerate(zip(rows, states, strict=True)):
                more, states[column] = sosfilt(row[None, :], volts, zi=state)
                run[:, column] += more
        whole = np.concatenate([self._before, run])
        self._before = whole[len(volts) :]
        late = np.concatenate([self._waiting, volts])
        self._waiting = late[len(volts) :]
        out = np.multiply.outer(late[: len(volts)], self._d)
        for column, taps in enumerate(self._taps):
            out[:, column] += np.convolve(whole[:, column], taps, mode="valid")
        return np.asarray(out)


def _correcting(w: FloatArray, wanted: ComplexArray) -> FloatArray:
    """Taps (2 k + 1,) whose response, but for a delay of k samples, is nearest to what is wanted; at zero exactly."""
    turn = np.exp(-1j * np.multiply.outer(w, np.arange(-_SIDE, _SIDE + 1)))
    weight = 1 / (_LOW + w)  # what is low matters most: there drivers resonate
    weight[0] = _AT_ZERO
    columns = np.concatenate([turn.real, turn.imag]) * np.tile(weight, 2)[:, None]
    right = np.concatenate([wanted.real, wanted.imag]) * np.tile(weight, 2)
    return np.asarray(np.linalg.lstsq(columns, right, rcond=1e-9)[0])

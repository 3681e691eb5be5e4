"""What rings: poles of an impulse response after the direct sound, by the matrix pencil (Hua and Sarkar 1990), band by band."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

LEAST_Q = 8.0
_FROM_HZ, _TO_HZ, _BANDS_PER_OCTAVE = 100.0, 10_000.0, 3
_BURST_PERIODS, _MOST_PERIODS, _LEAST_PERIODS = 4.0, 45.0, 2.9
_RATE_PER_F, _WITHIN, _FEWEST = 2.0, 0.22, 6
_ORDER_LEAST, _MOST_ORDER, _NOISE_OVER = 2e-3, 10, 4.0
_STANDS_OUT, _FAINT, _SAME, _MOST_Q = 6.0, 0.01, 0.015, 2000.0


@dataclass(frozen=True, slots=True)
class Ringing:
    """A pole: Hz, Q, and its amplitude at the direct sound re the envelope's largest there."""

    frequency_hz: float
    q: float
    amplitude: float


def find_ringing(impulse: FloatArray, rate_hz: float, gate: Gate | None, high_hz: float) -> tuple[Ringing, ...]:
    """Poles with a Q of at least 8, rising in frequency.

    Parameters
    ----------
    impulse
        (k,) the direct sound at sample 0, what comes before at its end.
    gate
        What comes after it is not looked at; None to look at all.
    high_hz
        Where the response ends.
    """
    top = min(_TO_HZ, high_hz)
    found: list[tuple[float, Ringing]] = []
    centres = np.geomspace(_FROM_HZ, top, int(np.log2(top / _FROM_HZ) * _BANDS_PER_OCTAVE) + 1)
    quiet = _quiet(impulse, rate_hz)
    for centre in centres.tolist():
        for one in _in_band(impulse, rate_hz, gate, centre, quiet):
            found.append((abs(np.log(one.frequency_hz / centre)), one))
    out: list[Ringing] = []
    for _, one in sorted(found, key=lambda f: f[0]):  # what lies in the middle of its band counts
        if one.frequency_hz <= top and not any(abs(np.log(one.frequency_hz / o.frequency_hz)) < _apart(one, o) for o in out):
            out.append(one)
    return tuple(sorted(out, key=lambda o: o.frequency_hz))


def _apart(one: Ringing, other: Ringing) -> float:
    return max(_SAME, 0.6 / min(one.q, other.q))


def _quiet(impulse: FloatArray, rate_hz: float) -> float:
    """R.m.s. of the impulse response where nothing stands any more."""
    half = len(impulse) // 2
    late = impulse[max(0, half - round(0.2 * rate_hz)) : half]
    return float(np.sqrt(np.mean(late**2))) if len(late) else 0.0


def _in_band(impulse: FloatArray, rate_hz: float, gate: Gate | None, centre: float, quiet: float) -> list[Ringing]:
    burst = _BURST_PERIODS / centre
    begins = 0.5 * burst + 0.5 / centre
    ends = begins + _MOST_PERIODS / centre
    if gate is not None:
        ends = min(ends, gate.stop_s - 0.5 * burst)
    ends = min(ends, (len(impulse) // 2) / rate_hz - burst)
    if (ends - begins) * centre < _LEAST_PERIODS:
        return []
    step = max(1, int(rate_hz / (_RATE_PER_F * centre)))
    half = round(0.5 * burst * rate_hz)
    shape = np.hanning(2 * half + 1)
    shape /= shape.sum()
    places = np.arange(round(begins * rate_hz), round(ends * rate_hz), step)
    t = np.arange(-half, half + 1)
    turned = shape * np.exp(-2j * np.pi * centre * t / rate_hz)
    windows = impulse[(places[:, None] + t[None, :]) % len(impulse)]
    heard = (windows @ turned) * np.exp(-2j * np.pi * centre * places / rate_hz)
    noise = quiet * float(np.sqrt(np.sum(shape**2)))
    direct = abs(complex(impulse[t % len(impulse)] @ turned))
    loud = np.abs(heard) > _NOISE_OVER * noise
    count = len(heard) if loud.all() else int(np.argmin(loud))
    if count < _FEWEST or direct <= 0:
        return []
    heard, places = heard[:count], places[:count]
    poles = _pencil(heard, noise)
    if not len(poles):
        return []
    powers = poles[None, :] ** np.arange(count)[:, None]
    residue = np.linalg.lstsq(powers, heard, rcond=None)[0]
    rest = float(np.sqrt(np.mean(np.abs(heard - powers @ residue) ** 2)))
    rate = rate_hz / step
    out = []
    for pole, r in zip(poles.tolist(), residue.tolist(), strict=True):
        s = np.log(pole) * rate
        hertz, alpha = centre + s.imag / (2 * np.pi), -s.real
        if not (alpha > 0 and abs(hertz / centre - 1) < _WITHIN):
            continue
        q = np.pi * hertz / alpha
        # the burst weighs what lies beside its middle less
        through = abs(float(np.sum(shape * np.cos(2 * np.pi * (hertz - centre) * t / rate_hz))))
        at_start = abs(r) / max(through, 1e-3)
        amplitude = at_start * np.exp(alpha * places[0] / rate_hz) / direct
        if LEAST_Q <= q <= _MOST_Q and abs(r) > _STANDS_OUT * max(rest, noise) and amplitude > _FAINT:
            out.append(Ringing(float(hertz), float(q), float(amplitude)))
    return out


def _pencil(heard: ComplexArray, noise: float) -> ComplexArray:
    """Poles (per sample) of a sum of decaying exponentials (n,)."""
    n = len(heard)
    columns = n // 2
    hankel = np.lib.stride_tricks.sliding_window_view(heard, columns + 1)
    _, size, right = np.linalg.svd(hankel, full_matrices=False)
    least = max(_ORDER_LEAST * size[0], 2.0 * noise * np.sqrt(n))
    order = min(int(np.count_nonzero(size > least)), _MOST_ORDER, columns - 1)
    if order < 1:
        return np.zeros(0, dtype=complex)
    v = right[:order].T
    return np.asarray(np.linalg.eigvals(np.linalg.lstsq(v[:-1], v[1:], rcond=None)[0]))

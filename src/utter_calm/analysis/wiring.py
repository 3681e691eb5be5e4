"""What half a second of quiet tones tells about leads: which output arrives at which input, how loud, and which way round."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum

_LONGEST_DELAY_S = 0.2
_HUM_HZ = (50.0, 60.0)
_SURE = 0.85
"""How well tones must agree on a sign: a tone control or a corner in the band turns some of them by a quarter."""


@dataclass(frozen=True, slots=True, eq=False)
class WiringAnalysis:
    """Paths from outputs to inputs.

    Parameters
    ----------
    gain
        (inputs, outputs) r.m.s. ratio of what arrives to what was sent.
    polarity
        (inputs, outputs) 1 or -1: the way round, the delay taken off; 0 where nothing arrives, or where the phases that the
        unit itself gives leave both possible.
    opposed
        Whether the second channel is the other way round than the first; whatever both do to phases is no part of it.
    delay_s
        (inputs, outputs) delay.
    hum
        (inputs,) r.m.s. of mains lines up to 1 kHz, in the unit of the record.
    noise
        (inputs,) r.m.s. of all that is no probe.
    """

    gain: FloatArray
    polarity: npt.NDArray[np.int64]
    delay_s: FloatArray
    hum: FloatArray
    noise: FloatArray
    opposed: bool = False


def analyze_wiring(
    heard: FloatArray, rate_hz: float, tones_hz: tuple[FloatArray, ...], amplitude: float, phase: tuple[FloatArray, ...]
) -> WiringAnalysis:
    """Tell the paths of probes, each output playing tones of its own.

    Parameters
    ----------
    heard
        (n, inputs).
    tones_hz, phase
        For each output the frequencies of its tones, and their cosine phases at the first sample of ``heard``.
    amplitude
        Peak of each tone, in the unit of ``heard``.
    """
    inputs, outputs = heard.shape[1], len(tones_hz)
    gain, delay = np.zeros((inputs, outputs)), np.zeros((inputs, outputs))
    polarity = np.zeros((inputs, outputs), dtype=np.int64)
    hum, noise = np.zeros(inputs), np.zeros(inputs)
    every = np.concatenate(tones_hz)
    middle = (len(heard) - 1) / 2 / rate_hz
    own_paths: list[npt.NDArray[np.complex128]] = []
    for i in range(inputs):
        fit = fit_lines(heard[:, i], 2 * np.pi * every / rate_hz)
        rest = line_spectrum(fit.residual, rate_hz)
        noise[i] = float(np.std(fit.residual))
        hum[i] = _hum(rest)
        start = 0
        for o, (frequency, own) in enumerate(zip(tones_hz, phase, strict=True)):
            phasors = fit.phasors[start : start + len(frequency)]
            start += len(frequency)
            path = phasors / (amplitude * np.exp(1j * (own + 2 * np.pi * frequency * middle)))
            gain[i, o] = float(np.sqrt(np.mean(np.abs(path) ** 2)))
            polarity[i, o], delay[i, o] = _way_round(path, frequency)
            if i == o:
                own_paths.append(path)
    return WiringAnalysis(gain, polarity, delay, hum, noise, _opposed(own_paths, tones_hz))


def _opposed(paths: list[npt.NDArray[np.complex128]], tones_hz: tuple[FloatArray, ...]) -> bool:
    """Whether the second of two alike paths has its sign turned: both sums of tones, at the delay at which they agree best."""
    if len(paths) < 2:
        return False
    agree = []
    for path, frequency in zip(paths[:2], tones_hz[:2], strict=True):
        _, turns = _turns(tuple(frequency.tolist()), max(float(f.max()) for f in tones_hz[:2]))
        agree.append(turns @ (path / np.maximum(np.abs(path), 1e-300)))
    best = int(np.argmax(np.abs(agree[0]) ** 2 + np.abs(agree[1]) ** 2))
    return bool((agree[0][best] * np.conj(agree[1][best])).real < 0)


def _way_round(path: npt.NDArray[np.complex128], frequency: FloatArray) -> tuple[int, float]:
    """Sign and delay: the delay at which all tones agree best, then whether they agree on plus or on minus."""
    unit = path / np.maximum(np.abs(path), 1e-300)
    delays, turns = _turns(tuple(frequency.tolist()), float(frequency.max()))
    agree = np.abs(turns @ unit)
    # the shortest of equally good ones: tones on a grid agree again after its period
    best = float(delays[int(np.flatnonzero(agree > agree.max() - 0.02 * len(frequency))[0])])
    fine = best + np.linspace(-0.5, 0.5, 101) * 0.5 / frequency.max()
    at = np.exp(2j * np.pi * np.outer(fine, frequency)) @ unit
    index = int(np.argmax(np.abs(at)))
    sure = abs(at[index].real) > _SURE * len(frequency)
    return (int(np.sign(at[index].real)) if sure else 0), float(fine[index])


@lru_cache(maxsize=8)
def _turns(frequency: tuple[float, ...], finest_hz: float) -> tuple[FloatArray, npt.NDArray[np.complex128]]:
    """(d,) delays that are tried, and how each turns tones of these frequencies: the same for every unit that is looked at."""
    delays = np.arange(0, _LONGEST_DELAY_S, 0.08 / finest_hz)
    return delays, np.exp(2j * np.pi * np.outer(delays, frequency))


def _hum(rest: LineSpectrum) -> float:
    """Stronger of the two mains families, r.m.s. of its lines up to 1 kHz over the noise about them."""
    out = 0.0
    reach = max(3.0, rest.half_width_bins * rest.bin_hz * 0.6)
    for mains in _HUM_HZ:
        lines = np.arange(1, int(1_000 / mains) + 1) * mains
        power = sum(max(0.0, rest.band_power(f - reach, f + reach) - 2 * reach * rest.local_density_squared(f)) for f in lines)
        out = max(out, float(np.sqrt(power)))
    return out

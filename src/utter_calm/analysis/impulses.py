"""Clicks: samples that leap out of what lies about them for a few of them and no longer."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_BLOCK, _ENOUGH = 1024, 256  # of so many samples a median is sure enough
_LEAPS = 10.0
_TOGETHER_S, _LONGEST_S = 1.5e-3, 8e-3
_MOST_PER_S = 10
_COARSE = 8
_CORE = 0.1
_MARGIN_S = 0.1e-3
Clicks = tuple[tuple[int, int], ...]
"""Start and stop of each, in samples."""


def find_impulses(rest: FloatArray, rate_hz: float) -> tuple[tuple[int, int], ...]:
    """Find clicks in what a model leaves of a record (n,): start and stop of each; none where they are the waveform itself.

    Second differences take what is slow away; of what is left of noise or of a tone hardly a sample lies ten times above the
    median of the block about it (of noise one in 10^23, of a sine none). A few clicks do not move that median.
    """
    fine, coarse = (_leaps(rest, rate_hz, factor) for factor in (1, _COARSE))
    # what is seen sharply is placed by that
    reach = _TOGETHER_S * rate_hz
    wide = [(a, b) for a, b in coarse if not any(a - reach < stop and start < b + reach for start, stop in fine)]
    found = sorted([*fine, *wide])
    return tuple(found) if len(found) <= max(3, _MOST_PER_S * len(rest) / rate_hz) else ()


def bridged(response: FloatArray, unexplained: FloatArray, clicks: tuple[tuple[int, int], ...], rate_hz: float) -> FloatArray:
    """The recording with what is unexplained about each click replaced by a straight line."""
    out = response.copy()
    margin = max(4, int(_MARGIN_S * rate_hz))
    for start, stop in clicks:
        a, b = max(margin, start - margin), min(len(out) - margin, stop + margin)
        ends = np.mean(unexplained[a - margin : a]), np.mean(unexplained[b : b + margin])
        out[a:b] += np.linspace(*ends, b - a) - unexplained[a:b]
    return out


def _leaps(rest: FloatArray, rate_hz: float, factor: int) -> list[tuple[int, int]]:
    """Clicks as wide as some samples, after the mean over so many of them."""
    means = rest if factor == 1 else rest[: len(rest) // factor * factor].reshape(-1, factor).mean(axis=1)
    block = _BLOCK // factor
    if len(means) < 4 * block:
        return []
    leaps = np.abs(np.diff(means, 2))
    whole = len(leaps) // block * block
    usual = 1.4826 * np.median(leaps[:whole].reshape(-1, block)[:, :: max(1, block // _ENOUGH)], axis=1)
    # a signal that begins or ends in the next block leaps there by itself
    usual = np.maximum(usual, np.maximum(np.append(usual[1:], 0.0), np.append(0.0, usual[:-1])))
    limit = _LEAPS * np.append(np.maximum(usual, 0.05 * np.median(usual)), 0.0)
    limit[-1] = limit[-2]
    # few blocks hold anything that leaps out: only those are looked at sample by sample
    starts = np.arange(0, len(leaps), block)
    suspect = np.flatnonzero(np.maximum.reduceat(leaps, starts) > limit[: len(starts)])
    over = np.concatenate(
        [np.empty(0, dtype=np.int64), *(k * block + np.flatnonzero(leaps[k * block : (k + 1) * block] > limit[k]) for k in suspect)]
    )
    if not len(over) or not np.any(usual > 0):
        return []
    breaks = np.flatnonzero(np.diff(over) > _TOGETHER_S * rate_hz / factor)
    groups = np.split(over, breaks + 1)
    # what rings about a click in a model that was fitted to it as well is far lower than the click
    cores = [group[leaps[group] > _CORE * leaps[group].max()] for group in groups]
    starts, stops = (np.array([core[end] for core in cores]) for end in (0, -1))
    if len(starts) > max(3, _MOST_PER_S * len(rest) / rate_hz):
        return []
    most = _LONGEST_S * rate_hz / factor
    return [
        ((int(a) + 2) * factor, (max(int(b), int(a) + 2) + 1) * factor) for a, b in zip(starts, stops, strict=True) if b - a <= most
    ]

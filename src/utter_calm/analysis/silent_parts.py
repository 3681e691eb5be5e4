"""Where a record falls silent for so short a while that no cycle of its tone is missing: found sample by sample."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap, find_gaps

_SEEN, _SURE = 0.03, 60.0
_LEAST, _HUSHED = 8, 0.25
_MOST, _OF_CYCLES = 20, 0.1


def missing_parts(record: FloatArray, residual: FloatArray, omega: float, rate_hz: float) -> tuple[Gap, ...]:
    """All stretches of a record (n,) without the tone at ``omega``, of which a fit left the residual: cycles, and parts of one."""
    gaps = list(find_gaps(record, omega, rate_hz))
    for silent in silent_parts(record, residual, omega):
        # what lasts for some cycles is seen by both, here to the sample
        same = [gap for gap in gaps if not gap.lost and gap.start <= silent.stop and silent.start <= gap.stop]
        start, stop = min(g.start for g in (silent, *same)), max(g.stop for g in (silent, *same))
        gaps = [gap for gap in gaps if gap not in same and not (gap.lost and start <= gap.start <= stop)]
        gaps.append(Gap(start, stop - start))
    return tuple(sorted(gaps, key=lambda gap: gap.start))


def silent_parts(record: FloatArray, residual: FloatArray, omega: float) -> tuple[Gap, ...]:
    """Find where a record (n,) is nearer to silence than to the tone at ``omega`` (rad per sample) that a fit made of it.

    There the tone is left whole in the residual (n,), and next to nothing is in the record: the sum of the one's squares less
    the other's, which is the logarithm of how much likelier silence is (times twice the noise), rises over the part that is
    silent and falls everywhere else. None where it happens all the time, as in a unit that crosses over.
    """
    loud = float(np.std(record))
    # an amplitude is the least where a hole is nothing to the rest: what is never left by a part of it never falls silent
    if not loud or float(np.max(np.abs(residual))) < _SEEN * loud:
        return ()
    noise = float(np.median(residual[:: max(1, len(residual) // 65_536)] ** 2)) / 0.4549
    rises = residual**2 - record**2
    found = list[Gap]()
    most = min(_MOST, int(_OF_CYCLES * omega * len(record) / (2 * np.pi)) + 1)
    while len(found) <= most:
        total = np.cumsum(rises)
        beyond = total - np.minimum(np.minimum.accumulate(total), 0.0)
        stop = int(np.argmax(beyond)) + 1
        if beyond[stop - 1] < max(_SURE * noise, (_SEEN * loud) ** 2 * _LEAST):
            return tuple(sorted(found, key=lambda gap: gap.start))
        before = np.concatenate([[0.0], total[: stop - 1]])
        start = stop - 1 - int(np.argmin(before[::-1]))
        rises[start:stop] = 0.0
        heard, missing = (float(np.mean(x[start:stop] ** 2)) for x in (record, residual))
        if stop - start >= _LEAST and heard < _HUSHED**2 * missing:
            found.append(Gap(start, stop - start))
    return ()

"""What makes a tone doubtful: a level or a frequency that moves while it is measured."""

from __future__ import annotations

from utter_calm.analysis.steadiness import Steadiness
from utter_calm.analysis.tone import ToneAnalysis
from utter_calm.measure.result import Trust

_LEVEL, _FREQUENCY = 2e-3, 2e-5
_SURE = 6


def tone_trust(tone: ToneAnalysis, channel: int) -> list[Trust]:
    """Give what is to be said about the steadiness of a tone; empty when it holds still."""
    out = []
    if tone.level_spread > max(_LEVEL, 0.2 * tone.thd_n):
        moves = f"its level moves by {100 * tone.level_spread:.2g} % while it is measured."
        out.append(Trust("unsteady_level", f"Channel {channel} is not steady: {moves}"))
    if abs(tone.frequency_drift_hz) > max(_FREQUENCY * tone.frequency_hz, 20 * tone.u_frequency_hz):
        text = f"The tone on channel {channel} drifts by {tone.frequency_drift_hz:+.3g} Hz while it is measured."
        out.append(Trust("drift", text))
    return out


def steady_trust(found: Steadiness, channel: int) -> list[Trust]:
    """Give what is to be said of several tones at once; empty when they hold still."""
    out = []
    if abs(found.level_change) > max(_LEVEL, _SURE * found.u_level_change):
        moves = f"its level moves by {100 * found.level_change:+.2g} % while it is measured."
        out.append(Trust("unsteady_level", f"Channel {channel} is not steady: {moves}"))
    if abs(found.frequency_change) > max(_FREQUENCY, _SURE * found.u_frequency_change):
        text = f"The tones on channel {channel} drift by {1e6 * found.frequency_change:+.3g} parts per million."
        out.append(Trust("drift", text))
    return out

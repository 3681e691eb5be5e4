"""What makes a tone doubtful: a level or a frequency that moves while it is measured."""

from __future__ import annotations

from utter_calm.analysis.tone import ToneAnalysis
from utter_calm.measure.result import Trust


def tone_trust(tone: ToneAnalysis, channel: int) -> list[Trust]:
    """Give what is to be said about the steadiness of a tone; empty when it holds still."""
    out = []
    if tone.level_spread > max(2e-3, 0.2 * tone.thd_n):
        moves = f"its level moves by {100 * tone.level_spread:.2g} % while it is measured."
        out.append(Trust("unsteady_level", f"Channel {channel} is not steady: {moves}"))
    if abs(tone.frequency_drift_hz) > max(2e-5 * tone.frequency_hz, 20 * tone.u_frequency_hz):
        text = f"The tone on channel {channel} drifts by {tone.frequency_drift_hz:+.3g} Hz while it is measured."
        out.append(Trust("drift", text))
    return out

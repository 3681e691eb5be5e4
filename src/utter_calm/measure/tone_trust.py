"""What makes a tone doubtful: a level or a frequency that moves while it is measured."""

from __future__ import annotations

from utter_calm.analysis.steadiness import Steadiness
from utter_calm.analysis.tone import ToneAnalysis
from utter_calm.measure.result import Trust

_LEVEL, _FREQUENCY = 2e-3, 2e-5
_SURE = 6


def level_moves(tone: ToneAnalysis) -> bool:
    """Whether parts of the record differ in level by more than what is in it besides the tone explains."""
    return tone.level_spread > max(_LEVEL, 0.2 * tone.thd_n)


def frequency_moves(tone: ToneAnalysis) -> bool:
    """Whether the frequency drifts or wobbles by more than a good clock does."""
    motion = tone.motion
    if motion is None:
        return False
    drifts = abs(motion.drift_hz) > max(_FREQUENCY * tone.frequency_hz, _SURE * motion.u_hz)
    return drifts or motion.wobble > _FREQUENCY


def tone_trust(tone: ToneAnalysis, channel: int) -> list[Trust]:
    """Give what is to be said about the steadiness of a tone; empty when it holds still."""
    out = []
    if level_moves(tone):
        moves = f"its level moves by {100 * tone.level_spread:.2g} % while it is measured."
        out.append(Trust("unsteady_level", f"Channel {channel} is not steady: {moves}"))
    motion = tone.motion
    if motion is not None and frequency_moves(tone):
        said = []
        if abs(motion.drift_hz) > _SURE * motion.u_hz:
            said.append(f"drifts by {motion.drift_hz:+.3g} Hz while it is measured")
        if motion.wobble:
            said.append(f"wobbles by ±{motion.wobble * tone.frequency_hz:.3g} Hz, {motion.wobble_hz:.3g} times a second")
        followed = "Its phase was followed: level and distortion are those of the moving tone."
        out.append(Trust("drift", f"The tone on channel {channel} {' and '.join(said) or 'moves'}. {followed}"))
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

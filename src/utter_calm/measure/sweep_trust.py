"""What befell the recording of a sweep, and what was done about it, in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from utter_calm.analysis.sweep import SweepAnalysis
from utter_calm.measure.result import Trust
from utter_calm.measure.usable import clicks, dropout
from utter_calm.quantities import si_text
from utter_calm.signals.sweep import Sweep


def heard_trust(trust: Sequence[Trust], found: SweepAnalysis, channel: int, sweep: Sweep, rate_hz: float) -> list[Trust]:
    """What befell the recording of a sweep on a channel: of what stands still the sweep tells what it hides as well."""
    said = _sweep_trust(found, channel, sweep, rate_hz)
    known = ("late_start", "early_end", *(t.code for t in said))
    return [*(t for t in trust if t.code not in known), *said]


def _sweep_trust(found: SweepAnalysis, channel: int, sweep: Sweep, rate_hz: float) -> list[Trust]:
    """Say what befell the recording of a sweep, and what was done about it."""
    out = []
    if math.isfinite(found.cut_hz):
        came, known = si_text(found.delay_s, "s", digits=3), si_text(found.valid_hz[1], "Hz", digits=3)
        text = f"The recording of channel {channel} ends while the sweep is still heard, which comes {came} late: nothing is known"
        out.append(Trust("ends_too_soon", f"{text} above {known}. Record for longer, or take out what delays it."))
    if found.hum is not None:
        hum, below = found.hum.frequency_hz, -20 * math.log10(found.hum.share)
        text = f"Hum of {hum:.2f} Hz and its multiples, {below:.0f} dB below the recording of channel {channel}, was taken out."
        out.append(Trust("hum_removed", text, grave=False))
    if found.faults.clicks:
        out.append(clicks(channel, found.faults.clicks, rate_hz, ": bridged before anything was computed."))
    if found.faults.gaps:
        spans = [(gap.start / rate_hz, gap.length / rate_hz) for gap in found.faults.gaps]
        missed = [found.faults.missed_hz(gap, sweep, found.delay_s, rate_hz) for gap in found.faults.gaps]
        bands = ", ".join(f"{si_text(a, 'Hz', digits=3)} to {si_text(b, 'Hz', digits=3)}" for a, b in missed[:3])
        said = dropout(channel, spans, "loses the sweep", cut=False)
        out.append(replace(said, text=f"{said.text} About {bands} the response is not known."))
    for places, what in ((found.faults.lost, "lacks"), (found.faults.repeated, "holds twice")):
        if places:
            where = ", ".join(f"{gap.length} samples at {gap.start / rate_hz:.3f} s" for gap in places[:3])
            text = f"Channel {channel} {what} {where}: from there on it is out of step, and nothing is known. Take it again."
            lost = tuple((gap.start / rate_hz, gap.length / rate_hz) for gap in found.faults.lost)
            out.append(Trust("out_of_step", text, spans=lost, channel=channel))
    if found.disturbed is not None:
        low, high, part = found.disturbed
        when = sweep.onset_s + found.delay_s + sweep.growth_s * math.log(math.sqrt(low * high) / sweep.start_hz)
        band = f"{si_text(low, 'Hz', digits=2)} to {si_text(high, 'Hz', digits=2)}"
        text = (
            f"Channel {channel} holds what is no response to the sweep, most of it about {band}, near {when:.2f} s: a noise, "
            f"samples that are missing, or distortion that folds back from above half the rate. The response there is uncertain by "
            f"{200 * part:.0f} %."
        )
        out.append(Trust("disturbed", text, channel=channel))
    return out

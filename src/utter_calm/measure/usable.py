"""What of a channel can be used, and what is to be said of the rest: silence, overload, dropouts, clicks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from utter_calm.analysis.record import find_faults, what_is_there
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.declare import Declared, about_record
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.rig import Channel

RECORD_READINGS: dict[str, Declared] = about_record({
    "overload_first": Declared("overload from", "time", "Where a recording touches full scale first, from its start."),
    "overload_last": Declared("overload to", "time", "Where it touches full scale last."),
    "dropout_#_start": Declared("dropout {}", "time", "Where dropout {} of a recording begins, from its start."),
    "dropout_#_length": Declared("dropout {}, length", "time", "How long it lasts; of samples that are missing altogether, how "
                                 "many there were, less whole periods of a tone."),
})  # fmt: skip

_WORTH = 0.2
_LEAST_FRAMES = 16
_SHOWN = 3


def usable_part(capture: Capture, number: int, *, across_holes: bool = False) -> tuple[FloatArray, list[Trust]]:
    """Give the samples of a channel that hold signal, and what was wrong with the rest; as :func:`usable_span`."""
    where, trust = usable_span(capture, number, across_holes=across_holes)
    return capture.channel(number)[where], trust


def usable_span(capture: Capture, number: int, *, across_holes: bool = False) -> tuple[slice, list[Trust]]:
    """Give the frames of a channel that hold signal, and what was wrong with the rest.

    With ``across_holes`` the part is not cut where the signal stands still.

    Raises
    ------
    NoSignal
        The channel is silent.
    """
    samples = capture.channel(number)
    if not np.any(samples != samples[0]):
        raise NoSignal(
            f"Channel {number} {what_is_there(samples, full_scale=1.0)}.", hint="Check the wiring, or choose another channel."
        )
    faults = find_faults(samples)
    rate = capture.rate_hz
    trust = []
    if faults.clipped_samples or any(capture.overload[number - capture.first :][:1]):
        first, stop = faults.clipped_span
        count, spans = "", tuple[tuple[float, float], ...]()
        if faults.clipped_samples:
            count = f" in {faults.clipped_samples} samples from {first / rate:.3f} to {(stop - 1) / rate:.3f} s"
            spans = ((first / rate, (stop - 1 - first) / rate),)
        text = f"Channel {number} touched full scale{count}: lower the level or the input's sensitivity."
        trust.append(Trust("overload", text, spans=spans, channel=number))
    if capture.lost_frames:
        trust.append(Trust("lost_blocks", f"The device lost {capture.lost_frames} frames: take it again."))
    elif capture.interruptions:
        trust.append(Trust("interrupted", _late_text(capture.interruptions), grave=False))
    if capture.answered_s is not None:
        trust.append(Trust("answered_late", _answered_text(capture.answered_s, capture.skew), grave=False))
    if capture.of(number).aged:
        trust.append(Trust("channel_calibration_old", _old_text(capture.of(number)), grave=False))
    cut = False
    if faults.holes:
        start, stop = faults.whole
        cut = not across_holes and stop - start > _WORTH * len(samples)
        trust.append(dropout(number, [(a / rate, (b - a) / rate) for a, b in faults.holes], "stands still", cut=cut))
    lead, tail = faults.lead_frames, faults.tail_frames
    if lead > 0.02 * rate:
        text = f"The signal starts {lead / rate:.2f} s late; the silence was left out."
        trust.append(Trust("late_start", text, grave=False))
    if tail > 0.02 * rate:
        text = f"The signal ends {tail / rate:.2f} s early; the silence was left out."
        trust.append(Trust("early_end", text, grave=False))
    kept = slice(*faults.whole) if cut else slice(lead, len(samples) - tail)
    if kept.stop - kept.start < _LEAST_FRAMES:
        raise NoSignal(f"Channel {number} holds next to no signal.", hint="Record longer, or choose another channel.")
    return kept, trust


def _answered_text(late_s: float, skew: float) -> str:
    clock = f", by a clock that is off by {1e6 * skew:+.1f} ppm".replace("-", "\N{MINUS SIGN}") if abs(skew) > 1e-6 else ""
    return f"The unit answered {1e3 * late_s:.2f} ms late{clock}; that was taken out."


def _old_text(channel: Channel) -> str:
    return f"{channel.title.capitalize()} was calibrated on {channel.calibrated}, and that counts for {channel.days} days."


def _late_text(count: int) -> str:
    times = "once" if count == 1 else f"{count} times"
    return f"The device reported {times} that it was late. Samples may be missing there; if that repeats, make its buffer longer."


def dropout(number: int, spans: Sequence[tuple[float, float]], what: str, *, cut: bool) -> Trust:
    """Say where a channel drops out: (start, length) in seconds of each time; ``cut`` where it was measured beside them."""
    shown = [f"{length * 1e3:.3g} ms at {start:.3f} s" for start, length in spans[:_SHOWN]]
    more = f" and {len(spans) - _SHOWN} more" if len(spans) > _SHOWN else ""
    rest = "; the longest stretch without one was measured." if cut else "."
    count = "a dropout" if len(spans) == 1 else f"{len(spans)} dropouts"
    return Trust("dropout", f"Channel {number} {what} for {', '.join(shown)}{more}: {count}{rest}", spans=tuple(spans))


def clicks(number: int, runs: Sequence[tuple[int, int]], rate_hz: float, then: str) -> Trust:
    """Say where a channel clicks: start and stop in samples of each click, and what ``then`` was done about it."""
    spans = tuple((start / rate_hz, (stop - start) / rate_hz) for start, stop in runs)
    shown = ", ".join(f"{start:.3f}" for start, _ in spans[:_SHOWN]) + (", ..." if len(spans) > _SHOWN else "")
    count = "A click" if len(spans) == 1 else f"{len(spans)} clicks"
    return Trust("clicks", f"{count} on channel {number}, at {shown} s{then}", spans=spans)


def add_spans(out: ResultBuilder, channel: int, trust: Sequence[Trust]) -> None:
    """Add when a recording is overloaded or drops out, as readings."""
    touched = [span for item in trust if item.code == "overload" for span in item.spans]
    if touched:
        out.add("overload_first", channel, min(start for start, _ in touched), "s")
        out.add("overload_last", channel, max(start + length for start, length in touched), "s")
    gaps = sorted({span for item in trust if item.code in ("dropout", "out_of_step") for span in item.spans})
    for number, (start, length) in enumerate(gaps, start=1):
        out.add(f"dropout_{number}_start", channel, start, "s")
        out.add(f"dropout_{number}_length", channel, length, "s")

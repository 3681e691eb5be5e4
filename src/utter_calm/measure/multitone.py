"""Multitone: a few dozen tones at once as a stand-in for music; what lies between them is distortion and noise."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.multitone import MultitoneAnalysis, TonesFit, fit_tones, tones_in_band
from utter_calm.analysis.multitone_skirts import skirts
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, sample_rate, setting
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.parallel import PreparedChannels, prepare_each
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_readings import TONE_TRACES
from utter_calm.measure.tone_set import check_tones, period_frames
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import effective_bits, si_text
from utter_calm.quantities.text import fixed
from utter_calm.rig import Rig
from utter_calm.signals.multitone import Multitone as Tones
from utter_calm.signals.multitone import log_bins, multitone
from utter_calm.signals.ramp import with_ramps

_SETTLE_S = 0.25
_AUDIBLE = 10 ** (-60 / 20)
"""Skirts lower than that are not worth a word."""


@dataclass(frozen=True, slots=True)
class MultitoneSettings(StepSettings):
    """Settings of a multitone."""

    low_hz: float = setting(20.0, "Lowest tone", "Hz", low=2, high=160_000)
    high_hz: float = setting(20_000.0, "Highest tone", "Hz", low=10, high=180_000)
    tones: int = setting(31, "Tones", "1", low=3, high=120)
    places: str = setting("any", "Tones on", choices=(("any", "any bin"), ("odd", "odd bins")), rare=True)
    level_v: float = setting(0.094, "Level of all tones together", "V", low=1e-6, high=100)
    periods: int = setting(2, "Periods", "1", low=1, high=60, rare=True)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, a range that is none, and tones too close to half the rate."""
        StepSettings.check(self)
        check_tones(self.low_hz, self.high_hz, self.rate_hz)

    @property
    def frames(self) -> int:
        """Samples of one period: a power of two, so that every tone lies on a bin."""
        return period_frames(self.rate_hz)

    @property
    def bins(self) -> npt.NDArray[np.int64]:
        """(k,) whole periods of each tone in one period of their sum."""
        return log_bins(self.low_hz, self.high_hz, self.tones, self.rate_hz, self.frames, odd=self.places == "odd")

    def signal(self) -> Tones:
        """The tones, r.m.s. 1; to find their phases takes a while, so ask only where they are played."""
        return multitone(self.bins, self.frames)


class Multitone(SingleStimulus[MultitoneSettings]):
    """Many tones through the unit."""

    key = "multitone"
    title = "Multitone"
    question = "What lies between many tones at once, as music would meet it"
    settings_type = MultitoneSettings
    readings = with_roles({
        "multitone_residual": Declared("between the tones", "gain", "R.m.s. of all in the band that is no tone and not DC, over "
                                         "the r.m.s. of the tones together.", better="low", floored=True),
        "multitone_bits": Declared("in bits", "bits", "(residual in dB − 1.76) / 6.02, the sign turned: bits of a converter whose "
                                     "noise that would be.", better="high", digits=3),
        "sfdr": Declared("SFDR", "gain", "Strongest tone over the strongest line of the rest, in the band (after IEEE 1241).",
                           better="high"),
        "multitone_even": Declared("even products", "gain", "Part of the residual on even multiples of the base, over the tones; "
                                     "for tones on odd bins.", better="low", floored=True),
        "multitone_odd": Declared("odd products", "gain", "Part of the residual on odd multiples of the base, over the tones; for "
                                    "tones on odd bins.", better="low", floored=True),
        "multitone_level": Declared("tones together", "small_level", "R.m.s. of all tones at the unit's output."),
        "multitone_distortion": Declared("products", "gain", "Part of the residual on the grid of the tones, where their products "
                                         "fall, the noise under it taken off, over the tones together.", better="low",
                                         floored=True),
        "multitone_noise": Declared("noise between", "gain", "The rest of the residual, over the tones together.", better="low",
                                    floored=True),
        "skirts": Declared("skirts of treble tones", "gain", "R.m.s. of the lines at the distances of the tones up to "
                           "250 Hz from each tone from 1 kHz on, over these tones: what bass modulates.", better="low", digits=3),
        "skirts_worst": Declared("highest skirts", "gain", "Of the tone whose skirts are highest.", better="low", digits=3),
        "skirts_at": Declared("highest skirts at", "frequency", "Which tone that is.", digits=3),
        "crest_factor": Declared("crest factor", "gain", "Highest sample of the record over its r.m.s."),
        "tone_#": Declared("tone {}", "small_level", "R.m.s. of tone {}, counted from the lowest; its frequency stands beside it."),
        "clock_skew": Declared("clock skew", "skew",
        "By how much the recorder's clock is off the player's, in parts per million. Above "
                                 "zero the recording sounds higher.", of_record=True),
    }, "multitone_residual", "multitone_bits", "sfdr", "multitone_even", "multitone_odd", "multitone_level")  # fmt: skip
    traces = {
        "spectrum": TONE_TRACES["spectrum"],
        "residual": Declared("residual", "gain", "R.m.s. between the tones in thirds of an octave, over the tones together."),
    }
    plots = (
        PlotSpec("spectrum", "Spectrum", ("spectrum",), y_title="line", dense=True, unwanted=True, edges=("band_low_hz",
        "band_high_hz")),
        PlotSpec("residual", "Residual in thirds of an octave", ("residual",), y_title="residual", y_note="re all tones",
                 unwanted=True, short="thirds"),
    )  # fmt: skip

    def stimulus(self, settings: MultitoneSettings) -> Stimulus:
        """Give periods of the sum after a while for settling, ramped at both ends."""
        settle = round(_SETTLE_S * settings.rate_hz)
        tail = round(0.03 * settings.rate_hz)
        frames = settle + settings.periods * settings.frames + tail
        samples = settings.signal().repeated(frames) * settings.level_v
        return Stimulus(with_ramps(samples, settle // 4, tail // 2), settings.rate_hz)

    def signal(self, settings: MultitoneSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.low_hz, settings.high_hz))
        return f"{settings.tones} tones {low} to {high}"

    def highest_level(self, settings: MultitoneSettings) -> float:
        """R.m.s. of the sine with the same peak."""
        return settings.level_v * settings.signal().crest / math.sqrt(2)

    def for_floor(self, settings: MultitoneSettings, rig: Rig, gain: float) -> MultitoneSettings:
        """Bring the input to the same level, as far as the ceiling allows for the peak."""
        most = rig.highest_v * math.sqrt(2) / settings.signal().crest * 0.999
        return replace(settings, level_v=min(settings.level_v * gain, most))

    def prepare(
        self, settings: MultitoneSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> PreparedChannels[_Fitted]:
        """Fit the tones of every channel of a capture of its own stimulus; the band does not matter yet."""
        return prepare_each(capture, lambda channel: _fitted(settings, capture, channel), progress)

    def conclude(
        self, settings: MultitoneSettings, prepared: PreparedChannels[_Fitted], *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Give what lies between the tones in the band."""
        out = ResultBuilder()
        capture = prepared.capture
        base = capture.rate_hz / settings.frames if settings.places == "odd" else None
        for channel, fitted in prepared.channels.items():
            out.trust.extend(fitted.trust)
            found = tones_in_band(fitted.tones, (settings.band_low_hz, settings.band_high_hz), base_hz=base)
            add_multitone(out, found, capture, channel, spectrum=fitted.spectrum)
            add_skirts(out, fitted.tones, channel)
        if progress is not None:
            progress(1.0)
        return out.build()


@dataclass(frozen=True, slots=True, eq=False)
class _Fitted:
    """One channel: its tones, its spectrum as a trace, and what was wrong with its record."""

    tones: TonesFit
    spectrum: Trace
    trust: tuple[Trust, ...]


def _fitted(settings: MultitoneSettings, capture: Capture, channel: int) -> _Fitted:
    start = round(_SETTLE_S * capture.rate_hz)
    record = capture.signal(channel)[start : start + settings.periods * settings.frames]
    expected = np.asarray(settings.bins * (capture.rate_hz / settings.frames), dtype=np.float64)
    _, trust = usable_part(capture, channel)
    tones = fit_tones(record, capture.rate_hz, expected, own_clock=True)
    trace = line_trace(tones.spectrum, channel, capture.unit(channel))
    return _Fitted(tones, trace, tuple(t for t in trust if t.code in ("overload", "lost_blocks", "interrupted", "dropout")))


def add_skirts(out: ResultBuilder, tones: TonesFit, channel: int) -> None:
    """Add how far the bass modulates the treble, and name it where it does."""
    found = skirts(tones)
    if found is None or not found.level > 0:
        return
    out.add("skirts", channel, found.level, "1", found.u_level)
    out.add("skirts_worst", channel, found.worst_level, "1")
    out.add("skirts_at", channel, found.worst_hz, "Hz")
    if found.is_bass and found.worst_level > _AUDIBLE:
        level, where = fixed(20 * math.log10(found.worst_level), 0), si_text(found.worst_hz, "Hz", digits=2)
        text = f"Bass modulates treble: lines at its tones' distances stand about others, most at {where} ({level} dB)."
        out.trust.append(Trust("bass_modulates_treble", text, grave=False))


def add_multitone(out: ResultBuilder, found: MultitoneAnalysis, capture: Capture, channel: int, *, spectrum: Trace) -> None:
    """Add readings and traces of one channel."""
    out.add("multitone_residual", channel, found.residual, "1", found.u_residual)
    if found.residual > 0:
        out.add("multitone_bits", channel, effective_bits(1 / found.residual), "bit")
    out.add("sfdr", channel, found.sfdr, "1")
    if found.even is not None and found.odd is not None:
        out.add("multitone_even", channel, found.even, "1")
        out.add("multitone_odd", channel, found.odd, "1")
    u_level = math.hypot(found.u_total, found.total * capture.u_level(channel))
    out.add("multitone_level", channel, found.total, capture.unit(channel), u_level)
    if found.clock_skew is not None:
        out.add("clock_skew", channel, 1e6 * found.clock_skew, "ppm")
    out.add("crest_factor", channel, found.crest, "1")
    if found.distortion is not None and found.noise is not None:
        out.add("multitone_distortion", channel, found.distortion, "1")
        out.add("multitone_noise", channel, found.noise, "1")
    for number, place in enumerate(np.argsort(found.frequency_hz).tolist(), start=1):
        note = str(si_text(float(found.frequency_hz[place]), "Hz", digits=4))
        level = float(found.rms[place])
        u = math.hypot(float(found.u_rms[place]), level * capture.u_level(channel))
        out.add(f"tone_{number}", channel, level, capture.unit(channel), u, note=note)
    out.traces.append(spectrum)
    seen = found.third_residual > 0
    out.traces.append(Trace("residual", channel, found.third_hz[seen], "Hz", found.third_residual[seen], "1"))

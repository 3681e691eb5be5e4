"""Noise: with the input quiet, or under a tone at -60 dBFS for the dynamic range."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, with_roles
from utter_calm.measure.kind import PlotSpec, SingleStimulus, StepSettings, Stimulus, setting
from utter_calm.measure.noise_readings import TONE_FS, TONE_HZ, PreparedNoise, add_noise, hear_noise, prepare_noise
from utter_calm.measure.parallel import PreparedChannels, each_channel, prepare_each
from utter_calm.measure.result import Reading, Result, ResultBuilder
from utter_calm.measure.settings import YES_OR_NO, sample_rate
from utter_calm.measure.tone_readings import TONE_READINGS, TONE_TRACES
from utter_calm.rig import Rig
from utter_calm.signals.ramp import with_ramps
from utter_calm.signals.tone import sine

QUIET, TONE = "quiet", "tone"
_METHODS = ((QUIET, "input quiet"), (TONE, "tone at −60 dBFS"))
_SETTLE_S = 0.4
_RIG_LIMITED_DB = 3.0


@dataclass(frozen=True, slots=True)
class NoiseSettings(StepSettings):
    """Settings of noise."""

    method: str = setting(QUIET, "How", choices=_METHODS)
    duration_s: float = setting(3.0, "Duration", "s", low=0.3, high=600)
    reference_v: float = setting(0.0, "Level that SNR refers to (0: none)", "V", high=1_000, analysis_only=True, rare=True)
    full_scale_v: float = setting(2.0, "The unit's full scale, for dynamic range", "V", low=1e-3, high=100)
    subtract: str = setting("no", "Subtract the rig's own noise", choices=YES_OR_NO, analysis_only=True, rare=True)
    band_low_hz: float = setting(20.0, "Band from", "Hz", low=0, high=192_000, analysis_only=True)
    band_high_hz: float = setting(20_000.0, "Band to", "Hz", low=1, high=192_000, analysis_only=True)
    rate_hz: int = sample_rate(96_000)

    def check(self) -> None:
        """Refuse values outside their bounds, and an empty band."""
        StepSettings.check(self)
        if self.band_low_hz >= self.band_high_hz:
            raise InputError("The band is empty.", hint="Swap or widen its limits.")


class Noise(SingleStimulus[NoiseSettings]):
    """Noise of a unit."""

    key = "noise"
    title = "Noise"
    question = "How much noise, weighted and not, how dense, and which tones stand in it"
    settings_type = NoiseSettings
    readings = with_roles({
        "noise": TONE_READINGS["noise"],
        "noise_a": TONE_READINGS["noise_a"],
        "noise_c": TONE_READINGS["noise_c"],
        "noise_468": TONE_READINGS["noise_468"],
        "noise_468_2k": Declared("noise, 468 re 2 kHz", "small_level", "R.m.s. through the weighting of ITU-R BS.468 with 0 dB at "
                                   "2 kHz (AES17). Not to be held against the quasi-peak reading.", better="low", floored=True),
        "noise_density": Declared("density", "density", "Mean noise density in the band, per root hertz, the tones taken out.",
                                    better="low", floored=True),
        "snr": TONE_READINGS["snr"],
        "dynamic_range": Declared("dynamic range", "gain", "Full-scale sine over the noise and distortion under a tone of 997 Hz "
                                    "at −60 dBFS, through the 2 kHz-referred 468 weighting, r.m.s. (AES17).", better="high"),
        "dynamic_range_a": Declared("dynamic range, A", "gain", "The same, A-weighted (IEC 61606).", better="high"),
        "dynamic_range_flat": Declared("dynamic range, flat", "gain", "The same without weighting, in the band.", better="high"),
        "idle_tone_#": Declared("idle tone {}", "small_level", "R.m.s. of the tone that stands out of the noise in place {}; its "
                                  "frequency and kinship stand beside it.", better="low"),
        "idle_tone_#_hz": Declared("idle tone {} at", "frequency", "Frequency of that tone."),
        "noise_corrected": Declared("noise, rig taken off", "small_level", "Noise with the rig's own subtracted as power; where it "
                                      "lies less than 3 dB above the rig's, an upper bound.", better="low"),
        "dc": TONE_READINGS["dc"],
    }, "noise_a", "noise", "noise_468", "noise_density", "snr", "dynamic_range", "noise_corrected")  # fmt: skip
    traces = {
        "spectrum": TONE_TRACES["spectrum"],
        "noise_density": Declared("density", "density", "Noise density, averaged over 240 steps of the axis."),
        "third_octaves": Declared(
            "thirds", "small_level", "R.m.s. of the noise in thirds of an octave (IEC 61260-1), tones in it."
        ),
    }
    plots = (
        PlotSpec("spectrum", "Spectrum of what is left", ("spectrum",), y_title="line", dense=True, short="lines", unwanted=True,
                 edges=("band_low_hz", "band_high_hz")),
        PlotSpec("density", "Noise density, averaged over 240 steps of the axis", ("noise_density",), short="density",
                 unwanted=True),
        PlotSpec("thirds", "Noise in thirds of an octave", ("third_octaves",), y_title="noise in a third", short="thirds",
                 unwanted=True),
    )  # fmt: skip

    def stimulus(self, settings: NoiseSettings) -> Stimulus:
        """Give silence, or the tone."""
        frames = round((settings.duration_s + _SETTLE_S) * settings.rate_hz)
        if settings.method == QUIET:
            return Stimulus(np.zeros(frames), settings.rate_hz)
        tone = sine(TONE_HZ, TONE_FS * settings.full_scale_v * math.sqrt(2), settings.rate_hz, frames)
        ramp = round(0.02 * settings.rate_hz)
        return Stimulus(with_ramps(tone, ramp, 0), settings.rate_hz)

    def signal(self, settings: NoiseSettings) -> str:
        """Say what is played."""
        return "no signal" if settings.method == QUIET else "997 Hz at −60 dBFS"

    def highest_level(self, settings: NoiseSettings) -> float | None:
        """Nothing, or the tone."""
        return None if settings.method == QUIET else TONE_FS * settings.full_scale_v

    def for_floor(self, settings: NoiseSettings, rig: Rig, gain: float) -> NoiseSettings:  # noqa: ARG002
        """Give the same: the rig's own noise does not depend on the unit."""
        return settings

    def prepare(
        self, settings: NoiseSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> PreparedChannels[PreparedNoise]:
        """Transform every channel and take the tone out of it; the band does not matter yet."""

        def one(channel: int) -> PreparedNoise:
            record = capture.signal(channel)
            if capture.drive_known:
                record = record[round(_SETTLE_S * capture.rate_hz) :]
            full_scale = settings.full_scale_v if capture.unit(channel) == "V" else 1.0
            return prepare_noise(record, capture, channel, full_scale=full_scale, under_tone=settings.method == TONE)

        return prepare_each(capture, one, progress)

    def conclude(
        self, settings: NoiseSettings, prepared: PreparedChannels[PreparedNoise], *, progress: Callable[[float], None] | None = None
    ) -> Result:
        """Give what is in the band."""
        out = ResultBuilder()
        band = settings.band_low_hz, settings.band_high_hz
        channels = prepared.channels
        found = each_channel(list(channels), lambda channel: hear_noise(channels[channel], band))
        for ready, heard in zip(channels.values(), found, strict=True):
            add_noise(out, ready, heard, reference_v=settings.reference_v)
        if progress is not None:
            progress(1.0)
        return out.build()

    def correct(self, settings: NoiseSettings, result: Result, floor: Result) -> Result:
        """Subtract the rig's own noise as power, where that was asked."""
        if settings.subtract != "yes":
            return result
        added = []
        for reading in result.readings:
            own = floor.reading("noise", reading.channel)
            if reading.name == "noise" and own is not None:
                added.append(_without(reading, own))
        return replace(result, readings=(*result.readings, *added))


def _without(reading: Reading, rig: Reading) -> Reading:
    """Difference of powers; closer than 3 dB only a bound can be told (the correction is then larger than the value).

    The calibration of levels is common to both and scales what is left; it is part of both uncertainties, which are taken for
    independent here: that can only widen the sum.
    """
    own = rig.value
    rest = reading.value**2 - own**2
    if reading.value < own * 10 ** (_RIG_LIMITED_DB / 20):
        bound = math.sqrt(max(rest, 0.0)) + (reading.uncertainty or 0.0)
        return Reading("noise_corrected", reading.channel, max(bound, 0.3 * own), reading.unit, note="at most")
    value = math.sqrt(rest)
    spread = None if reading.uncertainty is None else math.hypot(reading.uncertainty * reading.value,
                                                                 (rig.uncertainty or 0.0) * own) / value  # fmt: skip
    return Reading("noise_corrected", reading.channel, value, reading.unit, spread)

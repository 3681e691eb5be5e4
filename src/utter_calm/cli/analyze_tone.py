"""``utter-calm analyze tone``: one recorded tone."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.clock_skew import common_skew
from utter_calm.analysis.tone import analyze_tone
from utter_calm.cli.analyze_options import (
    Recording,
    on_recording,
)
from utter_calm.cli.skew import add_skew
from utter_calm.measure.between_channels import with_channels_compared
from utter_calm.measure.capture import Capture
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.result import Result, ResultBuilder


@on_recording(stimulus=True)
def tone(recording: Recording) -> None:
    """Level, distortion, noise and mains components of one tone.

    Without --full-scale-volts the level is in FS, where a full-scale sine is 1.
    """
    settings = FirstLookSettings(band_low_hz=recording.band[0], band_high_hz=recording.band[1])
    expected = recording.played(lambda record, rate: np.array([analyze_tone(record, rate).frequency_hz]))

    def one_channel(one: Capture) -> Result:
        found = FirstLook().analyze(settings, one)
        frequency = found.reading("fundamental_frequency")
        if expected is None or frequency is None:
            return found
        out = ResultBuilder(list(found.readings), list(found.traces), list(found.trust))
        add_skew(out, common_skew(np.array([frequency.value]), expected))
        return out.build()

    recording.show(one_channel, with_channels_compared, kind="first_look")

"""What a sweep through a loudspeaker gives: readings and traces, as they are declared."""

from __future__ import annotations

from utter_calm.measure.declare import Declared, about_record
from utter_calm.measure.driver_declared import BOXED, ELECTRICAL, MECHANICAL
from utter_calm.measure.sensed import READINGS as IMPEDANCE
from utter_calm.measure.usable import RECORD_READINGS

READINGS: dict[str, Declared] = {
    "sensitivity_2v83": Declared("sensitivity at 2.83 V", "sound_pressure", "Power mean of the response from 300 Hz to 3 kHz over "
                                 "log f, at 2.83 V and 1 m; of a loudspeaker on the floor what it gives in the free field."),
    "sensitivity_1w": Declared("sensitivity at 1 W", "sound_pressure", "The same at the volts that give 1 W into the nominal "
                               "impedance."),
    "sensitivity_in_wall": Declared("sensitivity in a wall", "sound_pressure", "At 2.83 V and 1 m, if its front were a whole wall: "
                                    "without the step that a front of its width has."),
    "sensitivity_free": Declared("sensitivity, standing free", "sound_pressure", "At 2.83 V and 1 m, if it stood free: with the "
                                 "step that a front of its width has."),
    "front_takes": Declared("the front gives", "gain", "Sensitivity standing free over that in a wall: what a front of its width "
                            "takes.", digits=3),
    "lower_10db": Declared("−10 dB, lower end", "frequency", "Where the response falls 10 dB below its mean in the band.",
                           digits=3),
    "lower_3db": Declared("−3 dB, lower end", "frequency", "Where the response falls 3 dB below that mean.", digits=3),
    "upper_3db": Declared("−3 dB, upper end", "frequency", "Where it falls 3 dB below that mean, above.", digits=3),
    "upper_10db": Declared("−10 dB, upper end", "frequency", "Where it falls 10 dB below that mean, above.", digits=3),
    "response_above": Declared("above the mean, at most", "gain", "Highest response in the band over its mean.", digits=3),
    "response_below": Declared("below the mean, at most", "gain", "Lowest response in the band over its mean.", digits=3),
    "delay": Declared("delay", "time", "Recorder's time at which the stimulus's first sample arrives by the direct sound: what is "
                      "left in the phase of the two highest octaves beyond the minimum phase."),
    "polarity": Declared("polarity", "sign", "Sign of the first strong deflection of the impulse response."),
    "first_reflection": Declared("first reflection", "time", "After the direct sound.", digits=4),
    "reflection_#": Declared("reflection {}", "time", "Arrival {} after the direct sound.", digits=4),
    "reflection_#_level": Declared("reflection {}, level", "gain", "Amplitude of arrival {} re the direct sound.", digits=3),
    "gate_start": Declared("window from", "time", "Before the direct sound; the window is 1 from half of it.", digits=3),
    "gate_stop": Declared("window to", "time", "After the direct sound; the window is 1 up to 80 % of it, or as its "
                          "form says.", digits=4),
    "lowest_valid_frequency": Declared("good from", "frequency", "One over the length of the window: below, it holds less than a "
                                       "period.", digits=3),
    "buzz_low": Declared("rub and buzz from", "frequency", "Excitation frequency from which the residual stands out.", digits=3),
    "buzz_high": Declared("rub and buzz to", "frequency", "Excitation frequency up to which it stands out.", digits=3),
    "buzz_peak": Declared("rub and buzz, peak", "distortion", "Largest instantaneous value of the residual there, over the r.m.s. "
                          "of the fundamental.", better="low", digits=3),
    "spl": Declared("sound level", "sound_pressure", "R.m.s. at the microphone while the sweep sounds.", digits=4),
    "re": ELECTRICAL["re"],
    "fc": MECHANICAL["fc"],
    **{name: BOXED[name] for name in ("qmc", "qec", "qtc", "fb", "f_low", "f_min", "f_high", "ql")},
    **{name: IMPEDANCE[name] for name in ("minimum_impedance", "minimum_impedance_frequency")},
    **about_record({
        "clock_skew": Declared("clock skew", "skew", "How much faster the recorder's clock runs; taken out."),
        "snr": Declared("SNR of the recording", "gain", "R.m.s. while the sweep sounds over that of the silence; noise slower "
                        "than that lasts is not in it.", digits=3),
        **RECORD_READINGS,
    }),
}  # fmt: skip
TRACES: dict[str, Declared] = {
    "response": Declared("response", "gain", "Sound pressure over voltage at the loudspeaker, or recorded over played, under the "
                         "window; the delay is taken out."),
    "relative": Declared("re its mean", "gain", "Response over its power mean in the band of the tolerance."),
    "group_delay": Declared("group delay", "time", "Minus the slope of the phase over angular frequency, of the response."),
    "excess_phase": Declared("excess phase", "phase", "Phase of the response less its minimum phase."),
    "harmonic_#": Declared("harmonic {}", "distortion", "Harmonic {} over the fundamental at the microphone, over excitation "
                           "frequency; no window."),
    "thd": Declared("THD", "distortion", "Root of the sum of the squares of harmonics 2 to 10."),
    "high_order": Declared("rub and buzz", "distortion", "R.m.s. of all from ten times the excitation frequency to 20 kHz over "
                           "that of the fundamental, in sixths of an octave."),
    "high_order_level": Declared("rub and buzz, level", "sound_pressure", "The r.m.s. of the same at the microphone."),
    "high_order_crest": Declared("rub and buzz, crest factor", "ratio", "Highest instantaneous value of the same over its r.m.s., "
                                 "in each stretch: 3 to 4 for noise, far more for what knocks once a period."),
    "high_order_each_ratio": Declared("each period", "distortion", "R.m.s. of the same within each period of the "
                                      "excitation over that of the fundamental; where the sweep is slow enough."),
    "high_order_each_level": Declared("level, each period", "sound_pressure", "The same at the microphone."),
    "high_order_each_crest": Declared("crest factor, each period", "ratio", "Its highest instantaneous value over "
                                      "its r.m.s. within the period."),
    "impulse": Declared("impulse response", "part", "Without a window, re its largest value."),
    "step": Declared("step response", "part", "Running integral of the impulse response, re its largest value."),
    "impedance": Declared("impedance", "impedance", "Volts at the terminals over the current."),
    "energy_time": Declared("energy-time curve", "gain", "Envelope of the impulse response (Heyser 1971), re its largest value."),
}  # fmt: skip

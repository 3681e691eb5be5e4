"""What a driver's readings and curves are; shared by free air, all ways to the compliance, and boxes."""

from __future__ import annotations

from utter_calm.measure.declare import Declared

ELECTRICAL = {
    "fs": Declared("resonance fs", "frequency", "Where the motional part is resistive, from a least-squares fit of the whole "
                   "complex curve (Thiele 1971; Small 1972); with creep, by the compliance there."),
    "re": Declared("DC resistance Re", "impedance", "Of the fitted circuit at 0 Hz, leads included unless calibrated out."),
    "qms": Declared("mechanical Q, Qms", "ratio", "Resonance quality by mechanical losses: 2π fs Mms / Rms."),
    "qes": Declared("electrical Q, Qes", "ratio", "Resonance quality by Re: 2π fs Mms Re / Bl²."),
    "qts": Declared("total Q, Qts", "ratio", "Qms Qes / (Qms + Qes), driven by a source without resistance."),
    "res": Declared("motional resistance Res", "impedance", "Peak of the motional part: Bl² / Rms."),
    "zmax": Declared("peak impedance", "impedance", "Largest magnitude about the resonance, of the fitted curve."),
    "le_1k": Declared("inductance at 1 kHz", "inductance", "Im Z / ω of the fitted coil at 1 kHz."),
    "le_10k": Declared("inductance at 10 kHz", "inductance", "Im Z / ω of the fitted coil at 10 kHz."),
    "parasitic_frequency_#": Declared("wave {} at", "frequency", "Where the magnitude leaves the smooth curve furthest, by a "
                                      "resonance that is not the driver's own; number {} by size."),
    "parasitic_height_#": Declared("wave {}, height", "impedance", "By how much the magnitude leaves the smooth curve there."),
}  # fmt: skip
MECHANICAL = {
    "mms": Declared("moving mass Mms", "mass", "With its air load in free air; from all runs together."),
    "mmd": Declared("moving mass without air, Mmd", "mass", "Mms less 8/3 ρ a³, the air that moves with a free disc."),
    "cms": Declared("compliance Cms", "compliance", "Of the suspension, at the resonance in free air."),
    "rms": Declared("mechanical losses Rms", "mechanical_resistance", "Of the suspension, at the resonance in free air."),
    "bl": Declared("force factor Bl", "force_factor", "Newton per ampere."),
    "vas": Declared("equivalent volume Vas", "volume", "ρ c² Sd² Cms: the air that is as compliant as the suspension."),
    "sd": Declared("effective area Sd", "area", "As entered: from the middle of the surround to the middle."),
    "eta0": Declared("efficiency", "part", "Reference efficiency in half space: ρ Bl² Sd² / (2π c Re Mms²)."),
    "sensitivity_2v83": Declared("sensitivity at 2.83 V", "sound_pressure", "At 1 m in half space, above the resonance, less what "
                                 "the coil's inductance takes."),
    "sensitivity_1w": Declared("sensitivity at 1 W", "sound_pressure", "At 1 m in half space, for 1 W into Re."),
    "shift": Declared("shift", "part", "Resonance of the second run over that in free air, less one."),
    "fc": Declared("resonance in the box, fc", "frequency", "As fs, with a closed box behind the cone."),
}  # fmt: skip
WAYS = ("mass", "box", "moving_mass", "sensitivity")
BY_WAY = {
    f"{name}_from_{way}": Declared(f"{MECHANICAL[name].title}, from the {way.replace('_', ' ')}", MECHANICAL[name].quantity,
                                   f"As `{name}`, from this way alone.")
    for name in ("mms", "cms", "rms", "bl", "vas", "eta0", "sensitivity_2v83") for way in WAYS
} | {f"shift_from_{way}": Declared(f"shift with the {way}", "part", "As `shift`, where there were several second runs.")
     for way in WAYS[:2]}  # fmt: skip
BOXED = {
    "qmc": Declared("mechanical Q in the box, Qmc", "ratio", "As Qms, in a closed box."),
    "qec": Declared("electrical Q in the box, Qec", "ratio", "As Qes, in a closed box."),
    "qtc": Declared("total Q in the box, Qtc", "ratio", "As Qts, in a closed box."),
    "fb": Declared("tuning fb", "frequency", "Of box and port, from the fitted circuit with its losses (Small 1973)."),
    "f_low": Declared("lower peak", "frequency", "Lower maximum of the magnitude."),
    "f_min": Declared("dip", "frequency", "Minimum of the magnitude between the peaks."),
    "f_high": Declared("upper peak", "frequency", "Upper maximum of the magnitude."),
    "ql": Declared("leakage Q, QL", "ratio", "Losses of box and port, taken as leakage."),
    "alpha": Declared("compliance ratio", "ratio", "Compliance of the suspension over that of the box."),
}  # fmt: skip
TRACES = {
    "impedance": Declared("impedance", "impedance", "Of the driver at its terminals."),
    "impedance_fit": Declared("fitted impedance", "impedance", "Of the fitted circuit, without parasitic resonances."),
    "coil": Declared("coil at rest", "impedance", "Of the fitted coil beyond its DC resistance, the cone held still."),
    "residual": Declared("what the fit leaves", "part", "Magnitude of the impedance over that of the fit, less one."),
}
WAYS_OF_COILS = {"one_coil": "one coil", "in_series": "in series", "in_parallel": "in parallel"}
BY_COILS = {
    f"{name}_{how}": Declared(f"{title}, {words}", quantity, f"As `{name}`, with two equal coils joined that way; from the "
                              "way that was measured.")
    for name, title, quantity in (
        ("re", "Re", "impedance"), ("bl", "Bl", "force_factor"), ("le_1k", "inductance at 1 kHz", "inductance"),
        ("qes", "Qes", "ratio"), ("qts", "Qts", "ratio"), ("sensitivity_2v83", "sensitivity at 2.83 V", "sound_pressure"),
    ) for how, words in WAYS_OF_COILS.items()
}  # fmt: skip
LEAST = {
    "minimum_impedance": Declared("least impedance", "impedance", "Least magnitude above the resonance."),
    "minimum_impedance_frequency": Declared("least impedance at", "frequency", "Where it lies."),
}  # fmt: skip
READINGS = {**ELECTRICAL, **LEAST, **BY_COILS, **MECHANICAL, **BY_WAY, **BOXED}

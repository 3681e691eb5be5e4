"""The units of the demo job: what a municipal planetarium bought, what its purchase sheet says, and how it is measured.

All of it is made up. Every unit has a stand-in on the simulated bench, so everything can be measured again.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from utter_calm.demo.drivers import demo_drivers
from utter_calm.demo.loudspeakers import demo_loudspeakers
from utter_calm.job.document import LOAD, Claim, Factor, MaskPoint, Plan, Step, Unit
from utter_calm.measure.kinds import KINDS
from utter_calm.quantities import NONE, Conditions, Measured
from utter_calm.quantities import db_to_amplitude as db
from utter_calm.rig import stereo_rig

_DIVIDED = stereo_rig("Simulated rig, workshop bench")
_DIRECT = stereo_rig("Simulated rig, direct", pickup_ratio=1.0, ceiling_v=3.9)
_HIGH = stereo_rig("Simulated rig, divider", ceiling_v=3.9)
_EIGHT_OHM, _FOUR_OHM, _TEN_KILOHM, _SIX_HUNDRED = (Measured(v, "ohm") for v in (8.0, 4.0, 10e3, 600.0))
_EIGHT, _FOUR = ((LOAD, _EIGHT_OHM),), ((LOAD, _FOUR_OHM),)
_LOADED = (*_EIGHT, *_FOUR)
_LEVEL = "level at the output"
_DIRECT_IN = (("series resistor", Measured(0.0, "ohm")),)
_SWITCH_LOAD = "Switch the load to {value}."


_TO_40_KHZ: dict[str, Any] = {"stop_hz": 42_000.0, "duration_s": 2.0, "rate_hz": 96_000}
"""A sweep for what is claimed up to 20 kHz."""


def _step(prefix: str, kind: str, where: Conditions = (), label: str = "", **settings: Any) -> Step:  # noqa: ANN401
    """Give a step with a few settings of its own; its id is that of its kind after the unit's prefix."""
    ident = kind.replace("_", "-") if not prefix else f"{prefix}-{kind.replace('_', '-')}"
    return Step(ident, kind, label=label, where=where).with_settings(KINDS[kind].settings_type(**settings))


Pair = tuple[Unit, Plan]


def demo_delivery() -> tuple[tuple[Unit, ...], tuple[Plan, ...]]:
    """Give the units of the delivery and the plans they are measured by; ids count from 1."""
    pairs = (
        _dome_amplifier(),
        _preamplifier(),
        _class_d(),
        _valve_amplifier(),
        _transformer(),
        _converter(),
        _cables(),
    )
    groups = (*(((unit,), plan) for unit, plan in pairs), *demo_drivers(), *demo_loudspeakers())
    planned = [(unit, f"p{n}") for n, (units, _) in enumerate(groups, start=1) for unit in units]
    units = tuple(replace(unit, id=f"u{n}", plan=plan) for n, (unit, plan) in enumerate(planned, start=1))
    return units, tuple(replace(plan, id=f"p{n}") for n, (_, plan) in enumerate(groups, start=1))


def _dome_amplifier() -> Pair:
    audio_band = tuple(MaskPoint(x, db(-0.5), db(0.1)) for x in (20.0, 20_000.0))
    unit = Unit(
        name="Dome amplifier DA-3",
        sample="no. 0117",
        settings="gain fixed, both channels driven",
        nominal_gain=db(29.6),
        notes="Delivered with a dented lid; feet missing. Runs warm to the touch after ten minutes into 4 Ω.",
    )
    return unit, Plan(
        rig=_DIVIDED,
        steps=(
            _step("", "first_look", _LOADED),
            _step("", "response", level_v=0.3, duration_s=2.0),
            _step("", "level_series", _LOADED, label="Distortion against power", nominal_v=2.83),
            _step("", "frequency_series", _EIGHT, level_v=0.3, points=21, lower_levels="0.094 V, 0.03 V"),
            replace(
                _step("", "frequency_series", _EIGHT, label="The same out of one sweep", method="swept", level_v=0.3, sweep_s=2.0),
                id="frequency-sweep",
            ),
            _step("", "noise", _EIGHT),
            _step("", "multitone", _EIGHT, level_v=0.2, periods=2),
            _step("", "intermodulation", _EIGHT, level_v=0.3),
            _step("", "crosstalk", _EIGHT, level_v=0.2),
            _step("", "edges", _EIGHT),
            _step("", "impedance", label="Output impedance"),
            _step("", "power_series", label="Power against the label", claims="8 ohm 60 W, 4 ohm 100 W"),
        ),
        factors=(Factor(LOAD, (_EIGHT_OHM, _FOUR_OHM, NONE), _SWITCH_LOAD),),
        claims=(
            Claim("gain", "Gain 29.6 dB ± 0.2 dB", "first-look", "gain", db(29.4), db(29.8)),
            Claim("thdn-8", "THD+N at most 0.005 % at 1 W into 8 Ω", "first-look", "thd_n", high=5e-5, conditions=_EIGHT),
            Claim("noise", "Hum and noise at most 100 µV, 20 Hz to 20 kHz", "first-look", "noise", high=100e-6),
            Claim("h8-8", "Eighth harmonic at most −150 dB into 8 Ω", "first-look", "harmonic_8", high=db(-150), conditions=_EIGHT),
            Claim("corner-8", "−3 dB at 65 kHz or above into 8 Ω", "response", "upper_corner", 65e3, conditions=_EIGHT),
            Claim("corner-4", "−3 dB at 65 kHz or above into 4 Ω", "response", "upper_corner", 65e3, conditions=_FOUR),
            Claim("flat-8", "20 Hz to 20 kHz, +0.1 to −0.5 dB into 8 Ω", "response", "relative", mask=audio_band,
                  conditions=_EIGHT),
            Claim("gain-4", "Gain into 4 Ω at least 29.48 dB", "first-look", "gain", db(29.48), conditions=_FOUR),
            Claim("match", "Channels alike within 0.1 dB", "response", "channel_difference", high=db(0.1)),
            Claim("watts-8", "60 W into 8 Ω at 1 % THD+N, both driven", "level-series", "power_at_1_percent", 60.0,
                  conditions=_EIGHT),
            Claim("watts-4", "90 W into 4 Ω at 1 % THD+N, both driven", "level-series", "power_at_1_percent", 90.0,
                  conditions=_FOUR),
            Claim("label-8", "60 W into 8 Ω, as on the label", "power-series", "rated_power", 60.0, conditions=_EIGHT),
            Claim("damping", "Damping factor 100 or more at 1 kHz", "impedance", "damping_factor", 100.0),
            Claim("crosstalk", "Crosstalk at most −80 dB at 10 kHz", "crosstalk", "crosstalk_at_10khz", high=1e-4),
        ),
    )  # fmt: skip


def _preamplifier() -> Pair:
    flat = (("treble", "flat"),)
    low = (("gain switch", "low"),)
    unit = Unit(
        name="Console preamplifier CP-12",
        sample="no. 0042",
        settings="volume full, bass flat",
        nominal_gain=db(6.0),
        stand_in="preamplifier",
        notes="The knobs are stiff; the legend of channel 2 peels.",
    )
    return unit, Plan(
        rig=_DIRECT,
        steps=(
            _step("preamp", "first_look", (*flat, *_DIRECT_IN), level_v=0.2),
            _step("preamp", "response", _DIRECT_IN, level_v=0.1, **_TO_40_KHZ),
            replace(_step("preamp", "response", (*low, *flat), label="Response, for the input impedance", level_v=0.2,
                          stop_hz=60_000.0, duration_s=2.0),
                    id="preamp-response-input"),
            _step("preamp", "noise", (*flat, *_DIRECT_IN), reference_v=1.0),
            _step("preamp", "intermodulation", (*low, *flat, *_DIRECT_IN), level_v=0.5, duration_s=0.5),
            _step("preamp", "tracking", (*low, *flat, *_DIRECT_IN), level_v=0.5),
            _step("preamp", "impedance", (*low, *flat), label="Input impedance", side="input"),
        ),
        factors=(
            Factor(LOAD, (_TEN_KILOHM,), _SWITCH_LOAD),
            Factor("gain switch", ("low", "high"), "Set the gain switch at the back to {value}.", cost=2.0),
            Factor("treble", ("cut", "flat", "boost"), "Turn treble to {value}."),
            Factor("series resistor", (Measured(0.0, "ohm"), _TEN_KILOHM), "Put {value} in series with the input.", cost=2.0),
        ),
        claims=(
            Claim("pre-gain", "Gain 6 dB ± 0.3 dB, switch at low", "preamp-first-look", "gain", db(5.7), db(6.3), conditions=low),
            Claim("pre-noise", "Noise at most 12 µV A-weighted, switch at low", "preamp-noise", "noise_a", high=12e-6,
            conditions=low),
            Claim("pre-tracking", "Volume tracks within 1 dB", "preamp-tracking", "tracking_error", high=db(1.0)),
            Claim("pre-input", "Input impedance 20 kΩ or more", "preamp-impedance", "input_impedance", 20e3),
            Claim("pre-thdn", "THD+N at most 0.005 % at low gain", "preamp-first-look", "thd_n", high=5e-5, conditions=low),
        ),
    )  # fmt: skip


def _class_d() -> Pair:
    inside = (("pre-filter", "in"),)
    unit = Unit(
        name="Class-D amplifier DD-2", sample="no. 0008", settings="no limiter", nominal_gain=db(26.0), stand_in="class-D amplifier"
    )
    return unit, Plan(
        rig=_DIVIDED,
        steps=(
            _step("classd", "first_look", level_v=0.14, band_high_hz=90_000.0, rate_hz=192_000),
            _step("classd", "frequency_series", inside, level_v=0.4, points=21, band_high_hz=60_000.0),
            _step("classd", "level_series", inside, label="Distortion against power"),
        ),
        factors=(
            Factor(LOAD, (_EIGHT_OHM,), _SWITCH_LOAD),
            Factor("pre-filter", ("out", "in"), "Put the low-pass before the pickup {value}."),
        ),
        claims=(
            Claim("d-thdn", "THD+N at most 0.01 % at 1 W", "classd-first-look", "thd_n", high=1e-4, conditions=inside),
            Claim("d-watts", "50 W into 8 Ω at 1 %", "classd-level-series", "power_at_1_percent", 50.0),
        ),
    )  # fmt: skip


def _valve_amplifier() -> Pair:
    unit = Unit(
        name="Foyer valve amplifier FV-1",
        sample="no. 0003",
        settings="triode",
        nominal_gain=db(21.0),
        stand_in="valve amplifier",
        notes="The left output valve was changed by the maker; the other one is the old one.",
    )
    return unit, Plan(
        rig=_DIVIDED,
        steps=(
            _step("valve", "first_look", level_v=0.1),
            _step("valve", "response", level_v=0.05, stop_hz=60_000.0, duration_s=2.0),
            replace(_step("valve", "response", label="Response, loud", level_v=0.5, stop_hz=60_000.0, duration_s=2.0),
                    id="valve-response-loud"),
            _step("valve", "level_series", label="Distortion against power", start_v=0.01),
        ),
        factors=(
            Factor(LOAD, (_EIGHT_OHM,), _SWITCH_LOAD),
            Factor("left valve", ("old", "new"), "Fit the {value} valve on the left.", cost=6.0),
        ),
        claims=(
            Claim("v-watts", "3 W into 8 Ω at 10 %", "valve-level-series", "power_at_10_percent", 3.0),
            Claim("v-match", "Channels alike within 1.5 dB", "valve-response", "channel_difference", high=db(1.5)),
        ),
    )  # fmt: skip


def _transformer() -> Pair:
    unit = Unit(name="Line transformer LT-1", sample="no. 0021", settings="1:1", nominal_gain=1.0, stand_in="line transformer")
    return unit, Plan(
        rig=_HIGH,  # without a load its top rings far above what it is driven with
        steps=(_step("line", "response", stop_hz=88_000.0, start_hz=8.0, level_v=0.1, duration_s=2.0),),
        factors=(
            Factor(LOAD, (_SIX_HUNDRED, _TEN_KILOHM), _SWITCH_LOAD),
            Factor(_LEVEL, (Measured(0.1, "V"), Measured(3.0, "V")), sets="level_v"),
        ),
        claims=(
            Claim("t-top", "Within ± 1 dB to 20 kHz into 600 Ω", "line-response", "deviation_at_20khz", db(-1), db(1),
                  conditions=((LOAD, _SIX_HUNDRED),)),
            Claim("t-bass", "At most 1.5 dB down at 20 Hz at 3 V", "line-response", "deviation_at_20hz", db(-1.5),
                  conditions=((_LEVEL, Measured(3.0, "V")),)),
        ),
    )  # fmt: skip


def _converter() -> Pair:
    unit = Unit(name="Show converter SC-2", sample="no. 0310", settings="16 bit", nominal_gain=1.0, stand_in="show converter")
    return unit, Plan(
        rig=_DIRECT,
        steps=(
            _step("conv", "first_look", level_v=1.0),
            _step("conv", "noise", method="tone", full_scale_v=2.0),
            _step("conv", "multitone", (("clock", "shared"),), level_v=0.3, periods=2),
        ),
        factors=(
            Factor("dither", ("on", "off"), "Switch dither {value}."),
            Factor("clock", ("shared", "own"), "Set its clock to {value}.", cost=2.0),
        ),
        claims=(
            Claim("c-range", "Dynamic range 92 dB (AES17)", "conv-noise", "dynamic_range", db(92.0), conditions=(("dither",
            "on"),)),
            Claim("c-tone", "No idle tone above 10 µV", "conv-noise", "idle_tone_1", high=1e-5, conditions=(("dither", "on"),)),
        ),
    )  # fmt: skip


def _cables() -> Pair:
    unit = Unit(
        name="Patch cable PC, 6 m",
        sample="three of the batch",
        settings="both ends seated",
        nominal_gain=1.0,
        stand_in="patch cable",
    )
    return unit, Plan(
        rig=_DIRECT,
        steps=(
            _step("cable", "response", level_v=1.0, **{**_TO_40_KHZ, "duration_s": 4.0}),
            _step("cable", "noise"),
        ),
        factors=(
            Factor(LOAD, (_TEN_KILOHM,), _SWITCH_LOAD),
            Factor("cable", ("no. 1", "no. 2", "no. 3"), "Plug in cable {value}."),
        ),
        claims=(Claim("p-flat", "20 Hz to 20 kHz within 0.1 dB", "cable-response", "ripple", high=db(0.1)),),
    )  # fmt: skip

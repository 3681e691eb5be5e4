"""Stated uncertainties are true: over seeded repeats with known noise the scatter is what is stated, within 0.7 to 1.4.

Calibration does not scatter from repeat to repeat: these records come without one, so that the noise stands alone. Where a
reading states a systematic part besides, as the detector of quasi-peaks does, that part is taken off first.
"""

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import volts_capture
from utter_calm.analysis.quasi_peak import U_QUASI_PEAK
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.tone_readings import add_tone_readings
from utter_calm.quantities import Measured
from utter_calm.rig import stereo_rig
from utter_calm.signals.square import square

RATE, REPEATS = 48_000, 60
SYSTEMATIC = {"noise_468": U_QUASI_PEAK}


def look(rng):
    kind = KINDS["first_look"]
    t = np.arange(RATE // 2) / RATE
    x = 0.5 * np.sin(2 * np.pi * 997.13 * t + rng.uniform(0, 6))
    x += sum(0.5e-3 / k * np.sin(2 * np.pi * 997.13 * k * t + k) for k in range(2, 6))
    x += rng.normal(0, 1e-4, len(t))
    return kind.analyze(kind.settings_type(duration_s=0.5, rate_hz=RATE), volts_capture(x[:, None], RATE))


def noise(rng):
    kind = KINDS["noise"]
    record = rng.normal(0, 1e-3, RATE // 2)[:, None]
    return kind.analyze(kind.settings_type(duration_s=0.5, rate_hz=RATE), volts_capture(record, RATE, 1.0))


def edges(rng):
    kind = KINDS["edges"]
    settings = kind.settings_type()
    x = square(settings.frequency_hz, 0.3, settings.rate_hz, settings.rate_hz // 4)
    x = x + rng.normal(0, 1e-3, len(x))
    return kind.analyze(settings, volts_capture(x[:, None], settings.rate_hz, 1.0))


def multitone(rng):
    kind = KINDS["multitone"]
    settings = kind.settings_type()
    stimulus = kind.stimulus(settings)
    heard = stimulus.volts / 4 + rng.normal(0, 1e-5, len(stimulus.volts))
    return kind.analyze(settings, volts_capture(heard[:, None], stimulus.rate_hz, 4 / np.sqrt(2)))


def scatter(measure, repeats=REPEATS):
    """Standard deviation over mean square stated, for each reading that every repeat gives."""
    held: dict[str, list[tuple[float, float]]] = {}
    for seed in range(repeats):
        for reading in measure(np.random.default_rng(seed)).readings:
            if reading.uncertainty:
                held.setdefault(reading.name, []).append((reading.value, reading.uncertainty / 2))
    out = {}
    for name, pairs in held.items():
        if len(pairs) < repeats:
            continue
        value, u = np.array(pairs).T
        own = u**2 - (SYSTEMATIC.get(name, 0.0) * value) ** 2
        out[name] = float(np.std(value, ddof=1) / np.sqrt(np.mean(own)))
    return out


@pytest.mark.parametrize(
    ("measure", "named"),
    [
        (look, {"level", "thd", "thd_n", "sinad", "enob", "noise", "snr", "noise_a", "noise_468", "dc", "fundamental_frequency",
                "harmonic_2", "harmonic_5"}),
        (noise, {"noise", "noise_a", "noise_468", "noise_468_2k", "noise_density"}),
        (edges, {"rise_time", "fall_time", "slew_rate", "step_height", "droop"}),
        (multitone, {"multitone_residual"}),
    ],
    ids=lambda v: getattr(v, "__name__", ""),
)  # fmt: skip
def test_the_scatter_is_what_is_stated(measure, named):
    found = scatter(measure)
    assert named <= set(found)
    # a magnitude that is lost in the noise is not spread evenly about its value: those are told by their size, not their spread
    wrong = {name: share for name, share in found.items() if name in named and not 0.7 <= share <= 1.4}
    assert not wrong


def test_noise_in_a_narrow_band_counts_its_degrees_of_freedom():
    """Half the root of K / (B T): lines hang together over K bins, for a bell-shaped window its noise bandwidth times root 2."""
    kind = KINDS["noise"]

    def stated(high_hz):
        rng = np.random.default_rng(3)
        settings = kind.settings_type(duration_s=1.0, rate_hz=RATE, band_high_hz=high_hz)
        got = [kind.analyze(settings, volts_capture(rng.normal(0, 1e-3, (RATE, 1)), RATE, 1.0)).reading("noise") for _ in range(8)]
        return float(np.mean([r.uncertainty / 2 / r.value for r in got]))

    narrow, wide = stated(1_020.0), stated(4_020.0)
    assert narrow == pytest.approx(2 * wide, rel=0.1)
    assert narrow == pytest.approx(0.5 * np.sqrt(2.632 * np.sqrt(2) / 1_000), rel=0.1)


def test_the_spread_of_watts_is_twice_that_of_volts_and_the_loads_joined():
    """u(P) / P = hypot(2 u(V) / V, u(R) / R): with the calibration far above the noise, in closed form."""
    from utter_calm.analysis.tone import analyze_tone

    t = np.arange(RATE) / RATE
    x = 0.5 * np.sin(2 * np.pi * 997 * t) + np.random.default_rng(1).normal(0, 1e-7, RATE)
    for u_level, u_load in ((0.01, 0.0), (0.0, 0.004), (0.003, 0.004)):
        rig = replace(stereo_rig(u_level=u_level, u_load=u_load, pickup_ratio=1.0))
        capture = replace(volts_capture(x[:, None], RATE, 1.0), rig=rig, load_ohm=8.0, channels=rig.recorded[:1])
        out = ResultBuilder()
        add_tone_readings(out, analyze_tone(capture.signal(1), RATE), capture, 1)
        power = out.build().reading("power")
        assert power.uncertainty / 2 / power.value == pytest.approx(np.hypot(2 * u_level, u_load), rel=1e-3)


def test_the_spread_of_a_response_is_that_of_its_noise():
    """A flat path with noise: the response's scatter at each frequency against what the trace states."""
    kind = KINDS["response"]
    settings = kind.settings_type(duration_s=1.0, stop_hz=20_000.0, rate_hz=RATE)
    (stimulus,) = [p.volts for p in passages_of(kind, settings)]
    curves, stated = [], []
    for seed in range(40):
        heard = stimulus / (4 * np.sqrt(2)) + np.random.default_rng(seed).normal(0, 1e-3, len(stimulus))
        capture = replace(volts_capture(heard[:, None], RATE, 4.0), drive_known=True)
        trace = kind.analyze(settings, capture).trace("response")
        inside = (trace.x > 100) & (trace.x < 10_000)
        curves.append(trace.magnitude[inside])
        stated.append(trace.uncertainty[inside] / 2)
    share = np.std(curves, axis=0, ddof=1) / np.sqrt(np.mean(np.square(stated), axis=0))
    assert 0.7 <= np.sqrt(np.mean(share**2)) <= 1.4


def passages_of(kind, settings):
    """The passages of a kind that plays one."""
    steps = kind.passages(settings, stereo_rig())
    passage = next(steps)
    steps.close()
    return [passage]


def test_an_output_impedance_carries_the_loads_uncertainty():
    """Z = R (V0 / V - 1): dZ/Z from the load alone is u(R) / R, whatever the noise."""
    from utter_calm.measure.deduction import Given
    from utter_calm.measure.result import Result, Trace

    kind = KINDS["impedance"]
    settings = kind.settings_type()
    f = np.geomspace(20, 20_000, 200)
    open_, loaded = 30.0, 30.0 * 8 / 8.04

    def given(volts, load, u_load):
        trace = Trace("response", 1, f, "Hz", np.full(200, volts), "1", np.zeros(200), np.full(200, 1e-9))
        return (Given((("load", load),), {}, Result((), (trace,)), stereo_rig(u_load=u_load, u_flatness=0.0, u_level=0.0)),)

    spreads = {}
    for u_load in (0.0, 0.02, 0.04):
        takes = {need.key: given(volts, value, u_load) for need, volts, value in zip(
            kind.needs(settings), (open_, loaded), ("none", Measured(8.0, "ohm")), strict=True)}  # fmt: skip
        result = kind.deduce(settings, takes)
        reading = result.reading("output_impedance")
        assert reading.value == pytest.approx(0.04, rel=1e-3)
        spreads[u_load] = (reading.uncertainty or 0.0) / 2 / reading.value
    assert spreads[0.02] == pytest.approx(0.02, rel=0.05)
    assert spreads[0.04] == pytest.approx(0.04, rel=0.05)
    assert spreads[0.0] < 0.002

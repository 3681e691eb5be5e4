"""Every kind gives the same answers however late the device is, and whether or not it says so."""

from dataclasses import replace

import pytest

from tests.conftest import bench_of
from utter_calm.measure.kind import StepKind
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.level_effect import THD, VOLTS, WATTS, Effect, find_level
from utter_calm.measure.take_step import take_step
from utter_calm.rig import SimulatedDevice, stereo_rig

QUICK = {
    "alignment": {"patience_s": 2.0},
    "first_look": {"duration_s": 0.4},
    "response": {"duration_s": 1.0},
    "level_series": {"start_v": 0.05, "step_db": 6.0, "record_s": 0.05, "refine": "no"},
    "frequency_series": {"points": 6},
    "noise": {"duration_s": 0.5},
    "tracking": {"duration_s": 0.2},
    "impedance_sweep": {"duration_s": 2.0},
    "break_in": {"duration_s": 2.0},
}
PLAYED = [kind for kind in KINDS.values() if isinstance(kind, StepKind)]


def measured(kind, latency_s, *, tells):
    rig, device, load = bench_of(kind.key, latency_s=latency_s, tells_latency=tells)
    settings = replace(kind.settings_type(), **QUICK.get(kind.key, {}))
    prepare = lambda pairs: [device.set(f, v) for f, v in pairs]  # noqa: E731
    return take_step(kind, settings, device, rig, load_ohm=load, prepare=prepare)


@pytest.fixture(scope="module")
def prompt():
    """Main readings with a device that is not late."""
    return {kind.key: measured(kind, 0.0, tells=True)[1] for kind in PLAYED}


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("latency_s", "tells"), [(0.02, False), (0.12, True), (0.6, False)])
@pytest.mark.parametrize("kind", PLAYED, ids=lambda k: k.key)
def test_the_answers_are_the_same(prompt, kind, latency_s, tells):
    capture, result = measured(kind, latency_s, tells=tells)
    if kind.highest_level(kind.settings_type()):  # what plays nothing need not know
        assert capture.latency_frames >= round(latency_s * capture.rate_hz)
    wanted = prompt[kind.key]
    assert {t.code for t in result.trust if t.grave} == {t.code for t in wanted.trust if t.grave}
    compared = 0
    for reading in wanted.readings:
        if reading.name not in kind.main_readings or reading.uncertainty is None:
            continue
        again = next(r for r in result.readings if r.identity == reading.identity)
        # a unit that was just switched on still moves by a thousandth of a degree
        within = max(3 * reading.uncertainty, 2e-5 if reading.unit == "rad" else 0.0)
        assert again.value == pytest.approx(reading.value, abs=within, rel=1e-4), reading
        compared += 1
    assert compared or kind.key == "alignment"  # its level is that of known noise: no uncertainty is stated


@pytest.mark.sampled(1)
@pytest.mark.parametrize(("latency_s", "tells"), [(0.0, True), (0.06, True), (0.12, False), (0.6, True)])
def test_a_level_is_found_however_late_the_answer_comes(latency_s, tells):
    rig = stereo_rig()
    device = SimulatedDevice(rig, latency_s=latency_s, tells_latency=tells)
    watts = find_level(Effect(WATTS, 1.0), device, rig, load_ohm=8.0)
    assert watts.reached
    assert watts.level == pytest.approx(8**0.5 / 30.03, rel=5e-3)
    volts = find_level(Effect(VOLTS, 3.0), device, rig, load_ohm=8.0)
    assert volts.level == pytest.approx(3 / 30.03, rel=5e-3)
    thd = find_level(Effect(THD, 0.01), device, rig, load_ohm=8.0)
    assert (30.03 * thd.level) ** 2 / 8 == pytest.approx(62, rel=0.02)

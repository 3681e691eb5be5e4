"""Every kind of step through a real JACK server whose loop gives back every bit, at two rates."""

from dataclasses import replace

import numpy as np
import pytest

from tests.audio_server import served_steps
from tests.conftest import bench_of
from utter_calm.errors import NoSignal
from utter_calm.measure.kind import StepKind
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.take_step import take_step
from utter_calm.rig import DRIVE, Channel

pytestmark = pytest.mark.sounding
SHORT = {
    "first_look": {"duration_s": 0.4},
    "response": {"duration_s": 0.4, "stop_hz": 20_000.0},
    "level_series": {"start_v": 0.5, "step_db": 6.0, "refine": "no"},
    "frequency_series": {"points": 3, "start_hz": 200.0, "band_high_hz": 22_000.0},
    "noise": {"duration_s": 0.4},
    "multitone": {"periods": 1},
    "tracking": {"positions": "half, full", "duration_s": 0.2},
    "alignment": {"patience_s": 2.0},
    "impedance_sweep": {"duration_s": 0.5, "start_hz": 100.0, "closer": "no"},
    "break_in": {"duration_s": 1.0},
    "loudspeaker": {"duration_s": 0.5, "distance_m": 0.01},  # a cable: the sound comes at once
}
PLAYED = [k.key for k in KINDS.values() if isinstance(k, StepKind)]


__all__ = ["served_steps"]


@pytest.mark.parametrize("key", PLAYED)
def test_every_kind_of_step_runs_on_a_real_server(served_steps, key):
    rate, device, address = served_steps
    rig, _, load = bench_of(key)
    rig = replace(rig, impedance=None, parts=tuple(p for p in rig.parts if p.kind != "divider"), sound=address,
                  outputs=tuple(Channel(n, role=DRIVE, full_scale=4.0) for n in (1, 2)))  # fmt: skip
    kind = KINDS[key]
    settings = replace(kind.settings_type(), rate_hz=rate, **SHORT.get(key, {}))
    if key == "noise":  # a loop of bits has none
        with pytest.raises(NoSignal, match="silent to the bit"):
            take_step(kind, settings, device, rig, load_ohm=load)
        return
    capture, result = take_step(kind, settings, device, rig, load_ohm=load, prepare=lambda _pairs: None)
    names = {r.name for r in result.readings}
    assert capture.lost_frames == 0
    assert names & {kind.headline, *kind.main_readings}
    assert not [t.text for t in result.trust if t.grave and t.code != "no_direct_sound"]
    if "gain" in names:
        assert result.reading("gain", 1).value == pytest.approx(1.0, abs=1e-6)
    if "sinad" in names:
        assert 20 * np.log10(result.reading("sinad", 1).value) > 140

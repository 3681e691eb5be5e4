"""One gate: whatever plays, by whichever way, passes it; it knows the rig, the parts behind its outputs, the unit, and ears."""

import ast
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import utter_calm
from utter_calm.errors import InputError
from utter_calm.measure.level_effect import VOLTS, Effect, find_level
from utter_calm.measure.volts_tone import VoltsTone
from utter_calm.measure.wiring import check_wiring
from utter_calm.rig import DRIVE, LOOPBACK, Channel, Part, SimulatedDevice, StreamSettings, acoustic_rig, stereo_rig
from utter_calm.rig.gate import Gate
from utter_calm.rig.live import LiveTone
from utter_calm.rig.port import Port
from utter_calm.rig.protection import Protection
from utter_calm.rig.rating import Rating
from utter_calm.rig.rig import AMPLIFIER
from utter_calm.signals.tone import sine

SOURCE = Path(utter_calm.__file__).parent
RATE = 48_000


class Watched(SimulatedDevice):
    """A device that keeps the largest volts at the unit that each output was told to give."""

    def open(self, settings):
        stream = super().open(settings)
        self.peaks = np.zeros(self.info.outputs)
        volts = np.array([c.full_scale for c in self.rig.played]) * math.sqrt(2)
        inner = stream.exchange

        def exchange(samples):
            self.peaks = np.maximum(self.peaks, np.max(np.abs(samples), axis=0, initial=0.0) * volts)
            return inner(samples)

        stream.exchange = exchange
        return stream


def test_only_the_port_gives_samples_to_a_stream():
    """Whoever opened a device or exchanged a block beside the port would go round the gate."""
    beside = []
    for path in SOURCE.rglob("*.py"):
        if path.is_relative_to(SOURCE / "rig" / "sound") or path.is_relative_to(SOURCE / "standins") or path.name == "simulated.py":
            continue  # devices themselves
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "exchange":
                beside.append((path.relative_to(SOURCE).as_posix(), ast.unparse(node.func.value)))
    assert {where for where, _ in beside} <= {"rig/port.py", "rig/live.py"}
    assert {who for where, who in beside if where == "rig/live.py"} == {"port"}
    assert {who for where, who in beside if where == "rig/port.py"} == {"self._stream"}


def test_the_port_lets_nothing_past_its_gate():
    """Each of its ways to a stream asks the gate: what it refuses never arrives."""
    source = (SOURCE / "rig" / "port.py").read_text("utf-8")
    assert source.count("self._stream.exchange(") == source.count("def exchange(") + source.count("def _send(")

    class Shut(Gate):
        def check(self, samples):
            if np.any(samples):
                raise InputError("shut")

        check_block = check

    rig = stereo_rig()
    device = Watched(rig)
    for way in ("play", "exchange", "hold"):
        port = Port(device, StreamSettings(RATE, 1024), gate=Shut(rig, 2, RATE), fills_pauses=False)
        with pytest.raises(InputError, match="shut"):
            {"play": _play, "exchange": _exchange, "hold": _hold}[way](port)
        port.close()
        assert not np.any(device.peaks), way


def _play(port):
    port.play(np.full((2000, 2), 0.01))


def _exchange(port):
    port.exchange(np.full((100, 2), 0.01))


def _hold(port):
    port.play(np.zeros((100, 2)), hold=lambda n: np.full((n, 2), 0.01))
    port.play(np.zeros((4000, 2)))


@pytest.mark.parametrize(("part", "refused"), [(1.0, False), (0.9999 * math.sqrt(2), True), (1.02, False), (1.05, True)])
def test_the_ceiling_is_one_of_rms_and_of_peaks(part, refused):
    """A square as high as a permitted sine has 1.41 times its r.m.s."""
    rig = stereo_rig(output_full_scale_v=4.0, ceiling_v=1.0)
    gate = Gate(rig, 2, RATE)
    square = np.where(sine(100.0, 1.0, RATE, 2 * RATE) >= 0, 1.0, -1.0) * part / gate.peaks[0]
    samples = np.stack([square, square], axis=1)
    for ask in (gate.check, lambda s: [gate.check_block(s) for _ in range(2)]):
        if refused:
            with pytest.raises(InputError, match=r"r\.m\.s\. on output 1"):
                ask(samples)
        else:
            ask(samples)


def test_a_sine_at_the_ceiling_passes_and_one_a_decibel_over_does_not():
    rig = stereo_rig(output_full_scale_v=4.0, ceiling_v=1.0)
    for frequency in (1.0, 3.0, 20.0, 997.0):
        gate = Gate(rig, 2, RATE)
        tone = np.repeat(sine(frequency, math.sqrt(2), RATE, 4 * RATE)[:, None], 2, axis=1) / gate.peaks
        gate.check(tone)
        with pytest.raises(InputError, match="above the ceiling"):
            gate.check(tone * 10 ** (0.01 / 20))


@pytest.mark.parametrize("db", [1.0, 0.02])
def test_a_single_sample_beyond_the_ceiling_is_refused(db):
    rig = stereo_rig(output_full_scale_v=4.0, ceiling_v=1.0)
    gate = Gate(rig, 2, RATE)
    samples = np.zeros((1000, 2))
    samples[500, 1] = math.sqrt(2) / gate.peaks[1] * 10 ** (-db / 20)
    gate.check(samples)
    samples[500, 1] = math.sqrt(2) / gate.peaks[1] * 10 ** (db / 20)
    with pytest.raises(InputError, match="output 2"):
        gate.check(samples)


def test_outputs_that_drive_nothing_stay_silent_and_hear_no_chirp():
    rig = stereo_rig(outputs=3, inputs=2)
    rig = replace(rig, outputs=(*rig.outputs[:2], replace(rig.outputs[2], role=LOOPBACK)))
    device = Watched(rig, tells_latency=False)
    gate = Gate(rig, 3, RATE)
    with pytest.raises(InputError, match="Output 3 drives nothing"):
        gate.check(np.full((10, 3), 0.001))
    port = Port(device, StreamSettings(RATE, 1024), gate=gate, probe=0.02)
    port.play(np.zeros((1000, 3)))
    port.close()
    assert np.all(device.peaks[:2] > 0)
    assert device.peaks[2] == 0


def test_calibrating_volts_minds_the_amplifier_behind_the_output():
    """A gain of 30 behind the output and a ceiling of 2 V: 37.9 V came out of it."""
    rig = stereo_rig(output_full_scale_v=4.0, ceiling_v=2.0, pickup_ratio=1.0)
    rig = replace(rig, parts=(*rig.parts, Part(AMPLIFIER, 30.0, side="output", channels=(1, 2))))
    device = Watched(rig)
    tone = VoltsTone(device, rig, 1, RATE)
    tone.go_up()
    tone.close()
    assert 0 < device.peaks.max() <= 2.0 * math.sqrt(2) * (1 + 1e-9)


def test_a_search_stops_at_what_the_unit_takes():
    rig = stereo_rig(pickup_ratio=1.0, ceiling_v=3.9)
    device = Watched(rig)
    device.set("unit", "cable")
    found = find_level(Effect(VOLTS, 3.0), device, rig, load_ohm=None, rating=Rating(volts=0.5))
    assert not found.reached
    assert device.peaks.max() <= 0.5 * math.sqrt(2) * (1 + 1e-6)
    with pytest.raises(InputError, match="takes no tone"):
        find_level(Effect(VOLTS, 0.1, frequency_hz=100.0), device, rig, load_ohm=None, rating=Rating(lowest_hz=2000.0))


def test_the_live_tone_minds_the_tweeters_guard_and_limits_that_are_lowered_while_it_runs():
    rig = stereo_rig(pickup_ratio=1.0, ceiling_v=2.0)
    with pytest.raises(InputError, match="guarded below"):
        LiveTone(Watched(rig), rig, 200.0, 0.1, RATE, rating=Rating(lowest_hz=2000.0))
    tone = LiveTone(Watched(rig), rig, 997.0, 1.0, RATE)
    try:
        assert tone.hold(replace(rig, protection=Protection(ceiling_fs=0.1)), None) == pytest.approx(0.4)
        assert tone.hold(rig, Rating(volts=0.2)) == pytest.approx(0.2, rel=2e-3)
        with pytest.raises(InputError, match="unit takes"):
            tone.set_level(0.3)
        assert tone.hold(rig, Rating(lowest_hz=5000.0)) == 0.0
    finally:
        tone.mute()
        tone.wait()


def test_a_limit_in_sound_pressure_needs_a_microphone():
    loud = Protection(ceiling_pa=1.0)
    with pytest.raises(InputError, match="no calibrated microphone"):
        Gate(replace(stereo_rig(), protection=loud), 2, RATE)
    Gate(replace(acoustic_rig(), protection=loud), 1, RATE)


def test_leads_are_not_probed_below_a_guard():
    rig = stereo_rig()
    device = Watched(rig)
    assert check_wiring(device, rig, level_v=0.02, nominal_gain=30.0, rating=Rating(lowest_hz=2000.0)) == []
    assert not hasattr(device, "peaks")


def test_a_rig_with_more_outputs_than_the_device_is_refused():
    rig = replace(stereo_rig(), outputs=(Channel(5, role=DRIVE),))
    with pytest.raises(InputError, match="output 5"):
        Gate(rig, 2, RATE)

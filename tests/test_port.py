"""The port: aligned whatever the latency, any number of channels, never silent at once, never starved."""

import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import gate_of
from tests.test_rig import ScriptedDevice
from utter_calm.errors import Cancelled, InputError, NoSignal
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kind import Passage
from utter_calm.measure.player import Player
from utter_calm.measure.take_step import take_step
from utter_calm.rig import Port, RecordedBlock, SimulatedDevice, StreamSettings, stereo_rig
from utter_calm.rig.fade import fade_frames

RATE = 48_000


class Delayed(ScriptedDevice):
    """Gives back what is played, so many frames later, with a little noise; may not know how late it is."""

    def __init__(self, frames, *, tells=True, outputs=2, inputs=2, gain=0.5, noise=1e-4):
        super().__init__(outputs=outputs, inputs=inputs)
        self.late, self.gain, self.noise = frames, gain, noise
        self.latency_frames = frames if tells else None
        self.waiting = np.zeros((frames, outputs))
        self.rng = np.random.default_rng(1)

    def exchange(self, samples):
        self.played.append(samples.copy())
        first, self.frame = self.frame, self.frame + len(samples)
        line = np.concatenate([self.waiting, samples])
        out, self.waiting = line[: len(samples)], line[len(samples) :]
        heard = self.gain * out[:, [k % out.shape[1] for k in range(self.info.inputs)]]
        return RecordedBlock(first, heard + self.rng.normal(0, self.noise, heard.shape), (False,) * self.info.inputs)


def ramped(frames=9_600, peak=0.4):
    return peak * np.sin(2 * np.pi * 997 * np.arange(frames) / RATE) * np.minimum(1, np.arange(frames)[::-1] / 480)


@pytest.mark.sampled(4)
@pytest.mark.parametrize("tells", [True, False])
@pytest.mark.parametrize("late", [0, 960, 5_760, 28_800])
def test_what_is_recorded_answers_what_was_played(late, tells):
    device = Delayed(late, tells=tells)
    port = Port(device, StreamSettings(RATE, 2_048), gate=gate_of(RATE), probe=0.02)
    wanted = np.repeat(ramped()[:, None], 2, axis=1)
    for _ in range(2):
        got = port.play(wanted)
        assert got.latency_frames == late
        assert got.samples == pytest.approx(0.5 * wanted, abs=1e-3)
    port.close()


@pytest.mark.parametrize("late", [0, 960, 5_760])
@pytest.mark.parametrize("paced", [True, False])
def test_in_real_time_silence_before_a_sound_is_taken_from_what_was_silent_already(late, paced):
    """What answers it is on its way in already, for each sound is followed by as much silence as its answer takes to come."""
    device = Delayed(late)
    device.info = replace(device.info, simulated=False)
    port = Port(device, StreamSettings(RATE, 1_024, paced=paced), gate=gate_of(RATE), fills_pauses=False)
    port.settings = replace(port.settings, paced=paced)  # as a simulated one that is in no hurry
    sound = np.repeat(np.concatenate([np.zeros(2_000), ramped()])[:, None], 2, axis=1)
    for _ in range(3):
        got = port.play(sound)
        assert got.samples == pytest.approx(0.5 * sound, abs=1e-3)
    spared = min(late, 2_001) if paced else 0  # a sine begins with zero as well
    assert sum(map(len, device.played)) == 3 * (len(sound) - spared + late)
    loud = np.full((4_000, 2), 0.3)
    assert port.play(loud).samples[1_000:] == pytest.approx(0.5 * loud[1_000:], abs=1e-3)
    assert port.play(sound).samples == pytest.approx(0.5 * sound, abs=1e-3)


@pytest.mark.parametrize("late", [0, 960, 5_760])
def test_silence_that_was_heard_before_is_a_sounds_own_where_the_bench_stood_still(late):
    sound = np.repeat(np.concatenate([np.zeros(1_999), ramped()])[:, None], 2, axis=1)
    for still in (True, False):
        device = Delayed(late)
        device.info = replace(device.info, simulated=False)
        port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE), fills_pauses=False, still=lambda still=still: still)
        for turn in range(2):
            got = port.play(sound)
            spared = 2_000 if still and not turn else min(late, 2_000)
            assert sum(map(len, device.played)) == len(sound) - spared + late
            before = max(0, spared - late)  # what answers the rest comes while the sound is played already
            assert got.samples[:before] == pytest.approx(np.full((before, 2), 1e-3))
            assert got.samples[before:] == pytest.approx(0.5 * sound[before:], abs=1e-3)
            assert not got.lost_frames
            device.played.clear()


@pytest.mark.parametrize("silent", [4_900, 12_000])
def test_silence_that_is_wanted_for_itself_is_heard_when_it_is_asked_for(silent):
    device = Delayed(0)
    device.info = replace(device.info, simulated=False)
    for sound in (np.zeros((silent, 2)), np.concatenate([np.zeros((silent, 2)), np.full((500, 2), 0.1)])):
        port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE), fills_pauses=False, still=lambda: True)
        port.play(sound)
        assert sum(map(len, device.played)) == len(sound)
        device.played.clear()


@pytest.mark.parametrize("wanted", [1, 3_000, 11_599])
@pytest.mark.parametrize("late", [0, 960, 5_760])
def test_a_part_of_the_answer_is_given_as_soon_as_it_is_there(late, wanted):
    device, got = Delayed(late), []
    port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE))
    sound = np.repeat(np.concatenate([np.zeros(2_000), ramped()])[:, None], 2, axis=1)
    for _ in range(2):
        before = device.frame
        whole = port.play(sound, early=(wanted, lambda part: got.append((part, device.frame)))).samples
        part, at = got.pop()
        assert not got
        assert np.array_equal(part, whole[:wanted])
        assert at == before + late + wanted
    with pytest.raises(Cancelled):
        port.play(sound, cancel=cancelled(), early=(wanted, got.append))
    port.play(sound)
    assert not got


def cancelled():
    event = threading.Event()
    event.set()
    return event


def test_a_device_that_answers_nothing_is_said():
    device = ScriptedDevice(latency=0)
    device.latency_frames = None
    port = Port(device, StreamSettings(RATE, 2_048), gate=gate_of(RATE), probe=0.02)
    with pytest.raises(NoSignal, match="cannot be aligned"):
        port.play(np.zeros((100, 2)))


@pytest.mark.parametrize(("outputs", "inputs"), [(1, 2), (2, 1), (2, 4), (8, 2)])
def test_outputs_and_inputs_are_counted_apart(outputs, inputs):
    """None is invented, none broadcast: every drive plays its column, every input gives one."""
    device = Delayed(100, outputs=outputs, inputs=inputs)
    rig = stereo_rig(pickup_ratio=1.0, outputs=outputs, inputs=inputs)
    player = Player(device, rig, RATE, block_frames=2_048)
    columns = np.stack([ramped(peak=0.1 * (k + 1)) for k in range(outputs)], axis=1)
    capture = player.play(Passage(columns if outputs > 1 else columns[:, 0], {}))
    player.close()
    assert capture.count == inputs
    peaks = np.abs(np.concatenate(device.played)).max(axis=0) * rig.output_peak_v
    assert peaks == pytest.approx(np.abs(columns).max(axis=0), rel=1e-6)
    for number in range(1, inputs + 1):
        heard = 0.5 * columns[:, (number - 1) % outputs] / rig.output_peak_v
        assert capture.channel(number) == pytest.approx(heard, abs=1e-3)


def test_more_columns_than_drives_are_refused():
    player = Player(Delayed(0, outputs=1), stereo_rig(outputs=1), RATE, block_frames=2_048)
    with pytest.raises(InputError, match="1 driving output"):
        player.play(Passage(np.zeros((100, 2)), {}))
    player.close()


@pytest.mark.parametrize(("outputs", "inputs"), [(1, 2), (2, 1), (2, 4)])
def test_a_whole_step_runs_on_uneven_rigs(outputs, inputs):
    rig = stereo_rig(outputs=outputs, inputs=inputs)
    settings = FirstLookSettings(duration_s=0.5)
    capture, result = take_step(FirstLook(), settings, SimulatedDevice(rig), rig, load_ohm=8.0)
    assert capture.count == inputs
    assert result.reading("gain", 1).value == pytest.approx(30.03, rel=3e-3)
    # inputs that no output reaches hear nothing but crosstalk: they are said, and take nobody with them
    live = min(2, inputs)
    assert {r.channel for r in result.readings if r.name == "gain"} == set(range(1, live + 1))
    unusable = [t.text for t in result.trust if t.code == "channel_unusable"]
    assert [t[:9] for t in unusable] == [f"Channel {n}" for n in range(live + 1, inputs + 1)]


def falls_softly(played):
    """The largest step of the last 20 ms is that of the fade, not that from a peak to zero."""
    tail = np.concatenate(played)[-fade_frames(RATE) - 200 :]
    assert np.abs(tail[-1]).max() < 1e-3
    loudest = np.abs(np.concatenate(played)).max()
    tone_step = loudest * 2 * np.pi * 997 / RATE
    return np.abs(np.diff(tail, axis=0)).max() <= 1.3 * tone_step


def stop_after(blocks):
    cancel, seen = threading.Event(), []

    def on_block(_block):
        seen.append(1)
        if len(seen) == blocks:
            cancel.set()

    return cancel, on_block


def test_a_cancel_in_the_middle_of_a_tone_fades():
    device = Delayed(0)
    port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE))
    cancel, on_block = stop_after(3)
    with pytest.raises(Cancelled):
        port.play(np.repeat(ramped()[:, None], 2, axis=1), cancel=cancel, on_block=on_block)
    port.close()
    assert np.abs(np.concatenate(device.played)[3 * 1_024 - 60 : 3 * 1_024]).max() > 0.3
    assert falls_softly(device.played)


def test_an_error_in_a_callback_fades_too():
    device = Delayed(0)
    port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE))

    def fall(_block):
        raise RuntimeError("somewhere else")

    with pytest.raises(RuntimeError):
        port.play(np.full((4_800, 2), 0.4), on_block=fall)
    port.close()
    tail = np.concatenate(device.played)
    assert np.abs(tail[-1]).max() < 1e-3
    assert np.abs(np.diff(tail, axis=0)).max() < 0.4 * 0.1


def test_a_tone_that_is_held_fades_when_the_port_closes():
    device = Delayed(0)
    port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE))
    at = [0]

    def more(frames):
        n = at[0] + np.arange(frames)
        at[0] += frames
        return np.repeat(0.4 * np.sin(2 * np.pi * 997 * n / RATE)[:, None], 2, axis=1)

    port.play(more(4_800), hold=more)
    port.close()
    assert falls_softly(device.played)


def test_while_a_kind_thinks_the_stream_is_fed():
    device = Delayed(0)
    port = Port(device, StreamSettings(RATE, 480, paced=True), gate=gate_of(RATE))
    port.play(np.repeat(ramped(960)[:, None], 2, axis=1))
    before = device.frame
    end = time.monotonic() + 10
    while device.frame < before + 4_800 and time.monotonic() < end:
        time.sleep(0.005)
    assert device.frame >= before + 4_800
    got = port.play(np.repeat(ramped(960)[:, None], 2, axis=1))
    port.close()
    assert got.samples[:, 0] == pytest.approx(0.5 * ramped(960), abs=1e-3)
    assert not np.any(np.concatenate(device.played)[before : before + 4_800])


@pytest.mark.parametrize("worst", [0.21, np.nan])
def test_the_limit_of_each_output_holds(worst):
    device = Delayed(0)
    port = Port(device, StreamSettings(RATE, 1_024), gate=gate_of(RATE, (1.0, 0.2)))
    samples = np.zeros((100, 2))
    samples[50, 1] = worst
    with pytest.raises(InputError, match="output 2, above the ceiling"):
        port.play(samples)
    assert device.played == []
    port.close()


@pytest.mark.parametrize("steady", [True, False])
def test_a_slip_is_told_of_a_device_that_may_slip(steady):
    """What a sound server shifts in the middle it does not say: the lag is looked at again after each passage."""
    device = Delayed(960, tells=False)
    device.info = replace(device.info, simulated=False, steady=steady)
    port = Port(device, StreamSettings(RATE, 1_024, paced=True), gate=gate_of(RATE), probe=0.2, fills_pauses=False)
    samples = np.repeat(ramped()[:, None], 2, axis=1)
    assert port.play(samples).lost_frames == 0
    device.waiting = np.concatenate([np.zeros((500, 2)), device.waiting])
    assert port.play(samples).lost_frames == (0 if steady else 500)
    again = port.play(samples)
    assert again.lost_frames == 0
    assert again.latency_frames == (960 if steady else 1_460)

"""The device's own thread: frames at their place, silence with soft edges, gaps noted; no device is needed."""

import os
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import DeviceGone, InputError
from utter_calm.rig import SoundAddress, StreamSettings, find_devices
from utter_calm.rig.fade import fade_frames
from utter_calm.rig.sound.address import bits_of, lasting_name
from utter_calm.rig.sound.pump import Pump
from utter_calm.rig.sound.rings import FLAGS, GAPS, HEARD, HUSH, PLAYED, WRITTEN, Rings, make_memory
from utter_calm.rig.sound.stream import SoundStream

RATE = 48_000
FADE = fade_frames(RATE)


def made(frames=16_384, outputs=1, inputs=1):
    memory = make_memory(frames, outputs, inputs)
    rings = Rings(memory, frames, outputs, inputs)
    os.close(memory)
    return rings, Pump(rings, RATE)


def turn(pump, frames, outputs=1):
    """One callback of a device that hears what it plays."""
    out = np.full((frames, outputs), 7.0, dtype=np.float32)
    pump.play(out, frames)
    pump.hear(out, frames)
    return out


class LoopLink:
    """A running device whose loop is turned by whoever waits for it."""

    def __init__(self, **sizes):
        self.rings, self.pump = made(**sizes)
        self.rest()

    def rest(self):
        self.in_use, self.quiet_from = False, int(self.rings.count[HEARD])

    def wait_for(self, frame):
        while self.rings.count[HEARD] < frame:
            turn(self.pump, 512)

    def hush(self):
        self.rings.count[HUSH] = 1


def test_frames_come_back_in_their_order_however_often_the_ring_goes_round(noise):
    link = LoopLink(frames=8_192, outputs=2, inputs=2)
    link.wait_for = lambda frame: [turn(link.pump, 300, 2) for _ in range(99) if link.rings.count[HEARD] < frame]
    stream = SoundStream(link, StreamSettings(RATE, paced=True), 1_000, steady=True)
    sent = noise.uniform(-0.9, 0.9, (40_000, 2)).astype(np.float32)
    blocks = [stream.exchange(sent[k : k + 700]) for k in range(0, len(sent), 700)]
    heard = np.concatenate([b.samples for b in blocks])
    assert np.array_equal(heard[1_000:], sent[: len(heard) - 1_000])
    assert not heard[:1_000].any()
    assert not any(b.lost_frames for b in blocks)
    assert blocks[-1].first_frame + len(blocks[-1].samples) == 40_000


def test_what_takes_its_time_before_the_first_block_costs_none_of_it(noise):
    """A stimulus is computed when its device is open already, for longer than anything is given ahead."""
    link = LoopLink(frames=8_192, outputs=2, inputs=2)
    link.lag, link.know_lag = None, lambda frames: setattr(link, "lag", frames)
    link.wait_for = lambda frame: [turn(link.pump, 300, 2) for _ in range(99) if link.rings.count[HEARD] < frame]
    sent = noise.uniform(-0.9, 0.9, (7_000, 2)).astype(np.float32)
    for known in (None, 1_000):
        stream = SoundStream(link, StreamSettings(RATE, paced=True), 1_000, steady=True)
        assert stream.latency_frames == known
        for _ in range(20):
            turn(link.pump, 300, 2)
        blocks = [stream.exchange(sent[k : k + 700]) for k in range(0, len(sent), 700)]
        assert not any(b.lost_frames for b in blocks)
        assert np.array_equal(np.concatenate([b.samples for b in blocks])[1_000:], sent[:-1_000])
        stream.remember_latency(1_000)
        stream.close()
        turn(link.pump, 4_000, 2)


def test_what_was_heard_before_a_stream_is_given_where_nothing_had_sounded_for_a_while(noise):
    link, settings = LoopLink(frames=65_536), StreamSettings(RATE, paced=True)
    heard = noise.normal(0, 1e-3, (24_000 + 1_000 + 500, 1)).astype(np.float32)
    for frames in (25_400, 100):
        link.pump.hear(heard[:frames], frames)  # a fresh device; then another moment of it
        stream = SoundStream(link, settings, 1_000, steady=True)
        before = stream.heard_before(500)
        if frames == 100:
            last = np.concatenate([heard[frames + 24_900 : 25_400], heard[:100]])
            assert np.array_equal(before, last[-500:])
        else:
            assert before.shape == (0, 1)  # half a second, and what was given ahead, are not over
    block = stream.exchange(np.full((600, 1), 0.1))
    assert block.first_frame == 0  # what was heard before comes right before it
    assert stream.heard_before(500).shape == (0, 1)
    stream.close()
    again = SoundStream(link, settings, 1_000, steady=True)
    assert again.heard_before(500).shape == (0, 1)  # it sounded a moment ago


def test_what_nobody_gave_in_time_is_silence_with_a_soft_edge_and_noted():
    rings, pump = made()
    rings.give(0, np.full((2_000, 1), 0.5))
    first = turn(pump, 2_000)
    assert np.all(np.abs(np.diff(first[:, 0])) < 2.0 / FADE)  # it begins softly as well
    starved = turn(pump, 3_000)[:, 0]
    assert starved[0] == pytest.approx(0.5, abs=0.01)
    assert np.all(np.diff(starved) <= 0)
    assert not starved[FADE:].any()
    turn(pump, 1_000)
    assert rings.count[GAPS] == 1
    assert tuple(rings.gaps[0]) == (2_000, 4_000)
    rings.give(rings.count[WRITTEN], np.full((8_000, 1), 0.5))  # given too late for its place: the rest of it is played in time
    again = turn(pump, 4_000)[:, 0]
    assert abs(again[0]) < 0.01
    assert again[FADE] == 0.5


def test_a_hush_fades_at_once_and_holds_until_it_is_taken_back():
    rings, pump = made()
    rings.give(0, np.full((12_000, 1), 0.8))
    turn(pump, 2_000)
    rings.count[HUSH] = 1
    falling = turn(pump, FADE // 2)[:, 0]
    rest = turn(pump, 4_000)[:, 0]
    assert np.all(np.diff(np.concatenate([falling, rest])) <= 0)
    assert not rest[FADE:].any()
    rings.count[HUSH] = 0
    back = turn(pump, 2_000)[:, 0]
    assert back[0] < 0.01
    assert back[-1] == np.float32(0.8)


def test_a_stream_tells_what_came_too_late_and_what_was_fetched_too_late():
    link = LoopLink(frames=8_192)
    stream = SoundStream(link, StreamSettings(RATE, paced=True), 1_000, steady=True)
    assert stream.exchange(np.ones((1_000, 1))).lost_frames == 0
    for _ in range(10):
        turn(link.pump, 512)  # nobody is there for 5,120 frames; 1,000 had been given ahead
    late = sum(stream.exchange(np.ones((512, 1))).lost_frames for _ in range(12))
    gaps = [int(n) for _, n in link.rings.gaps[: link.rings.count[GAPS]]]
    assert late == sum(gaps)
    assert 3_000 < late < 5_200
    for _ in range(40):
        turn(link.pump, 512)
    block = stream.exchange(np.ones((512, 1)))
    assert block.lost_frames >= 512
    assert len(block.samples) == 0
    link.pump.flag()
    assert stream.exchange(np.ones((512, 1))).interruptions == 1
    assert link.rings.count[FLAGS] == 1


def test_gaps_before_a_stream_or_after_it_are_not_its_own():
    link = LoopLink(frames=8_192)
    for _ in range(4):
        turn(link.pump, 512)
    stream = SoundStream(link, StreamSettings(RATE, paced=True), 1_000, steady=True)
    assert sum(stream.exchange(np.ones((500, 1))).lost_frames for _ in range(6)) == 0
    stream.close()
    with pytest.raises(DeviceGone, match="closed"):
        stream.exchange(np.ones((500, 1)))
    assert not link.in_use
    assert int(link.rings.count[PLAYED]) >= 2_048


@pytest.mark.parametrize("serial", ["", "A0317"])
def test_a_card_keeps_its_name_when_it_is_plugged_in_elsewhere(tmp_path, serial):
    names = []
    for card in ("1", "4"):
        proc, sys_class = tmp_path / card / "proc", tmp_path / card / "sys"
        (proc / f"card{card}").mkdir(parents=True)
        (proc / f"card{card}" / "id").write_text("Dome\n")
        (sys_class / f"card{card}" / "device" / "inner").mkdir(parents=True)
        (sys_class / f"card{card}" / "device" / "serial").write_text(serial)
        (sys_class / f"card{card}" / "device" / "device").symlink_to(sys_class / f"card{card}" / "device" / "inner")
        names.append(lasting_name(f"Dome converter: USB Audio (hw:{card},0)", sys_class, proc))
    assert names[0] == names[1] == "Dome converter: USB Audio [Dome, 0]"
    assert lasting_name("loopback") == "loopback"
    assert lasting_name("Gone: Audio (hw:9,0)", tmp_path, tmp_path) == "Gone: Audio (hw:9,0)"


def test_the_serial_number_tells_two_alike_cards_apart(tmp_path):
    (tmp_path / "card2" / "usb" / "interface").mkdir(parents=True)
    (tmp_path / "card2" / "id").write_text("Dome_1")
    (tmp_path / "card2" / "usb" / "serial").write_text("A0317\n")
    (tmp_path / "card2" / "device").symlink_to(tmp_path / "card2" / "usb" / "interface")
    assert lasting_name("Dome: USB Audio (hw:2,1)", tmp_path, tmp_path) == "Dome: USB Audio [Dome_1 A0317, 1]"


def test_an_address_says_what_is_missing():
    there = SoundAddress("ALSA", "out", "in")
    assert there.title == "out (ALSA) and in (ALSA)"
    assert not there.one_device
    assert replace(there, output="in").title == "in (ALSA)"
    with pytest.raises(InputError, match="listens"):
        SoundAddress("ALSA", "out", "")
    with pytest.raises(InputError, match="buffer"):
        SoundAddress("ALSA", "out", "in", buffer_s=9)


def test_without_portaudio_the_words_say_what_to_install(tmp_path, monkeypatch):
    (tmp_path / "sounddevice.py").write_text("raise OSError('PortAudio library not found')\n")
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    found = find_devices()
    assert not found.devices
    assert "libportaudio2" in found.problem


def test_a_sound_system_that_ends_its_process_does_not_end_ours(tmp_path, monkeypatch):
    (tmp_path / "sounddevice.py").write_text("import os\nos.abort()\n")
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    assert "does not answer" in find_devices().problem


USB = """Dome at usb-1, high speed : USB Audio

Playback:
  Status: Stop
  Interface 1
    Altset 1
    Format: S16_LE
    Channels: 2
    Rates: 44100, 48000
  Interface 1
    Altset 2
    Format: S32_LE
    Channels: 2
    Rates: 44100, 48000
    Bits: 24
"""


@pytest.mark.parametrize(
    ("file", "told", "bits"),
    [("stream0", USB, (16, 24)), ("codec#0", "PCM:\n    rates [0x5e0]: 48000\n    bits [0xe]: 16 20 24\n", (16, 20, 24)),
     ("stream0", "gone\n", ()), ("id", "Dome", ())],
)  # fmt: skip
def test_a_cards_bits_are_what_the_kernel_tells(tmp_path, file, told, bits):
    (tmp_path / "card3").mkdir()
    (tmp_path / "card3" / file).write_text(told)
    assert bits_of("Dome: USB Audio (hw:3,0)", tmp_path) == bits
    assert bits_of("Dome: USB Audio (hw:4,0)", tmp_path) == ()
    if file == "stream0":  # another part of the card has its own
        assert bits_of("Dome: USB Audio (hw:3,1)", tmp_path) == ()
    assert bits_of("loopback", tmp_path) == ()

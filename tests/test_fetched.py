"""A device that keeps what it heard: the rig plays, its own recording is fetched, and becomes the take of a wire."""

import contextlib
import threading
from dataclasses import replace

import numpy as np
import pytest
import soundfile

from utter_calm.errors import Cancelled, InputError, NoSignal
from utter_calm.formats.audio import write_audio
from utter_calm.job.document.fresh import as_reached, new_document
from utter_calm.job.document.unit import Unit
from utter_calm.job.job import Job
from utter_calm.job.run.bench import bench_for
from utter_calm.job.run.hands import Hands
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.measure.away import make_pack
from utter_calm.measure.fetched import STARTED, STOPPED, play_fetched
from utter_calm.measure.noise import Noise, NoiseSettings
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.standins.phone_recorder import RATE_HZ

RIG = stereo_rig(pickup_ratio=1.0)
SETTINGS = ResponseSettings(start_hz=100.0, stop_hz=16_000.0, duration_s=0.8, level_v=0.5, rate_hz=48_000)
PLAYED = {"start_hz": 100.0, "stop_hz": 16_000.0, "duration_s": 0.8, "level_v": 0.5, "rate_hz": 48_000.0}


def phone(folder, *, seed=1, regulates=False):
    made = SimulatedDevice(RIG, seed=seed)
    made.set("unit", "phone recorder")
    made.set("gain control", "on" if regulates else "off")
    made.lend(folder=folder)
    return made


@pytest.mark.sampled(2)
@pytest.mark.parametrize("seed", [1, 2, 5])
def test_the_recording_is_found_and_tells_the_phones_own_response(tmp_path, seed):
    """Its microphone falls off below 60 Hz by a filter of first order; its rate and its clock are not those of the rig."""
    capture = play_fetched(Response(), SETTINGS, tmp_path, phone(tmp_path, seed=seed), RIG, wait_s=5.0)
    found = Response().analyze(SETTINGS, capture)
    trace = found.trace("response", 1)
    inside = (trace.x > 150) & (trace.x < 15_000)
    truth = 1 / np.sqrt(1 + (60 / trace.x[inside]) ** 2)
    off = 20 * np.log10(trace.magnitude[inside] / truth)
    assert np.ptp(off) < 0.1
    codes = {t.code for t in found.trust}
    assert {"played_elsewhere", "rate_converted", "skew_removed"} <= codes
    assert "gain_moved" not in codes


def test_the_noise_of_a_recorder_is_that_between_the_marks(tmp_path):
    """Nothing is played there; full scale of the recording counts as that of the file, as it does where something is."""
    kind = Noise()
    settings = NoiseSettings(duration_s=2.0, rate_hz=48_000)
    capture = play_fetched(kind, settings, tmp_path, phone(tmp_path), RIG, wait_s=5.0)
    found = kind.analyze(settings, capture)
    # white over the band of the recording, of which the reading takes 20 Hz to 20 kHz
    truth = 3e-5 * np.sqrt((20_000 - 20) / (RATE_HZ / 2)) * make_pack(kind, settings).volts
    noise = found.reading("noise", 1)
    assert noise.value == pytest.approx(truth, rel=0.02)
    assert abs(noise.value - truth) < 2 * noise.uncertainty
    assert not [t for t in found.trust if t.grave]


def test_a_gain_control_is_told(tmp_path):
    capture = play_fetched(Response(), SETTINGS, tmp_path, phone(tmp_path, regulates=True), RIG, wait_s=5.0)
    assert "gain_moved" in {t.code for t in capture.said if t.grave}


@pytest.mark.long
def test_what_lay_there_before_and_what_holds_nothing_of_it_is_passed_over(tmp_path):
    play_fetched(Response(), SETTINGS, tmp_path, phone(tmp_path), RIG, wait_s=5.0)
    old = {p: p.read_bytes() for p in tmp_path.iterdir()}
    with pytest.raises(NoSignal, match=r"within 0\.6 s") as told:
        play_fetched(Response(), SETTINGS, tmp_path, phone(None), RIG, wait_s=0.6)
    assert "recording-1" not in str(told.value)

    def spoil(_conditions):
        write_audio(tmp_path / "other.wav", np.random.default_rng(1).normal(0, 0.1, (96_000, 1)), 48_000)
        (tmp_path / "half.wav").write_bytes(b"RIFF")

    with pytest.raises(NoSignal, match=r"other\.wav: The marks"):
        play_fetched(Response(), SETTINGS, tmp_path, phone(None), RIG, wait_s=0.6, prepare=spoil)
    assert {p: p.read_bytes() for p in old} == old


def test_a_folder_that_is_not_there_a_ceiling_and_a_cancel(tmp_path):
    device = phone(tmp_path)
    with pytest.raises(InputError, match="no folder"):
        play_fetched(Response(), SETTINGS, tmp_path / "nowhere", device, RIG)
    with pytest.raises(InputError, match="ceiling"):
        play_fetched(Response(), replace(SETTINGS, level_v=50.0), tmp_path, device, RIG)
    cancel = threading.Event()
    threading.Timer(0.5, cancel.set).start()
    with pytest.raises(Cancelled):
        play_fetched(Response(), SETTINGS, tmp_path, phone(None), RIG, cancel=cancel)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("stand_in", ["phone recorder", "voice device"])
def test_from_a_new_job(tmp_path, stand_in):
    """How a stand-in is reached needs nothing typed; what is said of the recording is said again when it is computed again."""
    unit = as_reached(Unit(name="Guide", stand_in=stand_in))
    document = new_document("guide", unit)
    plan = document.plans[0]
    step = replace(plan.steps[0], id="response", kind="response", where=(), settings=PLAYED)
    plan = replace(plan, rig=RIG, factors=(), steps=(step,), claims=())
    document = replace(document, plans=(plan,))
    with contextlib.closing(Job.create(tmp_path / "a.calm", document)) as job:
        cells = [c for c in document.cells(document.units[0]) if c.role != FLOOR]
        (take,) = run_cells(job, cells, bench_for(document, "u1"), RunHooks(ask=lambda _: Answer.LET_RIG))
        assert job.full(take).result.trace("response", 1) is not None
        if stand_in == "phone recorder":
            assert [p.name for p in (tmp_path / "recordings").iterdir()] == ["recording-1.wav"]
            again = job.derive(take, step.typed_settings())
            assert {"played_elsewhere", "rate_converted"} <= {t.code for t in again.trust}


def test_hands_are_asked_to_start_and_to_stop_a_real_recorder():
    document = new_document("guide", Unit(name="Phone", stand_in="", recordings="dcim"))
    cell = next(c for c in document.cells(document.units[0]) if c.role != FLOOR)
    asked = []
    bench = bench_for(new_document("x"), "u1")
    hands = Hands(document, cell, bench, lambda p: asked.append(p.text) or Answer.DONE, None)
    for now in (STARTED, STOPPED, STARTED):
        hands.switch(now)
    hands.switch(STARTED)  # the take before was given up: whether it still records nobody knows
    assert asked.pop() == asked[0]
    assert asked == ["Start recording with Phone.", "Stop the recording of Phone, and put its file into dcim.", asked[0]]


@pytest.mark.long
def test_a_recording_without_its_last_mark_is_waited_for_and_taken_in_the_end(tmp_path):
    pack = make_pack(Response(), SETTINGS)
    heard = np.concatenate([np.zeros((9_600, 1)), 0.5 * pack.samples, np.zeros((9_600, 1))])

    def grows(conditions):
        if conditions == STOPPED:
            write_audio(tmp_path / "r.wav", heard[: 9_600 + pack.last], 48_000)
            threading.Timer(0.6, soundfile.write, (tmp_path / "r.wav", heard, 48_000), {"subtype": "FLOAT"}).start()

    capture = play_fetched(Response(), SETTINGS, tmp_path, phone(None), RIG, wait_s=8.0, prepare=grows)
    assert "skew_unknown" not in {t.code for t in capture.said}

    def ends(conditions):
        if conditions == STOPPED:
            write_audio(tmp_path / "s.wav", heard[: 9_600 + pack.last], 48_000)

    capture = play_fetched(Response(), SETTINGS, tmp_path, phone(None), RIG, wait_s=0.8, prepare=ends)
    assert "skew_unknown" in {t.code for t in capture.said if t.grave}

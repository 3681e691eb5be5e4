"""Jobs of a folder searched, seats averaged, scores typed, stored data sheets, and how a loudspeaker stood in the report."""

import json
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.analysis.acoustic.seats import COMPLEX, average
from utter_calm.cli import run
from utter_calm.errors import FileError, InputError
from utter_calm.formats.teds import decode, read_data_sheet
from utter_calm.job.asked_name import Asked, plain
from utter_calm.job.document import Setup
from utter_calm.job.document.scores import parse_scores, scores_text
from utter_calm.job.job import Job
from utter_calm.job.library import Wanted, search_folder
from utter_calm.measure.acoustic_settings import AT_CONE, LoudspeakerSettings
from utter_calm.measure.level_effect import PASCAL, Effect, find_level
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.measure.take_step import play_step, take_step
from utter_calm.present.palette import LIGHT
from utter_calm.present.room import room_drawing, setup_words
from utter_calm.quantities import Measured
from utter_calm.report.write import report_html
from utter_calm.rig import SimulatedDevice, acoustic_rig

F = np.geomspace(20, 20_000, 400)


@pytest.fixture(scope="module")
def seats(tmp_path_factory):
    """A job of four seats, measured by the command line."""
    path = tmp_path_factory.mktemp("seats") / "foyer.calm"
    assert run(["new", str(path), "--kind", "seat", "--name", "Wedge", "--stand-in", "console wedge"]) == 0
    assert run(["run", str(path)]) == 0
    return path


def test_a_mean_of_power_and_of_complex_values():
    one = (F, np.ones(400, dtype=complex))
    two = (F, 2 * np.exp(1j * np.full(400, np.pi)))
    assert average([one, two]).mean == pytest.approx(np.full(len(average([one, two]).mean), np.sqrt(2.5)))
    assert average([one, two], COMPLEX).mean == pytest.approx(0.5)
    assert average([one, two]).spread_db == pytest.approx(np.std([0, 20 * np.log10(2)], ddof=1))
    assert average([one]).spread_db == pytest.approx(0)
    with pytest.raises(ValueError, match="common"):
        average([(F[:100], one[1][:100]), (F[200:], one[1][200:])])


@pytest.mark.long
def test_seats_are_averaged_with_their_spread(seats, capsys):
    assert run(["table", str(seats), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    text = json.dumps(told)
    assert '"positions"' in text
    job = Job.open(seats)
    take = next(t for t in job.takes if t.kind == "seat")
    result = job.full(take).result
    job.close()
    assert result.reading("positions", 0).value == 4
    assert 1.05 < result.reading("spread", 0).value < 1.6
    lower, mean, upper = (result.trace(n).magnitude for n in ("seat_lower", "seat_average", "seat_upper"))
    assert (lower <= mean).all()
    assert (mean <= upper).all()
    assert [t.code for t in result.trust] == ["smoothed"]


def test_with_the_room_in_it_a_response_has_no_3_db_ends(seats):
    """Both stood in the middle of the band, where reflections happened to cancel."""
    job = Job.open(seats)
    taken = [take for take in job.takes if take.kind == "loudspeaker"]
    assert len(taken) == 4
    assert all("room_heard" in {t.code for t in take.trust} for take in taken)
    assert all(take.reading("lower_3db", 1) is None for take in taken)
    assert all(20 < take.reading("lower_10db", 1).value < 120 for take in taken)
    job.close()


@pytest.mark.sampled(2)
@pytest.mark.parametrize("away", [3.44, 3.52, 3.72, 3.85])
def test_slow_resonances_of_a_room_are_no_lost_samples(away):
    """What a room holds on to below 300 Hz seemed to come late, as if the rest were ahead: a dropout was told that was none."""
    rig, kind, settings = acoustic_rig(), LoudspeakerSweep(), LoudspeakerSettings(duration_s=4.0, gate="none", distance_m=away)
    device = SimulatedDevice(rig)
    for factor, value in (("unit", "ceiling loudspeaker"), ("distance", Measured(away, "m")), ("angle", Measured(0.35, "rad"))):
        device.set(factor, value)
    capture = play_step(kind, settings, device, rig, load_ohm=None)
    assert "dropout" not in {t.code for t in kind.analyze(settings, capture).trust}
    # and where some are lost, from the sweep's own beginning on, it is told or passed over, but nothing breaks
    samples = np.concatenate([capture.samples[4_000:], np.zeros((4_000, 2))])
    kind.analyze(settings, replace(capture, samples=samples))


def test_a_room_stays_as_it_is():
    """Each sound was heard in a room of its own: a tone at a seat was 16 dB louder in one take than in the next."""
    rig, kind, settings = acoustic_rig(), LoudspeakerSweep(), LoudspeakerSettings(duration_s=4.0, gate="none")
    device = SimulatedDevice(rig)
    device.set("unit", "ceiling loudspeaker")
    device.set("position", "seat 1")
    curves = [take_step(kind, settings, device, rig, load_ohm=None)[1].trace("response", 1) for _ in range(2)]
    heard = (curves[0].x > 100) & (curves[0].magnitude > 0.03 * np.max(curves[0].magnitude))
    assert np.median(np.abs(20 * np.log10(curves[1].magnitude[heard] / curves[0].magnitude[heard]))) < 0.5  # by the room's noise
    # and a tone, which runs at twice the rate, is as loud as the sweep says
    seen = [find_level(Effect(PASCAL, 5.0, f, limit_v=3.0), device, rig, load_ohm=None).value / 3 for f in (150.0, 250.0, 400.0)]
    flow = np.interp((150.0, 250.0, 400.0), curves[0].x, curves[0].magnitude)
    assert 20 * np.log10(np.array(seen) / flow) == pytest.approx(np.zeros(3), abs=1.0)


def test_a_cancelling_room_is_no_dropout(seats):
    job = Job.open(seats)
    codes = {t.code for take in job.takes for t in take.trust}
    job.close()
    assert "dropout" not in codes


def test_a_folder_is_searched_by_words_readings_and_curves(seats):
    folder = seats.parent
    (folder / "broken.calm").write_bytes(b"nothing")
    wrong = []
    found = list(search_folder(folder, Wanted("wedge seat"), problem=lambda path, why: wrong.append((path.name, why))))
    assert {f.kind for f in found} == {"loudspeaker", "seat"}
    assert [name for name, _ in wrong] == ["broken.calm"]
    loud = list(search_folder(folder, Wanted(name="sound level", low=1e-3)))
    assert len(loud) == 4
    assert {f.conditions for f in loud} == {f"position seat {k}" for k in range(1, 5)}
    assert not list(search_folder(folder, Wanted(name="sound level", high=1e-6)))
    third = list(search_folder(folder, Wanted(name="harmonic_3", at=1000.0, high=0.5)))
    assert len(third) == 4
    assert all(f.value_unit == "1" and 0 < f.value <= 0.5 for f in third)
    for words in ("third harmonic", "3rd harmonic", "Harmonic 3", "H3"):
        assert list(search_folder(folder, Wanted(name=words, at=1000.0, high=0.5))) == third
    assert {f.name for f in search_folder(folder, Wanted(name="sensitivity"))} >= {"sensitivity_2v83"}
    assert not list(search_folder(folder, Wanted(name="harmonic_3", at=30_000.0)))  # where no curve holds
    assert not list(search_folder(folder, Wanted("amplifier")))
    assert not list(search_folder(folder, Wanted(), go_on=lambda: False))


def test_scores_are_read_and_written_back():
    scores = parse_scores("bass 7/10; small voices 8,5/10 a little thin")
    assert [(s.heading, s.value, s.most, s.note) for s in scores] == [
        ("bass", 7, 10, ""), ("small voices", 8.5, 10, "a little thin"),
    ]  # fmt: skip
    assert parse_scores(scores_text(scores)) == scores
    assert parse_scores("") == ()
    for wrong in ("bass", "bass 11/10", "7/10", "bass 7/0", "; ".join(["a 1/2"] * 50)):
        with pytest.raises(InputError):
            parse_scores(wrong)


@pytest.mark.long
def test_the_report_says_how_it_stood_and_how_it_was_liked(seats, tmp_path):
    copy = tmp_path / "r.calm"
    copy.write_bytes(seats.read_bytes())
    job = Job.open(copy)
    unit = job.document.units[0]
    job.edit(job.document.with_unit(replace(unit, scores=parse_scores("bass 7/10 dry"))))
    html = report_html(job).replace("\N{NO-BREAK SPACE}", " ")
    job.close()
    for words in ("Microphone 3 m before the loudspeaker, in a room", "bass", "7 of 10", "dry", "by its data sheet"):
        assert words in html


def test_how_it_stood_in_words_and_as_a_drawing():
    settings = LoudspeakerSettings(source_m=1.2, ceiling_m=3.4)
    assert "1.2 m above the floor, under a ceiling of 3.4 m, window up to the first reflection" in setup_words(settings)
    assert setup_words(LoudspeakerSettings(situation=AT_CONE)).startswith("Microphone close to the cone;")
    plain, full = (room_drawing(s.layout, 260, 130, LIGHT) for s in (LoudspeakerSettings(), settings))
    assert len(full.items) > len(plain.items)
    points = np.concatenate([p.points for p in full.over if hasattr(p, "points")])
    assert (points[:, 0] >= 0).all()
    assert (points <= [260, 130]).all()


def test_a_stored_data_sheet_is_read_as_far_as_it_could_be_checked(tmp_path):
    sheet = decode(bytes.fromhex("019034411c06120f"))
    assert (sheet.manufacturer, sheet.model, sheet.version, sheet.serial) == (4097, 1234, "B7", 987654)
    assert "was not read" in sheet.words
    page = bytes.fromhex("019034411c06120f") + bytes([27 << 2 & 0xFF, 0]) + bytes(21)
    page = bytes([-sum(page) % 256]) + page
    (tmp_path / "d.bin").write_bytes(page)
    (tmp_path / "d.txt").write_text("01 90 34 41 1c 06 12 0f")
    assert read_data_sheet(tmp_path / "d.bin").serial == 987654
    assert read_data_sheet(tmp_path / "d.bin").template == 27
    assert read_data_sheet(tmp_path / "d.txt") == sheet
    for name, data in (("e.bin", b""), ("z.bin", bytes(8)), ("l.bin", bytes(9000))):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(FileError):
            read_data_sheet(tmp_path / name)


def test_a_plan_keeps_what_a_hand_and_a_setting_share(seats):
    job = Job.open(seats)
    plan = job.document.plans[0]
    assert plan.factor("position").by_program is False
    assert Setup((("position", "seat 1"),)) in plan.setups_of(plan.steps[0])
    job.close()


def test_names_are_understood_as_people_ask_for_them():
    assert plain("The Second  harmonic") == "the harmonic 2"
    assert plain("h10") == plain("10th harmonic") == plain("tenth harmonic") == plain("harmonic_10") == "harmonic 10"
    third = Asked("third harmonic")
    assert third.has_curves
    assert third.about.quantity == "distortion"
    assert third.fits("harmonic_3", "harmonic 3")
    assert not third.fits("harmonic_2", "harmonic 2")
    assert Asked("sensitivity_2v83").about.quantity == Asked("sensitivity at 2.83 V").about.quantity == "sound_pressure"
    assert not Asked("sensitivity at 2.83 V").fits("sensitivity_1w", "sensitivity at 1 W")
    some = Asked("sensitivity")  # of these words
    assert some.fits("sensitivity_2v83", "sensitivity at 2.83 V")
    assert some.fits("sensitivity_1w", "sensitivity at 1 W")
    assert not Asked("mains").has_curves
    assert Asked("how nice it is").about is None

"""Splice, directivity and calibrator: against curves in closed form."""

import json

import numpy as np
import pytest

from utter_calm.analysis.acoustic.calibrator import analyze_calibrator
from utter_calm.analysis.acoustic.directivity import directivity, sphere_share
from utter_calm.analysis.acoustic.narrowing import narrowing, turning_points
from utter_calm.analysis.acoustic.orbits import AngleGap, beamwidth, orbit_of, round_whole
from utter_calm.analysis.acoustic.splice import NoOverlap, baffle_step, splice
from utter_calm.cli import run
from utter_calm.errors import MeasurementError, NoSignal
from utter_calm.measure.averages import narrowing_words
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.spliced import add_port_missing, add_spliced

GRID = np.geomspace(20, 20_000, 1500)
RADIUS = 0.0651
ANGLES = [float(a) for a in range(-170, 181, 10)]


def shape(f):
    """A driver in a closed box."""
    s = 1j * f / 60
    return s**2 / (s**2 + s / 0.8 + 1)


@pytest.mark.parametrize(("db", "late_s", "sign"), [(-29.75, 0.3e-3, 1), (-12.0, -0.3e-3, 1), (-20.0, 2.9e-3, -1)])
def test_a_splice_recovers_gain_delay_and_polarity(db, late_s, sign):
    near = GRID[GRID < 900]
    far = GRID[GRID > 200]
    step = baffle_step(far, 0.22)
    beyond = sign * 10 ** (db / 20) * shape(far) * step * np.exp(-2j * np.pi * far * late_s)
    found = splice((near, shape(near)), (far, beyond), RADIUS, baffle_m=0.22)
    assert 20 * np.log10(found.gain) == pytest.approx(db, abs=1e-3)
    assert found.delay_s == pytest.approx(late_s, abs=1e-7)
    assert found.opposite == (sign < 0)
    assert found.tilt == pytest.approx(1, abs=1e-3)
    true = 10 ** (db / 20) * shape(found.frequency_hz) * baffle_step(found.frequency_hz, 0.22)
    assert np.max(np.abs(20 * np.log10(np.abs(found.value / true)))) < 0.01
    assert np.max(np.abs(np.angle(found.value / (sign * true)))) < 0.01
    assert (found.frequency_hz[0], found.frequency_hz[-1]) == (near[0], far[-1])


def test_a_port_counts_by_its_diameter():
    near = GRID[GRID < 900]
    port = 1 / (1 + 1j * near / 35) * 3
    whole = shape(near) + 0.3 * port
    far = GRID[GRID > 200]
    beyond = np.interp(far, near, np.abs(whole))  # only its level matters in the overlap
    found = splice((near, shape(near)), (far, beyond.astype(complex)), RADIUS, (near, port, 0.3))
    low = found.frequency_hz < 100
    true = np.exp(np.interp(np.log(found.frequency_hz[low]), np.log(near), np.log(np.abs(whole)))) * found.gain
    assert np.abs(found.value[low]) == pytest.approx(true, rel=2e-3)


def test_a_cone_whose_port_is_left_out_is_the_whole_from_two_octaves_above_it():
    """``U_cone = U (1 - (fb / f)^2)`` in a vented box without losses (Small 1973)."""
    near, far = GRID[GRID < 900], GRID[GRID > 200]
    cone = shape(near) * (1 - (40 / near) ** 2 + 0.02j)
    found = splice((near, cone), (far, shape(far)), RADIUS)
    out = ResultBuilder()
    begins = add_port_missing(out, found, (near, cone))
    assert begins == pytest.approx(160, rel=0.01)
    add_spliced(out, found, radius_m=RADIUS, whole_from=begins)
    trace = out.traces[0]
    off = np.abs(20 * np.log10(trace.magnitude / np.abs(shape(trace.x))))
    assert np.max(off[trace.x >= trace.valid[0]]) < 0.6 < off[np.searchsorted(trace.x, 120.0)]
    hidden = np.full(len(near), np.max(np.abs(cone)))
    assert add_port_missing(ResultBuilder(), found, (near, cone), hidden) is None  # so much noise makes notches of its own
    assert add_port_missing(ResultBuilder(), found, (near, shape(near))) is None


def test_what_is_faint_is_no_overlap():
    """Far below the port's resonance cone and port leave little of each other: of that neither gain nor disagreement is told."""
    near, far = GRID[GRID < 900], GRID[GRID > 20]
    sound = shape(near) * np.minimum(1, (near / 60) ** 4)
    beyond = 0.1 * np.interp(far, near, np.abs(sound)) + 3e-4
    found = splice((near, sound), (far, beyond.astype(complex)), RADIUS)
    level = np.abs(sound[near < found.overlap_hz[1]])
    assert found.overlap_hz[0] == pytest.approx(near[np.argmax(level > 0.1 * level.max())], rel=0.03)
    assert found.gain == pytest.approx(0.1, rel=0.01)
    assert 20 * np.log10(found.tilt) < 0.3


def test_no_overlap_is_refused_and_a_tilt_told():
    near, far = GRID[GRID < 900], GRID[GRID > 450]
    with pytest.raises(NoOverlap):
        splice((near, shape(near)), (far, shape(far)), RADIUS)
    far = GRID[GRID > 200]
    tilted = splice((near, shape(near)), (far, shape(far) * (far / 300) ** 0.3), RADIUS)
    assert 20 * np.log10(tilted.tilt) == pytest.approx(20 * 0.3 * np.log10(tilted.overlap_hz[1] / tilted.overlap_hz[0]), rel=0.05)


def test_the_shares_of_the_sphere_add_up_to_it():
    whole = sum(4 * sphere_share(a) for a in range(0, 181, 10))
    assert whole == pytest.approx(1, abs=1e-12)
    assert [round(sphere_share(a), 9) for a in (0, 10, 50, 90)] == [0.000604486, 0.004730188, 0.016868154, 0.019629373]


def cardioid(angles):
    return {a: np.full(3, (1 + np.cos(np.radians(a))) / 2 + 1e-12) for a in angles}


def test_a_cardioid_has_the_index_that_two_orbits_give_it():
    orbits = orbit_of("horizontal", cardioid(ANGLES)), orbit_of("vertical", cardioid(ANGLES))
    found = directivity(*orbits)
    assert 20 * np.log10(1 / found.sound_power[0]) == pytest.approx(4.672, abs=0.01)  # 4.672 where the poles count four times
    assert found.beamwidth_horizontal[0] == pytest.approx(180, abs=0.05)  # -6.02 dB at 90 degrees
    window = np.mean([((1 + np.cos(np.radians(a))) / 2) ** 2 for a in (0, 10, -10, 10, -10, 20, -20, 30, -30)])
    assert found.listening_window[0] ** 2 == pytest.approx(window, rel=1e-9)
    room = 0.12 * window + 0.44 * found.early_reflections[0] ** 2 + 0.44 * found.sound_power[0] ** 2
    assert found.predicted_in_room[0] ** 2 == pytest.approx(room, rel=1e-12)


def test_all_directions_alike():
    alike = orbit_of("horizontal", {a: np.ones(2) for a in ANGLES})
    found = directivity(alike, alike)
    for curve in (found.listening_window, found.early_reflections, found.sound_power, found.predicted_in_room):
        assert curve == pytest.approx(np.ones(2), rel=1e-12)
    assert (beamwidth(alike) == 360).all()


def test_one_side_is_mirrored_and_gaps_are_read_between_or_refused():
    half = orbit_of("horizontal", cardioid([a for a in ANGLES if a >= 0]))
    assert half.mirrored
    assert half.at(-40.0) == pytest.approx(half.at(40.0))
    thinned = orbit_of("vertical", cardioid([a for a in ANGLES if a % 30 == 0]))
    low, high = (np.log(thinned.at(a)[0]) for a in (30.0, 60.0))
    assert np.log(thinned.at(40.0)[0]) == pytest.approx(low + (high - low) / 3)
    assert (thinned.at(170.0) > 0).all()
    front = orbit_of("vertical", cardioid([a for a in ANGLES if abs(a) <= 60]))
    with pytest.raises(AngleGap):
        front.at(90.0)


def test_the_beam_is_left_between_two_angles():
    orbit = orbit_of("horizontal", {a: np.array([10 ** (-abs(a) / 10 * 2 / 20)]) for a in ANGLES})  # 2 dB in ten degrees
    assert beamwidth(orbit)[0] == pytest.approx(2 * 10 * 6.0206 / 2, rel=1e-4)


def calibrator(hertz=1000.0, level=0.01, seconds=5.0, *, drift_db=0.0, bend=0.0, rate=48_000, handling=0.3):
    rng = np.random.default_rng(1)
    t = np.arange(int((seconds + 3) * rate)) / rate
    on = (t > 1.5) & (t < 1.5 + seconds)
    tone = np.sin(2 * np.pi * hertz * t) + bend * np.sin(4 * np.pi * hertz * t)
    out = np.where(on, np.sqrt(2) * level * tone * 10 ** (drift_db * (t - 1.5) / seconds / 20), 0.0)
    knocks = np.exp(-(((t - 1.2) / 0.15) ** 2)) + np.exp(-(((t - 1.9 - seconds) / 0.15) ** 2))
    return out + handling * knocks * rng.standard_normal(len(t)) + 1e-5 * rng.standard_normal(len(t))


@pytest.mark.parametrize("hertz", [250.0, 1000.0, 1012.0])
@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_calibrator_is_read_beside_the_handling(hertz, rate):
    tone = analyze_calibrator(calibrator(hertz, rate=rate), rate)
    assert tone.level == pytest.approx(0.01, rel=1e-4)
    assert tone.frequency_hz == pytest.approx(hertz, rel=1e-5)
    assert 20 * np.log10(tone.stability) < 0.01


def test_what_a_calibrator_must_not_do_is_refused():
    for words, record in (
        ("steady tone", calibrator(seconds=0.8)), ("no calibrator's", calibrator(1030.0)), ("distorted", calibrator(bend=0.05)),
        ("level moves", calibrator(drift_db=0.9)),
    ):  # fmt: skip
        with pytest.raises((MeasurementError, NoSignal), match=words):
            analyze_calibrator(record, 48_000.0)
    assert analyze_calibrator(calibrator(drift_db=0.2), 48_000.0).stability > 10 ** (0.1 / 20)
    with pytest.raises(NoSignal):
        analyze_calibrator(np.zeros(48_000), 48_000.0)


def frd(path, f, value):
    rows = zip(f, 20 * np.log10(np.abs(value)), np.degrees(np.angle(value)), strict=True)
    path.write_text("* Hz dB deg\n" + "\n".join(f"{a:.6f} {b:.6f} {c:.5f}" for a, b, c in rows))
    return str(path)


def test_the_commands_say_the_same(tmp_path, capsys):
    near, far = GRID[GRID < 900], GRID[GRID > 200]
    files = [frd(tmp_path / "near.frd", near, shape(near)), frd(tmp_path / "far.frd", far, 0.1 * shape(far))]
    out = tmp_path / "out.frd"
    assert run(["splice", "--near", files[0], "--far", files[1], "--diaphragm", "130.2mm", "--distance", "1m", "--frd", str(out),
                "--json"]) == 0  # fmt: skip
    told = json.loads(capsys.readouterr().out)
    values = {r["name"]: r["value"] for r in told["readings"]}
    assert values["gain"] == pytest.approx(0.1, rel=1e-3)
    assert values["splice_frequency"] == pytest.approx(np.sqrt(far[0] * 343.2 / (2 * np.pi * RADIUS) / 1.5), rel=1e-3)
    assert [t["code"] for t in told["trust"]] == ["level_mismatch"]  # a / 2r is -29.7 dB
    assert len(out.read_text().splitlines()) > 900
    rows = ["file,orbit,angle_deg"]
    for angle in range(0, 181, 10):
        name = f"h{angle}.frd"
        frd(tmp_path / name, GRID[::20], np.full(75, (1 + np.cos(np.radians(angle))) / 2 + 1e-9, dtype=complex))
        rows.append(f"{name},horizontal,{angle}")
    table = tmp_path / "angles.csv"
    table.write_text("\n".join(rows))
    assert run(["directivity", str(table), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {t["code"] for t in told["trust"]} == {"one_orbit", "mirrored"}
    assert {t["name"] for t in told["traces"]} >= {"on_axis", "sound_power", "beamwidth_vertical", "early_reflections_index"}
    assert [m["name"] for m in told["maps"]] == ["level_horizontal"]


@pytest.mark.parametrize(("table", "words"), [
    ("file,orbit,angle\na.frd,horizontal,0", "columns"), ("file,orbit,angle_deg\na.frd,horizontal,10", "nothing at 0"),
    ("file,orbit,angle_deg\nnone.frd,horizontal,0", "none.frd"), ("file,orbit,angle_deg\na.frd,round,0", "line 2"),
    ("file,orbit,angle_deg\na.frd,horizontal,0\na.frd,horizontal,60", "between"),
    ("file,orbit,angle_deg\na.frd,horizontal,0", "beside the axis"), ("", "columns"),
])  # fmt: skip
def test_tables_of_angles_that_cannot_be_are_refused(tmp_path, capsys, table, words):
    frd(tmp_path / "a.frd", GRID[::20], np.ones(75, dtype=complex))
    (tmp_path / "t.csv").write_text(table)
    assert run(["directivity", str(tmp_path / "t.csv")]) == 2
    assert words in capsys.readouterr().err


def test_a_beam_that_bunches_opens_and_breaks_up_is_told():
    f = np.geomspace(200, 20_000, 240)
    octaves = np.log2(f / 200)
    even = 300 / (1 + octaves)
    plain = narrowing(f, even)
    assert (plain.bunches_hz, plain.breaks_up_hz) == (None, None)
    assert plain.even_to_hz == pytest.approx(200 * 2**1.5, rel=0.03)
    assert plain.crossover_hz == pytest.approx(200 * 2 ** (300 / 90 - 1), rel=0.03)
    assert (plain.narrowest_hz, plain.narrowest_deg) == (pytest.approx(20_000), pytest.approx(even[-1]))
    waist = even * (1 - 0.5 * np.exp(-(((octaves - 3) / 0.3) ** 2)))
    told = narrowing(f, waist)
    assert told.bunches_hz == pytest.approx(1600, rel=0.05)
    assert told.bunches_deg < told.opens_deg
    assert told.breaks_up_hz is None
    lobes = even * np.where(octaves > 4, 10 ** (0.15 * np.sin(2 * np.pi * 3 * octaves)), 1.0)
    assert 200 * 2**3.9 < narrowing(f, lobes).breaks_up_hz < 200 * 2**4.6
    # what is narrow from the beginning is not said to be wide
    treble = narrowing(f[150:], even[150:])
    assert (treble.even_to_hz, treble.crossover_hz) == (None, None)
    words = narrowing_words(treble)
    assert words.startswith(f"Narrower than 120° already at {f[150] / 1e3:.2f} kHz")
    assert "cross over lower" in words
    assert turning_points(np.array([0.0, 1, 0.9, 2, 0, 0.1, 3]), 0.5) == [3, 4, 6]


def test_what_was_taken_straight_behind_stands_at_both_ends():
    orbit = orbit_of("horizontal", {a: np.array([1.0 / (1 + a / 90)]) for a in (0.0, 30.0, 60.0, 90.0, 120.0, 150.0, 180.0)})
    angle, levels = round_whole(orbit)
    assert angle[0] == -angle[-1] == -180
    assert levels[0] == levels[-1]
    ahead = orbit_of("horizontal", {0.0: np.ones(1), 30.0: np.ones(1)})
    assert np.array_equal(round_whole(ahead)[0], ahead.angle_deg)

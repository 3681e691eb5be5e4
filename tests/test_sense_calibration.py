"""The calibration of an impedance rig: closed forms, what it takes out, when it counts, what it refuses."""

import datetime as dt
import math
from dataclasses import replace

import msgspec
import numpy as np
import pytest

from tests.test_driver_rig import impedance_of_model
from tests.untimed import given, st
from utter_calm.demo.drivers import calibrated_rig
from utter_calm.errors import Cancelled, InputError, MeasurementError
from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.calibration import CalibrationWanted, calibrate_bench, with_calibration
from utter_calm.job.run.prompt import Answer
from utter_calm.measure.calibrate_impedance import Heard, calibrate, calibration_from, proven
from utter_calm.measure.impedance_sweep import ImpedanceSweep, ImpedanceSweepSettings
from utter_calm.measure.take_step import take_step
from utter_calm.present.chain import chain_view
from utter_calm.rig import CURRENT, Rig, SimulatedDevice, impedance_rig, stereo_rig
from utter_calm.rig.sense_calibration import parts_of
from utter_calm.standins import driver as made

F = np.geomspace(2, 40_000, 60)
ONES = np.ones(len(F))
RIG = impedance_rig()
SETTINGS = ImpedanceSweepSettings(start_hz=2.0, stop_hz=40_000.0, duration_s=2.0)
QUICK = ImpedanceSweepSettings(duration_s=2.0)
DAY = dt.date(2026, 11, 2)


def heard(z):
    return Heard(F, np.asarray(z * ONES, dtype=complex), 0 * ONES)


def two_ends(a, b, known=1000.0):
    return calibration_from(RIG, 96_000, heard(b), heard(a * known + b), known, 1e-4, day=DAY)


def test_two_ends_in_closed_form():
    a, b, z = 1.02 + 0.01j, 0.05 + 0.02j, 6 + 3.1416j
    assert two_ends(a, b).correct(F, (a * z + b) * ONES) == pytest.approx(z * ONES, rel=1e-12)


@given(
    st.complex_numbers(min_magnitude=0.9, max_magnitude=1.1), st.complex_numbers(max_magnitude=0.5),
    st.complex_numbers(max_magnitude=1e-5), st.floats(0.5, 500), st.floats(-300, 300),
)  # fmt: skip
def test_three_ends_take_out_all_that_is_bilinear(a, b, c, r, x):
    if abs(a.imag) > 0.1:
        return
    z = complex(r, x)

    def seen(true):
        return (a * true + b) / (c * true + 1)

    short, known = heard(seen(1e-30)), heard(seen(1000.0))
    opened = Heard(F, (a / c if abs(c) > 1e-12 else 1e30) * ONES.astype(complex), 0 * ONES)
    try:
        full = calibration_from(RIG, 96_000, short, known, 1000.0, 0, opened=opened, day=DAY)
    except MeasurementError:
        return  # so far off that the resistor is another one
    assert full.correct(F[:3], seen(z) * ONES[:3]) == pytest.approx(z * ONES[:3], rel=1e-6, abs=1e-6)


def test_leads_loading_and_mismatch_together():
    """Formulas of the high side with lead, input and gain errors: what three ends give back is the truth."""
    w = 2 * np.pi * 1000
    lead, load, gain = 0.08 + 1e-6j * w, 1 / (1 / 20e3 + 200e-12j * w), 1.013 * np.exp(0.02j)

    def seen(true):
        z = true + lead
        z = z * load / (z + load)
        h = gain * z / (z + 10)
        return 10 * h / (1 - h)

    naive = seen(6 + 3.1416j)
    assert naive == pytest.approx(6.0455 + 3.4129j, abs=2e-4)
    known, short, opened = seen(10.0), seen(0.0), seen(1e12)
    full = calibration_from(RIG, 96_000, heard(short), heard(known), 10.0, 0, opened=heard(opened), day=DAY)
    assert full.correct(F[:2], naive * ONES[:2]) == pytest.approx((6 + 3.1416j) * ONES[:2], rel=1e-9)


def sweep_of(rig, unit="surround driver"):
    device = SimulatedDevice(rig)
    device.set("unit", unit)
    return take_step(ImpedanceSweep(), QUICK, device, rig, load_ohm=None)[1]


def worst(result):
    trace = result.trace("impedance")
    inside = (trace.x > 10) & (trace.x < 20_000)
    z = trace.magnitude * np.exp(1j * trace.phase_rad)
    return float(np.max(np.abs(z / impedance_of_model(made.SURROUND, trace.x) - 1)[inside]))


def test_what_the_rig_adds_is_there_without_it_and_gone_with_it():
    plain, calibrated = sweep_of(RIG), sweep_of(calibrated_rig())
    assert worst(plain) > 6e-3  # the leads alone are 0.8 % of a driver
    assert worst(calibrated) < 1e-3
    assert "uncalibrated" in {t.code for t in plain.trust}
    assert not calibrated.trust
    trace = calibrated.trace("impedance")
    assert np.median(trace.uncertainty / trace.magnitude) == pytest.approx(2 * calibrated_rig().impedance.u, rel=0.1)


def test_the_proof_is_kept_and_small():
    known = calibrated_rig().impedance
    assert abs(known.proof) < 5e-4
    assert known.u >= known.u_known
    again = msgspec.json.decode(msgspec.json.encode(calibrated_rig()), type=Rig)
    assert again == calibrated_rig()


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("change", "code"), [
    (lambda r: replace(r, parts=(replace(r.parts[0], value=22.0),)), "calibration_foreign"),
    (lambda r: r.with_inputs(full_scale=2.0), "calibration_foreign"),
    (lambda r: replace(r, impedance=replace(r.impedance, rate_hz=48_000)), "calibration_foreign"),
    (lambda r: replace(r, impedance=replace(r.impedance, made="2026-01-02")), "calibration_old"),
    (lambda r: replace(r, impedance=replace(r.impedance, made="one day")), "calibration_old"),
])  # fmt: skip
def test_a_stale_calibration_is_said_and_widens_the_bound(change, code):
    rig = change(calibrated_rig())
    result = sweep_of(rig)
    assert code in {t.code for t in result.trust if t.grave}
    trace, fresh = result.trace("impedance"), sweep_of(calibrated_rig()).trace("impedance")
    assert np.median(trace.uncertainty / trace.magnitude) > 2 * np.median(fresh.uncertainty / fresh.magnitude)
    assert (worst(result) > 6e-3) == (code == "calibration_foreign")  # another rig's is not used


def test_a_name_is_of_no_account():
    rig = replace(calibrated_rig(), name="Workshop")
    assert not rig.impedance.foreign(rig.bound, 96_000)


def test_what_is_not_what_was_asked_for_is_said():
    with pytest.raises(MeasurementError, match="leads shorted 9"):
        calibration_from(RIG, 96_000, heard(9.0), heard(1000.0), 1000.0, 0)
    with pytest.raises(MeasurementError, match="reads 470 Ω, and 1"):
        calibration_from(RIG, 96_000, heard(0.05), heard(470.0), 1000.0, 0)
    known = two_ends(1.0, 0.05)
    with pytest.raises(MeasurementError, match=r"reads \+1.00 % off"):
        proven(known, heard(1010.05))
    assert proven(known, heard(1000.5 + 0.05)).proof == pytest.approx(5e-4, rel=1e-6)


def test_a_resistor_clipped_on_twice_is_no_short():
    device = SimulatedDevice(RIG)
    device.set("unit", "bare leads")
    device.set("clip", "known resistor")
    with pytest.raises(MeasurementError, match="leads shorted"):
        calibrate(device, RIG, SETTINGS, 1000.0, 1e-4, lambda _c: None)
    with pytest.raises(MeasurementError, match="The resistor reads"):
        calibrate(device, RIG, SETTINGS, 470.0, 1e-4, lambda c: device.set("clip", c.position))


def test_a_bench_asks_for_each_and_its_plans_get_it():
    document = new_document("A job", Unit(name="It", stand_in="surround driver"), STARTS["driver"])
    rig = document.plans[0].rig
    bench, asked = simulated_bench(rig), []

    def ask(prompt):
        asked.append(prompt)
        return Answer.LET_RIG

    known = calibrate_bench(bench, rig, CalibrationWanted("1 kohm ± 0.05 %", with_open=True, days=7), 96_000, 0.25, ask)
    assert [str(p.value) for p in asked] == ["shorted", "known resistor", "open", "known resistor"]
    assert known.days == 7
    assert known.open_
    assert known.u_known == pytest.approx(2.5e-4)
    assert with_calibration(document, rig, known).plans[0].rig.impedance == known
    other = replace(rig, name="Other")
    assert with_calibration(document, other, known) == document
    with pytest.raises(Cancelled):
        calibrate_bench(bench, rig, CalibrationWanted(), 96_000, 0.25, lambda _p: Answer.STOP)
    with pytest.raises(InputError, match="known resistor"):
        CalibrationWanted("some").resistor()
    with pytest.raises(InputError, match="no current"):
        calibrate_bench(bench, stereo_rig(), CalibrationWanted(), 96_000, 0.25, ask)


def test_the_chain_says_what_the_calibration_is_worth():
    document = new_document("A job", Unit(name="It", stand_in="surround driver"), STARTS["driver"])
    plan, unit = document.plans[0], document.units[0]

    def pickup(rig):
        views = chain_view(replace(plan, rig=rig), unit, plan.steps[0], None, None, simulated=True)
        return next(v for v in views if v.key == "pickup")

    fresh = calibrated_rig()
    assert pickup(plan.rig).badge == "never calibrated"
    assert pickup(fresh).sub.startswith("1 kΩ reads ")
    assert "too old" in pickup(replace(fresh, impedance=replace(fresh.impedance, made="2026-01-02"))).warning
    assert "rig changed" in pickup(fresh.with_inputs(full_scale=2.0)).warning


def test_damaged_ones_are_refused():
    known = two_ends(1.0, 0.05)
    for change in ({"short": (1.0,)}, {"known_ohm": 0.0}, {"frequency_hz": known.frequency_hz[::-1]},
                   {"known": parts_of(np.full(len(known.frequency_hz), np.nan + 0j))}):  # fmt: skip
        with pytest.raises(InputError, match="calibration"):
            replace(known, **change)
    assert math.isclose(known.u, 1e-4)
    assert CURRENT in {c.role for c in RIG.inputs}


def test_from_the_command_line(call, tmp_path):
    path = tmp_path / "d.calm"
    assert call("new", path, "--kind", "driver", "--stand-in", "surround driver")[0] == 0
    status, out, err = call("calibrate", "impedance", path, "--known", "1 kohm ± 0.05 %", "--days", "9")
    assert (status, err) == (0, "")
    assert "1000 ohm reads " in out
    job = Job.open(path)
    known = job.document.plans[0].rig.impedance
    job.close()
    assert (known.days, known.known_ohm) == (9, 1000.0)
    assert call("calibrate", "impedance", path, "--known", "some")[0] == 2
    plain = tmp_path / "a.calm"
    assert call("new", plain, "--kind", "cable")[0] == 0
    status, _, err = call("calibrate", "impedance", plain)
    assert status == 2
    assert "tells an impedance" in err

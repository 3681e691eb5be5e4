"""Smoothing: exact means, and never in silence."""

import numpy as np
import pytest

from tests.conftest import made_take, shown
from tests.test_views import curve
from utter_calm.analysis.smoothing import smooth_octaves, smooth_phase
from utter_calm.measure.kinds import KINDS
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.cursor import curves_csv
from utter_calm.present.picture.smoothing import CHOICES, can_be_smoothed, smoothing_words

F = np.geomspace(20, 20_000, 3_001)


@pytest.mark.parametrize("per_octave", [n for n in CHOICES if n])
def test_means_in_closed_form(per_octave):
    place = np.log2(F)
    half = np.minimum(0.5 / per_octave, np.minimum(place - place[0], place[-1] - place)) * np.log(2)
    assert smooth_octaves(F, np.full(len(F), 0.7), per_octave) == pytest.approx(0.7, rel=1e-12)
    straight = np.sqrt(1 + (place - place[0]))  # power straight over log f: its mean is itself
    assert smooth_octaves(F, straight, per_octave) == pytest.approx(straight, rel=1e-12)
    with np.errstate(invalid="ignore"):
        truth = np.where(half > 0, np.sqrt(F**2 * np.sinh(2 * half) / (2 * half)), F)  # mean of f^2 over ln f
    assert smooth_octaves(F, F, per_octave) == pytest.approx(truth, rel=1e-5)
    assert smooth_phase(F, np.angle(np.exp(1j * 9 * place)), per_octave) == pytest.approx(
        np.unwrap(np.angle(np.exp(1j * 9 * place)))
    )


def test_a_narrow_peak_keeps_its_power_and_spreads_over_the_window():
    power = 1 + 200.0 * (np.arange(len(F)) == 1_500)
    got = smooth_octaves(F, np.sqrt(power), 3) ** 2 - 1
    step = np.log2(F[1] / F[0])
    inside = np.abs(np.log2(F / F[1_500])) < 1 / 6 - 2 * step
    assert got[inside] == pytest.approx(200 * step * 3, rel=1e-6)
    assert got[np.abs(np.log2(F / F[1_500])) > 1 / 6 + 2 * step] == pytest.approx(0, abs=1e-9)
    assert smooth_octaves(F[:2], np.array([1.0, 2.0]), 3) == pytest.approx([1.0, 2.0])


def test_it_is_said_in_the_words_on_the_axis_and_in_what_is_copied():
    (one,) = shown(made_take("response", [curve("response", 1.0)]))
    one.result.traces[0].magnitude.setflags(write=True)
    one.result.traces[0].magnitude[20] = 2.0
    plain, soft = (plot_view([one], "response", smoothing=n) for n in (0, 3))
    assert soft.curves[0].y.max() < plain.curves[0].y.max() - 1
    assert "smoothed over 1/3 octave" in soft.same
    assert "smoothed over 1/3 octave" in soft.y.label
    assert "smoothed over 1/3 octave" in curves_csv(soft)
    assert "smoothed" not in plain.same + plain.y.label
    assert smoothing_words(1) == "smoothed over an octave"


def test_single_lines_and_curves_over_time_are_left_alone():
    able = {(k.key, p.key) for k in KINDS.values() for p in k.plots if can_be_smoothed(p)}
    assert ("response", "response") in able
    assert ("first_look", "spectrum") not in able
    assert ("first_look", "waveform") not in able
    assert ("level_series", "thd_n") not in able

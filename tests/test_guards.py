"""Guards: each of these was once broken on purpose without a test going red."""

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import made_take, shown
from tests.test_take_step import WatchedDevice
from utter_calm.errors import InputError
from utter_calm.job.document import Claim
from utter_calm.job.verdict import Outcome, judge
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kind import Stimulus
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.present.palette import LIGHT
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.draw import draw
from utter_calm.rig import stereo_rig

RIG = stereo_rig(ceiling_v=0.5)


class Loud(FirstLook):
    """Says that it is quiet, and plays what it wants."""

    def highest_level(self, settings):
        return 0.01

    def stimulus(self, settings):
        return Stimulus(np.full(4_800, settings.level_v * np.sqrt(2)), settings.rate_hz)


def test_a_level_above_the_ceiling_is_refused_before_the_device_is_opened():
    device = WatchedDevice()
    with pytest.raises(InputError, match=r"ceiling of 0\.5 V"):
        take_step(FirstLook(), FirstLookSettings(level_v=0.6, rate_hz=48_000), device, RIG, load_ohm=8.0)
    assert device.blocks == 0
    assert not device.closed  # it was never opened


def test_a_kind_that_does_not_keep_its_word_is_stopped_at_the_port():
    device = WatchedDevice()
    with pytest.raises(InputError, match="above the ceiling"):
        take_step(Loud(), FirstLookSettings(level_v=0.6, rate_hz=48_000), device, RIG, load_ohm=8.0)
    assert device.loudest == 0.0
    assert device.closed


@pytest.mark.parametrize(("floor", "u"), [(0.9, None), (None, 0.9)])
def test_a_value_that_is_too_low_is_missed_and_never_out_of_reach(floor, u):
    """Rig and noise only add: what is below a lower bound with them is below it without them."""
    claim = Claim("c", "at least 2", "s", "level", low=2.0)
    assert judge(claim, Result((Reading("level", 1, 1.0, "V", u, floor),))).outcome is Outcome.MISSED
    upper = replace(claim, low=None, high=0.5)
    outcome = judge(upper, Result((Reading("level", 1, 1.0, "V", u and 0.4, floor),))).outcome
    assert outcome is (Outcome.NOT_REACHABLE if floor else Outcome.MISSED)


def test_the_floor_that_is_drawn_is_the_highest_of_the_rigs_channels():
    x = np.geomspace(20, 20_000, 50)
    rig = [Trace("thd_n", channel, x, "Hz", np.full(50, level), "1") for channel, level in ((1, 1e-5), (2, 1e-4))]
    (floor,) = shown(made_take("frequency_series", rig, role="floor"))
    (unit,) = shown(made_take("frequency_series", [Trace("thd_n", 1, x, "Hz", np.full(50, 1e-3), "1")]))
    view = plot_view([unit], "distortion", floor=floor)
    assert view.floor.y == pytest.approx(20 * np.log10(1e-4))


def test_the_peaks_of_a_floor_survive_being_drawn_small():
    x = np.geomspace(20, 20_000, 20_000)
    spiky = np.full(20_000, 1e-6)
    spiky[11_111] = 1e-3
    (floor,) = shown(made_take("noise", [Trace("spectrum", 1, x, "Hz", spiky, "V")], role="floor"))
    (unit,) = shown(made_take("noise", [Trace("spectrum", 1, x, "Hz", np.full(20_000, 2e-3), "V")]))
    view = plot_view([unit], "spectrum", floor=floor)
    drawing, mapper = draw(view, 300, 200, LIGHT)
    fills = [item for item in drawing.under if getattr(item, "fill", "") == LIGHT.floor]
    top = min(float(np.nanmin(item.points[:, 1])) for item in fills)
    assert top == pytest.approx(float(mapper.y(20 * np.log10(1e-3))), abs=1.0)

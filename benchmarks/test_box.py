"""A box that is dragged: five curves in four pictures, modelled and painted."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np

from utter_calm.measure.box_design import BoxSettings, driver_of
from utter_calm.measure.deduction import Given
from utter_calm.measure.driver import DriverParameters, DriverSettings
from utter_calm.measure.result import Result, Trace
from utter_calm.present.box_view import VOLUME, box_view
from utter_calm.rig import impedance_rig
from utter_calm.ui.picture.stack import PictureStack

F = np.geomspace(5, 20_000, 500)


def given(mass: float) -> Given:
    s = 2j * np.pi * F
    z = 6 + 0.02 * s**0.7 + 9.15**2 / (1.26 + s * (0.025 + mass) + 1 / (s * 0.633e-3))
    trace = Trace("impedance", 1, F, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z)))
    return Given((), {}, Result(traces=(trace,)), impedance_rig(), 1)


def test_box_subject(benchmark, qtbot):
    """Frames a second while the volume is dragged."""
    benchmark.group = "box dragged, five curves in four pictures"
    runs = {"free": (given(0.0),), "second": (given(0.0125),)}
    found = DriverParameters().deduce(DriverSettings(amount="12.5 g", diameter="130 mm"), runs)
    known = replace(given(0.0), result=found)
    driver = driver_of(found, 1)
    settings = BoxSettings(volume_m3=0.02, tuned_hz=38.0, excursion_m=5e-3, power_w=60.0)
    stacks = [PictureStack(("one", "two"), (5, 4)) for _ in range(2)]
    for stack in stacks:
        qtbot.addWidget(stack)
        stack.resize(500, 380)
        stack.show()
    count = iter(range(1_000_000))

    def frame() -> None:
        volume = 0.02 * (1 + 1e-3 * (next(count) % 40))
        view = box_view(known, replace(settings, volume_m3=volume), VOLUME, None, driver)
        for stack, views in zip(stacks, (view.views[:2], view.views[2:]), strict=True):
            stack.show_views(views, moving=True)
            for canvas in stack.canvases:
                canvas.repaint()

    frame()
    busy = time.process_time()
    benchmark(frame)
    busy = (time.process_time() - busy) / benchmark.stats.stats.total
    benchmark.extra_info["frames_per_second"] = 1 / benchmark.stats.stats.median
    benchmark.extra_info["processor"] = min(busy, 2.0)

"""A box that need not be built: what the measured driver would do in it. A deduction of the driver's parameters."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from utter_calm.analysis.box.limits import highest
from utter_calm.analysis.box.model import BoxDriver
from utter_calm.analysis.box.port import port_for
from utter_calm.analysis.box.predict import Prediction, predict
from utter_calm.measure.box_design import VENTED, BoxSettings, driver_of
from utter_calm.measure.box_result import READINGS, TRACES, add_figures, add_prediction
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.driver import STATE
from utter_calm.measure.kind import PlotSpec
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.quantities import si_text

_LOW_HZ = 20.0


class BoxModel(Deduction[BoxSettings]):
    """What a driver would do in a box."""

    key = "box_model"
    title = "Box model"
    question = "What the driver would do in a closed or vented box: response, excursion, port, impedance, highest level"
    settings_type = BoxSettings
    models = True
    readings = with_roles(READINGS, "f3", "fb", "fc", "qtc", "peak", "excursion_peak", "port_velocity_peak", "port_length")
    traces = TRACES
    plots = (
        PlotSpec("response", "Response", ("response", "highest_level")),
        PlotSpec("excursion", "Excursion", ("excursion",)),
        PlotSpec("port", "Air in the port", ("port_velocity",), short="port"),
        PlotSpec("impedance", "Impedance in the box", ("impedance",), short="impedance"),
        PlotSpec("phase", "Phase of the impedance", ("impedance",), y=PHASE, short="phase"),
        PlotSpec("delay", "Group delay", ("group_delay",), short="delay"),
        PlotSpec("drive", "Highest drive", ("highest_volts",), short="drive"),
    )

    def signal(self, settings: BoxSettings) -> str:  # noqa: ARG002
        """Say what it is modelled from."""
        return "modelled from the driver's parameters"

    def needs(self, settings: BoxSettings) -> tuple[Need, ...]:  # noqa: ARG002
        """The parameters."""
        return (Need("driver", "the driver's parameters", "driver"),)

    def consumes(self, settings: BoxSettings) -> tuple[str, ...]:  # noqa: ARG002
        """Give the state, which the parameters ran over."""
        return (STATE,)

    def deduce(self, settings: BoxSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Compute the box."""
        given, out = takes["driver"][0], ResultBuilder()
        driver = driver_of(given.result, given.take)
        u = {r.name: r.uncertainty / 2 / r.value for r in given.result.readings
             if r.name in ("fs", "qms", "qes", "re", "bl") and r.uncertainty and r.value}  # fmt: skip
        add_summary(out, driver, settings, u)
        add_prediction(out, driver, settings.enclosure(), settings.drive(), settings.ratings())
        return out.build()


def add_summary(out: ResultBuilder, driver: BoxDriver, settings: BoxSettings, u: dict[str, float] | None = None) -> None:
    """Add all that is told without curves; ``u`` as in :func:`add_figures`."""
    box, drive, ratings = settings.enclosure(), settings.drive(), settings.ratings()
    figures = add_figures(out, driver, box, u)
    corner = figures.corner_hz or figures.resonance_hz
    _add_strain(out, predict(driver, box, np.geomspace(min(_LOW_HZ, corner / 2), 2000.0, 300), drive), settings)
    if ratings.excursion_m or ratings.power_w:
        there = predict(driver, box, np.array([corner]), drive)
        out.add("highest_at_corner", 0, float(highest(driver, there, drive, ratings).pressure_pa[0]), "Pa")
    if settings.box == VENTED:
        _add_port(out, settings)


def _add_strain(out: ResultBuilder, low: Prediction, settings: BoxSettings) -> None:
    """Add how far the cone goes and how fast the air in the port, and say where that is too much."""
    ratings, by = settings.ratings(), f"Driven by {si_text(settings.volts, 'V', digits=3)},"
    excursion = float(np.sqrt(2) * np.abs(low.excursion_m).max())
    out.add("excursion_peak", 0, excursion, "m")
    if ratings.excursion_m and excursion > ratings.excursion_m:
        at = si_text(float(low.frequency_hz[np.abs(low.excursion_m).argmax()]), "Hz", digits=3)
        text = (
            f"{by} the cone moves {si_text(excursion, 'm', digits=2)} one way at {at}, and its limit is "
            f"{si_text(ratings.excursion_m, 'm', digits=2)}: drive it less, or cut off what is below."
        )
        out.trust.append(Trust("excursion_over", text))
    if low.port_velocity_m_s is None:
        return
    fastest = float(np.sqrt(2) * np.abs(low.port_velocity_m_s).max())
    out.add("port_velocity_peak", 0, fastest, "m/s")
    if ratings.port_m_s and fastest > ratings.port_m_s and settings.box == VENTED:
        out.trust.append(Trust("port_fast", f"{by} the air in the port reaches {fastest:.3g} m/s: take a wider port."))


def _add_port(out: ResultBuilder, settings: BoxSettings) -> None:
    """Add how long the port is, or say that none is that short."""
    area = settings.port_area_m2 / settings.ports
    try:
        port = port_for(settings.volume_m3, settings.tuned_hz, area, number=settings.ports, ends=settings.ends)
    except ValueError:
        text = f"The opening alone tunes this box below {settings.tuned_hz:.4g} Hz: take a wider port, or tune lower."
        out.trust.append(Trust("port_too_short", text))
        return
    out.add("port_length", 0, port.length_m, "m")
    out.add("port_pipe", 0, port.pipe_hz, "Hz")

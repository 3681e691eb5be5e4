"""A whole response from close to the cone and from afar: a deduction of these takes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.acoustic.splice import NoOverlap, baffle_step, fitted_baffle, near_field_to, splice
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.acoustic_declared import READINGS as SOUND
from utter_calm.measure.acoustic_declared import TRACES as CURVES
from utter_calm.measure.acoustic_result import add_curve_readings
from utter_calm.measure.acoustic_settings import AT_CONE, FREE_FIELD, IN_PORT, IN_ROOM
from utter_calm.measure.declare import with_roles
from utter_calm.measure.deduction import Deduction, Given, Need
from utter_calm.measure.kind import PlotSpec, StepSettings, setting
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.spliced import READINGS, add_port_missing, add_spliced, say_how_sure, spread_of
from utter_calm.quantities import number_of, si_text
from utter_calm.quantities.weighed import understand_weighed

SITUATION = "situation"
MEASURED = "measured"
_READ = ("sensitivity_2v83", "lower_3db", "lower_10db", "upper_3db", "upper_10db", "response_above", "response_below")
_FARS = ((IN_ROOM, "in a room, under a window"), (FREE_FIELD, FREE_FIELD))


@dataclass(frozen=True, slots=True)
class SpliceSettings(StepSettings):
    """Settings of a splice."""

    diaphragm: str = setting("130 mm", "Diameter of the diaphragm, mid-surround to mid-surround", analysis_only=True)
    port: str = setting("", "Diameter of the port's mouth (empty: none)", analysis_only=True)
    baffle: str = setting("", "Width of the baffle (or “measured”: as it is heard from afar; empty: no step)", analysis_only=True)
    far: str = setting(IN_ROOM, "From afar", choices=_FARS, analysis_only=True)
    band_low_hz: float = setting(100.0, "Tolerance read from", "Hz", low=1, high=160_000, analysis_only=True)
    band_high_hz: float = setting(10_000.0, "Tolerance read to", "Hz", low=2, high=160_000, analysis_only=True)

    def metres(self, text: str, what: str) -> float:
        """Read a length.

        Raises
        ------
        InputError
            It is none above zero.
        """
        value = understand_weighed(text, "m", what=what).value
        if not value > 0:
            raise InputError(f"The {what} is {text}.", hint="Give a length above zero, as in 130 mm.")
        return value

    def check(self) -> None:
        """Refuse lengths that are none."""
        StepSettings.check(self)
        for text, what in ((self.diaphragm, "diaphragm"), (self.port, "port"), (self.baffle, "baffle")):
            if (text and text != MEASURED) or what == "diaphragm":
                self.metres(text, what)


class SplicedResponse(Deduction[SpliceSettings]):
    """One response, from the lowest frequency to the highest."""

    key = "splice"
    title = "Spliced response"
    question = "A whole response: close to the cone (and the port) for the bass, from afar for the rest"
    settings_type = SpliceSettings
    readings = with_roles({**{n: SOUND[n] for n in _READ}, **READINGS}, "lower_3db", "lower_10db", "splice_frequency", "gain",
                          "tilt", "sensitivity_2v83")  # fmt: skip
    traces = {
        "response": replace(CURVES["response"], title="spliced"),
        "relative": CURVES["relative"],
        "near": replace(CURVES["response"], title="close by", text="Close to the cone, at the level of the far one."),
        "far": replace(CURVES["response"], title="from afar", text="From afar, under its window."),
    }
    plots = (
        PlotSpec("response", "Spliced response", ("response",), detail=3.0, edges=("band_low_hz", "band_high_hz")),
        PlotSpec(
            "relative",
            "Spliced response re its mean in the band",
            ("relative",),
            detail=3.0,
            short="re mean",
            edges=("band_low_hz", "band_high_hz"),
        ),
        PlotSpec("parts", "Near and far", ("response", "near", "far"), short="near and far"),
        PlotSpec("phase", "Phase", ("response",), y=PHASE),
    )

    def signal(self, settings: SpliceSettings) -> str:  # noqa: ARG002
        """Say what it is deduced from."""
        return "from takes close by and from afar"

    def needs(self, settings: SpliceSettings) -> tuple[Need, ...]:
        """Close to the cone, in the port where there is one, and from afar."""
        wanted = [("near", "close to the cone", AT_CONE), ("far", "from afar", settings.far)]
        if settings.port:
            wanted.insert(1, ("port", "in the mouth of the port", IN_PORT))
        return tuple(Need(key, title, "loudspeaker", ((SITUATION, where),)) for key, title, where in wanted)

    def consumes(self, settings: SpliceSettings) -> tuple[str, ...]:  # noqa: ARG002
        """It runs over the situations."""
        return (SITUATION,)

    def deduce(self, settings: SpliceSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Join them."""
        across = settings.metres(settings.diaphragm, "diaphragm")
        near, far = (_response(takes[key][0]) for key in ("near", "far"))
        mouth = None
        if settings.port and "port" in takes:
            f, value = _curve(_like(near, _response(takes["port"][0])))
            # each take counts from its own direct sound; cone and port add by the clock that they share
            late = _delay(takes["port"][0]) - _delay(takes["near"][0])
            mouth = (f, np.asarray(value * np.exp(-2j * np.pi * f * late)), settings.metres(settings.port, "port") / across)
        try:
            if settings.baffle == MEASURED:
                wide: float | None = fitted_baffle(_curve(near), _curve(far), across / 2, mouth)
            else:
                wide = settings.metres(settings.baffle, "baffle") if settings.baffle else None
            found = splice(_curve(near), _curve(far), across / 2, mouth, wide)
        except NoOverlap as problem:
            low, high = (si_text(f, "Hz", digits=3) for f in (problem.low_hz, problem.high_hz))
            raise MeasurementError(
                f"Near and far do not overlap by half an octave: {low} to {high} is all that both tell.",
                hint="Give the far one a longer window: farther from the walls, or higher.",
            ) from problem
        out = ResultBuilder()
        if settings.baffle == MEASURED and wide is not None:
            out.add("front_width", far.channel, wide, "m")
            text = "The step of the front was fitted to what is heard from afar: that near and far agree is no proof of it."
            out.trust.append(Trust("front_fitted", text, grave=False))
        whole_from = None if mouth is not None else add_port_missing(out, found, _curve(near), _held(near, near.uncertainty))
        away = _distance(takes["far"][0])
        add_spliced(out, found, radius_m=across / 2, unit=far.y_unit, distance_m=away if near.y_unit == far.y_unit else None,
                    channel=far.channel, whole_from=whole_from, spread=spread_of(found, near, far))  # fmt: skip
        f, value = _curve(near)
        value = value * (baffle_step(f, wide) if wide is not None else 1.0) * found.gain
        top = near_field_to(across / 2)
        out.traces.append(Trace("near", far.channel, f, "Hz", np.abs(value), far.y_unit, np.unwrap(np.angle(value)),
                                valid=(float(f[0]), top), invalid_reason="close by is not far off any more (ka > 1)"))  # fmt: skip
        out.traces.append(Trace("far", far.channel, far.x, "Hz", far.magnitude, far.y_unit, far.phase_rad, valid=far.valid,
                                invalid_reason="the window holds less than a period"))  # fmt: skip
        add_curve_readings(out, far.channel, distance_m=away, band_hz=(settings.band_low_hz, settings.band_high_hz))
        say_how_sure(out, found)
        return out.build()


def _response(given: Given) -> Trace:
    found = next((t for t in given.result.traces if t.name == "response"), None)
    if found is None or found.phase_rad is None:
        raise MeasurementError("A take has no response with its phase.", hint="Take it again.")
    return found


def _like(cone: Trace, port: Trace) -> Trace:
    """What was heard in the port, where it can be added to what was heard at the cone."""
    if cone.y_unit != port.y_unit:
        without = "port" if cone.y_unit == "Pa/V" else "cone"
        raise MeasurementError(
            f"Cone and port cannot be added: for the take at the {without} the microphone was not calibrated, "
            "for the other it was.",
            hint=f"Take the one at the {without} again.",
        )
    return port


def _curve(trace: Trace) -> tuple[FloatArray, ComplexArray]:
    """A response where it holds."""
    phase = trace.phase_rad if trace.phase_rad is not None else np.zeros(len(trace.x))
    inside = _inside(trace)
    return trace.x[inside], np.asarray(trace.magnitude[inside] * np.exp(1j * phase[inside]))


def _held(trace: Trace, values: FloatArray | None) -> FloatArray | None:
    """Values beside a response (n,) where it holds."""
    return None if values is None else values[_inside(trace)]


def _inside(trace: Trace) -> npt.NDArray[np.bool_]:
    low, high = trace.valid or (trace.x[0], trace.x[-1])
    return np.asarray((trace.x >= low * 0.9999) & (trace.x <= high * 1.0001))


def _delay(given: Given) -> float:
    found = next((r for r in given.result.readings if r.name == "delay"), None)
    return 0.0 if found is None else found.value


def _distance(given: Given) -> float | None:
    """Of a take, by its condition or its settings."""
    typed = number_of(given.value("distance"), "m")
    return typed if typed is not None else float(given.settings.get("distance_m", 1.0))


__all__ = ["SpliceSettings", "SplicedResponse"]

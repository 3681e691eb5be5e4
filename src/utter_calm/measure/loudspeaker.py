"""A loudspeaker before a microphone: response, reflections, distortion, rub and buzz, time and impedance out of one sweep."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, partial

import numpy as np

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.acoustic.geometry import names_of
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker, analyze_loudspeaker
from utter_calm.analysis.excitation import Excitation
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.errors import MeasurementError, UtterCalmError
from utter_calm.measure.acoustic_declared import READINGS, TRACES
from utter_calm.measure.acoustic_impedance import (
    HeardImpedance,
    add_heard_impedance,
    heard_current,
    heard_impedance,
    rehearse,
    soon,
    soon_frames,
)
from utter_calm.measure.acoustic_result import (
    add_curve_readings,
    add_distortion,
    add_response,
    add_time_curves,
    add_times,
    moved_by_window,
)
from utter_calm.measure.acoustic_settings import AUTO, BY_HAND, CLOSE, LoudspeakerSettings
from utter_calm.measure.arrival import arrival_trust
from utter_calm.measure.beside import begun, begun_early, compute_meanwhile
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import with_roles
from utter_calm.measure.kind import Early, Passage, Passages, PlotSpec, SingleStimulus, Stimulus
from utter_calm.measure.pictures import PHASE
from utter_calm.measure.point import ORDERS
from utter_calm.measure.result import Reading, Result, ResultBuilder, Trust
from utter_calm.measure.situation import add_sensitivities, field_gain, situation_trust, top_of
from utter_calm.measure.sweep_trust import heard_trust
from utter_calm.measure.swept import KEPT, between_silences, known_between_silences
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import si_text
from utter_calm.rig import CURRENT, MICROPHONE, Rig

_FAINT = 1e-3
_ROOM_HEARD = "No window was set: the room is in the response. Its −10 dB ends and its tolerance are read by third octaves."


@dataclass(frozen=True, slots=True, eq=False)
class PreparedLoudspeaker:
    """All that does not depend on the window.

    Parameters
    ----------
    channel, unit, u_level
        Of the microphone, and the relative standard uncertainty of its levels.
    found
        What the sweep tells, in ``unit`` over volts played.
    level
        R.m.s. at the microphone while the sweep sounded.
    impedance_coming
        Gives ``impedance``, by the current up to the end of the sweep, which may be computed beside.
    impedance_late
        Gives it by the whole of the current, for one that comes late.
    wired
        Whether its delay counts from the moment at which the sound was played.
    """

    channel: int
    unit: str
    u_level: float
    found: Loudspeaker
    level: float
    impedance_coming: Callable[[], HeardImpedance | None]
    impedance_late: Callable[[], HeardImpedance | None]
    trust: tuple[Trust, ...]
    wired: bool

    @property
    def impedance(self) -> HeardImpedance | None:
        """What the current told; None where none was heard."""
        found = self.impedance_coming()
        return found if found is None or found.whole else self.impedance_late()


_OVER = 1.02


class LoudspeakerSweep(SingleStimulus[LoudspeakerSettings]):
    """One sweep through a loudspeaker, heard by a microphone, and its current where that is sensed."""

    has_floor = False  # the rig alone has no loudspeaker
    key = "loudspeaker"
    title = "Loudspeaker"
    question = "Everything out of one sweep: response, reflections, distortion, rub and buzz, time, impedance"
    settings_type = LoudspeakerSettings
    readings = with_roles(
        READINGS, "sensitivity_2v83", "lowest_valid_frequency", "lower_3db", "upper_3db", "lower_10db", "upper_10db",
        "response_above", "response_below", "spl", "first_reflection", "polarity", "buzz_peak",
    )  # fmt: skip
    traces = TRACES
    plots = (
        PlotSpec("response", "Response", ("response",), detail=3.0, edges=("band_low_hz", "band_high_hz")),
        PlotSpec("time", "Energy over time", ("energy_time",), x="time", short="time", edges=("gate_start_s", "gate_stop_s")),
        PlotSpec("distortion", "Harmonics over the fundamental", (*(f"harmonic_{n}" for n in ORDERS), "thd"),
                 x_title="frequency of the fundamental", unwanted=True, short="distortion"),
        PlotSpec("buzz", "Rub and buzz", ("high_order_each_ratio", "high_order"),
                 x_title="frequency of the fundamental", unwanted=True, short="rub and buzz"),
        PlotSpec("knocks", "Crest factor of rub and buzz", ("high_order_each_crest", "high_order_crest"),
                 x_title="frequency of the fundamental",
                 y="linear", short="crest"),
        PlotSpec("buzz_level", "Level of rub and buzz", ("high_order_each_level", "high_order_level"),
                 x_title="frequency of the fundamental",
                 unwanted=True, short="buzz level"),
        PlotSpec("relative", "Response re its mean in the band", ("relative",), detail=3.0, short="re mean",
                 edges=("band_low_hz", "band_high_hz")),
        PlotSpec("impulse", "Impulse response", ("impulse", "step"), x="time", y="linear", short="impulse"),
        PlotSpec("phase", "Phase", ("response",), y=PHASE),
        PlotSpec("excess", "Excess phase", ("excess_phase",), short="excess"),
        PlotSpec("delay", "Group delay", ("group_delay",), y="linear", short="delay"),
        PlotSpec("impedance", "Impedance", ("impedance",)),
    )  # fmt: skip

    def rehearsal(self) -> Callable[[], None]:
        """The current is computed beside the sound."""
        return rehearse

    def get_ready(self, settings: LoudspeakerSettings, rig: Rig) -> None:
        """Have the stimulus and its transform, and all that an analysis makes once and keeps, by one of the stimulus itself."""
        if settings.duration_s * settings.rate_hz >= KEPT:
            return  # of what is longer nothing is kept
        volts = self.stimulus(settings).volts
        heard = np.repeat(_FAINT * np.roll(volts, settings.rate_hz // 500)[:, None], len(rig.recorded), axis=1)
        with contextlib.suppress(UtterCalmError):
            self.analyze(settings, Capture(heard, settings.rate_hz, rig.recorded, rig, drive_known=True))
        if any(c.role == CURRENT for c in rig.recorded):
            rehearse()

    def stimulus(self, settings: LoudspeakerSettings) -> Stimulus:
        """Give the sweep between two silences."""
        return between_silences(settings, _fade_in_s(settings), settings.listens_s)

    def passages(self, settings: LoudspeakerSettings, rig: Rig) -> Passages:
        """Play the stimulus; the current, which comes at once, is computed while the sound is still on its way."""
        early = Early(soon_frames(settings.sweep, settings.rate_hz), partial(_begin_with_current, settings))
        has_current = any(c.role == CURRENT for c in rig.recorded)
        yield Passage(self.stimulus(settings).volts, {}, early=early if has_current else None)

    def signal(self, settings: LoudspeakerSettings) -> str:
        """Say what is played."""
        low, high = (si_text(f, "Hz", digits=2) for f in (settings.start_hz, settings.stop_hz))
        return f"sweep {low} to {high} in {settings.duration_s:g} s"

    def prepare(
        self, settings: LoudspeakerSettings, capture: Capture, *, progress: Callable[[float], None] | None = None
    ) -> PreparedLoudspeaker:  # fmt: skip
        """Take the sweep apart."""
        channel = _microphone(capture)
        if not capture.drive_known:
            raise MeasurementError("This recording was not made by this step: what was played is not known.")
        heard, played = capture.signal(channel), _played(settings)
        # sound and current have nothing to do with each other
        current = heard_current(capture)
        through: Callable[[], HeardImpedance | None] = _nothing
        late = through
        if current is not None:
            through = capture.coming or begun(partial(heard_impedance, soon(current, settings.sweep), played, settings.sweep))
            late = cache(partial(heard_impedance, current, played, settings.sweep))
        volts, known = played(len(heard))
        try:
            found = analyze_loudspeaker(heard, volts, settings.sweep, capture.rate_hz, known, begin=begun)
        finally:
            _, trust = usable_part(capture, channel)  # where nothing was heard it says so best
        if progress is not None:
            progress(0.7)
        kept = heard_trust(trust, found.sweep, channel, settings.sweep, capture.rate_hz)
        begins = int((settings.sweep.onset_s + found.delay_s) * capture.rate_hz)
        sounding = heard[max(0, begins) : begins + int(settings.duration_s * capture.rate_hz)]
        level = float(np.sqrt(np.mean(sounding**2))) if len(sounding) else 0.0
        return PreparedLoudspeaker(
            channel, capture.unit(channel), capture.u_level(channel), found, level, through, late, tuple(kept),
            capture.rig is not None and capture.answered_s is None,
        )  # fmt: skip

    def conclude(
        self, settings: LoudspeakerSettings, prepared: PreparedLoudspeaker, *, progress: Callable[[float], None] | None = None
    ) -> Result:  # fmt: skip
        """Set the window, and read everything off."""
        found, one = prepared.found, prepared.channel
        out = ResultBuilder(trust=list(prepared.trust))
        add_times(out, found, found.delay_s, one)
        out.readings[:] = _named(out.readings, settings)
        gate = _window(settings, found)
        response = found.response(gate, settings.periods)
        rest = ResultBuilder()  # what needs neither current nor rub and buzz, which may still be computed beside
        add_time_curves(rest, found, one)
        compute_meanwhile(prepared.impedance_coming, found.buzz_coming)
        scale: ComplexArray | float = 1.0
        impedance = prepared.impedance
        if impedance is not None:
            scale = impedance.at_terminals(response.frequency_hz)
        unit = "Pa/V" if prepared.unit == "Pa" else "1"
        add_response(out, response, scale, unit, one, u_level=prepared.u_level, by_hand=settings.gate == BY_HAND,
                     top_hz=top_of(settings))  # fmt: skip
        if gate is not None and found.reflections and gate.stop_s > found.reflections[0].after_s * _OVER:
            first = si_text(found.reflections[0].after_s, "s", digits=3)
            text = f"The window reaches over the reflection at {first}: what it makes cancel is the room's, not the loudspeaker's."
            out.trust.append(Trust("window_over_reflection", text))
        out.trust += [*situation_trust(settings), *arrival_trust(settings, found, wired=prepared.wired)]
        if progress is not None:
            progress(0.9)
        if settings.situation not in CLOSE:  # close by it is no level of the loudspeaker
            band = settings.band_low_hz, settings.band_high_hz
            room = gate is None and bool(found.reflections)
            add_curve_readings(
                out, one, distance_m=settings.distance_m, band_hz=band, field=field_gain(settings.situation), room=room,
                cut=moved_by_window(response),
            )  # fmt: skip
            if room:
                out.trust.append(Trust("room_heard", _ROOM_HEARD, grave=False))
            add_sensitivities(out, settings, one)
        if prepared.unit == "Pa":
            rest.add("spl", one, prepared.level, "Pa", prepared.level * prepared.u_level)
        if found.sweep.snr is not None:
            rest.add("snr", one, found.sweep.snr.value, "1", found.sweep.snr.u)
        if impedance is not None:
            add_heard_impedance(rest, impedance, one)
        add_distortion(out, found, prepared.unit, one)
        out.take_in(rest)
        return out.build()


def _played(settings: LoudspeakerSettings) -> Callable[[int], tuple[FloatArray, Excitation]]:
    return partial(known_between_silences, settings, _fade_in_s(settings), settings.listens_s)


def _begin_with_current(settings: LoudspeakerSettings, capture: Capture) -> Callable[[], HeardImpedance | None] | None:
    current = heard_current(capture)
    return None if current is None else begun_early(partial(heard_impedance, current, _played(settings), settings.sweep))


def _nothing() -> None:
    """No current was heard."""


def _fade_in_s(settings: LoudspeakerSettings) -> float:
    return min(settings.sweep.lead_s(2) * 0.3, 0.1 * settings.duration_s)


def _microphone(capture: Capture) -> int:
    for number, channel in enumerate(capture.channels, start=capture.first):
        if channel.role == MICROPHONE:
            return number
    raise MeasurementError("The rig has no microphone.", hint="Give one of its inputs the role “microphone”.")


def _window(settings: LoudspeakerSettings, found: Loudspeaker) -> Gate | None:
    if not found.direct or settings.situation in CLOSE:
        return None if settings.gate != BY_HAND else settings.window
    if settings.gate == BY_HAND:
        return settings.window
    return found.auto_gate(settings.flat) if settings.gate == AUTO else None


def _named(readings: list[Reading], settings: LoudspeakerSettings) -> list[Reading]:
    """Reflections with what they come off, where distances and heights tell."""
    times = [r for r in readings if r.name.startswith("reflection_") and not r.name.endswith("level")]
    names = dict(zip((r.name for r in times), names_of([r.value for r in times], settings.layout), strict=True))
    first = next((n for n in names.values()), "")
    return [replace(r, note=names.get(r.name, first if r.name == "first_reflection" else "")) for r in readings]


__all__ = ["LoudspeakerSettings", "LoudspeakerSweep", "PreparedLoudspeaker"]

"""What all ``analyze`` commands share: options, reading files, channels one by one."""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import click
import numpy as np

from utter_calm.cli.output import print_json, print_result, result_json
from utter_calm.cli.skew import tones_of
from utter_calm.errors import InputError
from utter_calm.formats.audio import read_audio
from utter_calm.measure.by_channel import by_channel
from utter_calm.measure.capture import Capture, FloatArray, volts_channels
from utter_calm.measure.result import Result, ResultBuilder
from utter_calm.measure.usable import usable_part

F = TypeVar("F", bound=Callable[..., Any])
FILE = click.Path(path_type=Path)

channel_option = click.option("--channel", type=int, help="Channel, counted from 1; all when left out.")
full_scale_option = click.option("--full-scale-volts", type=float, help="R.m.s. volts of the sine that reads 0 dBFS.")
band_option = click.option(
    "--band", type=float, nargs=2, default=(20.0, 20_000.0), metavar="LOW HIGH", show_default=True,
    help="Brick-wall band in Hz for distortion and noise.",
)  # fmt: skip
stimulus_option = click.option("--stimulus", type=FILE, help="The file that was played: tells the skew of the clocks.")
json_option = click.option("--json", "as_json", is_flag=True, help="Write JSON.")


def common_options(function: F) -> F:
    """Give a command --channel, --full-scale-volts, --band and --json."""
    for option in (json_option, band_option, full_scale_option, channel_option):
        function = option(function)
    return function


@dataclass(frozen=True, slots=True)
class Recording:
    """One recording that a command analyses, and what was said about it.

    Parameters
    ----------
    file, capture
        Where it came from, and what it holds.
    band
        In Hz.
    full_scale_v
        R.m.s. volts of the sine that reads 0 dBFS; None when unknown.
    channel
        From 1; None for all.
    stimulus
        The file that was played, where it was given.
    """

    file: Path
    capture: Capture
    band: tuple[float, float]
    full_scale_v: float | None
    channel: int | None
    as_json: bool
    stimulus: Path | None

    def played(self, tones: Callable[[FloatArray, float], FloatArray]) -> FloatArray | None:
        """Give the frequencies in Hz that the stimulus holds, as ``tones`` finds them; None without a stimulus."""
        return None if self.stimulus is None else tones_of(self.stimulus, self.capture.rate_hz, tones)

    def show(
        self,
        measure: Callable[[Capture], Result],
        together: Callable[[Capture, Result, Sequence[int]], Result] | None = None,
        *,
        kind: str = "",
    ) -> None:
        """Measure each channel, as a capture of one channel, then what they tell ``together``, and print what was found.

        ``kind`` declares what the readings are; empty where they are of several.
        """
        numbers = chosen(self.capture, self.channel)
        result = by_channel(self.capture, numbers, measure)
        if together is not None:
            result = together(self.capture, result, numbers)
        show(result, self.file.name, as_json=self.as_json, full_scale_v=self.full_scale_v, kind=kind)


def on_recording(*, stimulus: bool = False) -> Callable[[Callable[..., None]], click.Command]:
    """Make a command of a function of a :class:`Recording`: FILE and the common options, with ``stimulus`` also --stimulus."""

    def make(function: Callable[..., None]) -> click.Command:
        @functools.wraps(function)
        def call(
            file: Path, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *,
            as_json: bool, stimulus: Path | None = None, **more: object,
        ) -> None:  # fmt: skip
            capture = load(file, full_scale_volts, band)
            function(Recording(file, capture, band, full_scale_volts, channel, as_json, stimulus), **more)

        with_options = common_options(stimulus_option(call) if stimulus else call)
        return click.command()(click.argument("file", type=FILE)(with_options))

    return make


def load(file: Path, full_scale_volts: float | None, band: tuple[float, float], *, load_ohm: float | None = None) -> Capture:
    """Read a recording, and check what was said about it.

    Raises
    ------
    InputError
        The volts, the band or the load make no sense, or do not fit the file.
    FileError
        The file cannot be read.
    """
    if full_scale_volts is not None and not (full_scale_volts > 0 and np.isfinite(full_scale_volts)):
        raise InputError(f"--full-scale-volts is {full_scale_volts:g}.", hint="Give volts above zero.")
    if not (np.isfinite(band).all() and 0 <= band[0] < band[1]):
        raise InputError(f"The band from {band[0]:g} to {band[1]:g} Hz is empty.", hint="Give LOW below HIGH, in Hz.")
    if load_ohm is not None and not (load_ohm > 0 and np.isfinite(load_ohm)):
        raise InputError(f"The load is {load_ohm:g} Ω.", hint="Give ohms above zero.")
    samples, rate = read_audio(file)
    if band[0] >= rate / 2:
        raise InputError(f"The band starts above half the file's rate of {rate} Hz.", hint="Give a lower band.")
    return Capture(samples, rate, volts_channels(samples.shape[1], full_scale_volts), load_ohm=load_ohm)


def chosen(capture: Capture, channel: int | None) -> Sequence[int]:
    """The channel that was asked for, or all."""
    return range(1, capture.count + 1) if channel is None else (channel,)


def start(one: Capture, *, flat: bool = False) -> tuple[ResultBuilder, FloatArray]:
    """Begin a result for a capture of one channel: what its record can be trusted for, and its usable part.

    A ``flat`` signal stands still by itself: that is no dropout.
    """
    samples, trust = usable_part(one, one.first, across_holes=flat)
    return ResultBuilder(trust=[t for t in trust if not (flat and t.code == "dropout")]), samples


def show(result: Result, title: str, *, as_json: bool, full_scale_v: float | None = None, kind: str = "") -> None:
    """Print a result for people or for machines."""
    if as_json:
        print_json(result_json(result))
    else:
        print_result(result, title=title, full_scale_v=full_scale_v, kind=kind)

"""One SCPI instrument (IEEE 488.2, SCPI 1999) over PyVISA and its pure-Python backend: set, read back, never believed blindly."""

from __future__ import annotations

import contextlib
import math
import re
import threading
import time
from typing import Any

from utter_calm.errors import DeviceGone, InputError, MeasurementError
from utter_calm.quantities import Measured, Value, number_of, si_text, value_text
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.bench.profile import Profile, Quantity, load_profile

_NUMBER = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?")
_BEYOND = 9.0e37
"""SCPI writes 9.9E37 for infinity and 9.91E37 for what is no number."""
_MOST_ERRORS, _MOST_LEFT = 20, 100
_SMALL = 1e-3


class ScpiInstrument:
    """A connection to one instrument; made when it is first needed, and again after it was lost. For any thread, one at a time."""

    def __init__(self, instrument: BenchInstrument) -> None:
        self.where = instrument
        self.profile: Profile = load_profile(instrument.profile)
        self._lock = threading.RLock()
        self._link: Any = None
        self.identity = ""

    @property
    def title(self) -> str:
        """For people: what it is and where."""
        return f"{self.profile.title} ({self.where.address})"

    def set(self, factor: str, value: Value) -> None:
        """Set a factor, wait until it stands, and read it back.

        Raises
        ------
        InputError
            It cannot be set, or not so.
        DeviceGone
            The instrument does not answer.
        MeasurementError
            It reports an error, or stands elsewhere than it was told.
        """
        quantity = self._quantity(factor)
        command = self._command(quantity, value)
        with self._lock:
            try:
                if quantity.on:
                    self._set_limit()
                self._told(command)
                wanted = number_of(value, quantity.unit)
                if quantity.told and wanted is not None:
                    self._same(quantity, wanted, self._number(quantity.told, quantity), "was set to")
                if quantity.on:  # only now, with what was set and read back behind it
                    self._told(quantity.on)
                time.sleep(quantity.settles_s)
                if quantity.read and wanted is not None:
                    self._same(quantity, wanted, self._read(quantity), "was set to")
            except BaseException:  # nothing stays on that does not stand as it should
                self._hush()
                raise

    def _told(self, command: str) -> None:
        """Give a command, and see that it was done without an error."""
        self._write(command)
        if self._ask("*OPC?").strip() not in ("1", "+1"):
            raise self._wrong(f"does not say that “{command}” is done")
        self._no_errors(command)

    def _set_limit(self) -> None:
        """Set what its output may give at most, and read it back.

        Raises
        ------
        InputError
            Nobody said what that is: it is not switched on.
        """
        known, stated = self.profile.limit, self.where.limit
        if known is None:
            return
        if stated is None:
            raise InputError(
                f"What the output of {self.title} may give at most is not known: it stays off.",
                hint="Take it out and add it again with its limit (rig, Instruments…), as in 2 A.",
            )
        self._told(known.set.format(value=stated))
        limit = Quantity(factor="limit", unit=known.unit, read=known.read)
        self._same(limit, stated, self._read(limit), "was limited to")

    def _same(self, quantity: Quantity, wanted: float, found: float, what: str) -> None:
        if abs(found - wanted) > quantity.within * max(abs(wanted), _SMALL / quantity.within):
            raise MeasurementError(
                f"{self.title} {what} {value_text(Measured(wanted, quantity.unit))} and reads "
                f"{si_text(found, quantity.unit, digits=4)}.",
                hint="Look at its limits (a supply's current limit, a stop of the turntable), then take the step again.",
            )

    def _hush(self) -> None:
        """Have it quiet, as far as it can still be reached."""
        if self._link is None and not self.profile.quiet:
            return
        with contextlib.suppress(Exception):  # it may be gone: then there is nothing to switch off
            for command in self.profile.quiet:
                self._write(command)

    def read(self, factor: str) -> Measured:
        """Read a quantity; errors as in :meth:`set`."""
        quantity = self._quantity(factor)
        if not quantity.read:
            raise InputError(f"{self.title} cannot read its {factor}.", hint="Give its profile a query for it.")
        with self._lock:
            return Measured(self._read(quantity), quantity.unit)

    def try_out(self) -> str:
        """Ask it who it is and read all it reads; give that in words. Errors as in :meth:`set`."""
        with self._lock:
            self._open()
            parts = [f"{q.factor} {self._words(q)}" for q in self.profile.quantities if q.read]
        return "; ".join([self.identity, *parts])

    def _words(self, quantity: Quantity) -> str:
        try:
            return str(si_text(self._read(quantity), quantity.unit, digits=4))
        except MeasurementError as problem:  # an open input reads nothing, and yet the instrument is there
            return "no reading" if "out of range" in problem.what else problem.what

    def close(self) -> None:
        """Let it go, quiet as its profile says; may be called twice."""
        with self._lock:
            if self._link is not None:
                with contextlib.suppress(Exception):  # whoever leaves does not mind that it is gone
                    for command in self.profile.quiet:
                        self._link.write(command)
                self._drop()

    # --- inside -----------------------------------------------------------------------------------------------------

    def _quantity(self, factor: str) -> Quantity:
        found = self.profile.quantity(factor)
        if found is None:
            raise InputError(
                f"{self.title} has no “{factor}”.", hint=f"It has {', '.join(q.factor for q in self.profile.quantities)}."
            )
        return found

    def _command(self, quantity: Quantity, value: Value) -> str:
        if isinstance(value, str) and value in quantity.positions:
            return quantity.positions[value]
        number = number_of(value, quantity.unit)
        if number is None or not quantity.set:
            known = ", ".join(quantity.positions) or f"a number in {quantity.unit}"
            raise InputError(f"{self.title} cannot set the {quantity.factor} to {value_text(value)}.", hint=f"It takes {known}.")
        if not quantity.low <= number <= quantity.high:
            low, high = (value_text(Measured(x, quantity.unit)) for x in (quantity.low, quantity.high))
            raise InputError(f"{self.title} does not go to {value_text(value)}.", hint=f"It goes from {low} to {high}.")
        return quantity.set.format(value=number * quantity.per_unit)

    def _read(self, quantity: Quantity) -> float:
        return self._number(quantity.read, quantity)

    def _number(self, query: str, quantity: Quantity) -> float:
        text = self._ask(query)
        found = _NUMBER.match(text.strip())
        number = float(found.group()) if found else math.nan
        rest = text.strip()[found.end() :].strip() if found else ""
        if not found or (rest and not rest.startswith((",", ";")) and rest.upper() != quantity.unit.upper()):
            raise self._wrong(f"answers “{text.strip()[:40]}” to {query}, which is no number in {quantity.unit}")
        if not math.isfinite(number) or abs(number) > _BEYOND:
            raise self._wrong(f"says that its {quantity.factor} is out of range")
        return number / quantity.per_unit

    def _no_errors(self, after: str) -> None:
        """Empty its queue of errors, and raise the first."""
        first = ""
        for _ in range(_MOST_ERRORS):
            text = self._ask("SYST:ERR?").strip()
            if text.split(",")[0].strip() in ("0", "+0"):
                break
            first = first or text
        if first:
            raise MeasurementError(f"{self.title} refuses “{after}”: {first[:80]}.", hint="Look at its limits and at its profile.")

    def _open(self) -> None:
        if self._link is not None:
            return
        import pyvisa  # noqa: PLC0415 - only where there is an instrument

        try:
            link: Any = pyvisa.ResourceManager("@py").open_resource(self.where.address)
        except Exception as problem:
            raise DeviceGone(
                f"{self.title} does not answer: {_plain(problem)}.", hint="Check its address, its cable and that it is switched on."
            ) from problem
        link.timeout = 1000 * self.profile.timeout_s
        link.read_termination = link.write_termination = "\n"
        self._link = link
        self.identity = self._ask("*IDN?").strip()
        if not re.search(self.profile.says, self.identity):
            self._drop()
            raise InputError(f"{self.title} says that it is “{self.identity[:60]}”.", hint="Choose the profile that belongs to it.")
        for command in self.profile.start:
            self._write(command)

    def _write(self, command: str) -> None:
        self._open()
        try:
            self._link.write(command)
        except Exception as problem:
            self._drop()
            raise self._lost(command, problem) from problem

    def _ask(self, query: str) -> str:
        self._open()
        try:
            self._forget()
            return str(self._link.query(query))
        except UnicodeDecodeError as problem:
            self._drop()
            raise self._wrong(f"answers “{query}” with what is no text") from problem
        except Exception as problem:
            self._drop()
            raise self._lost(query, problem) from problem

    def _forget(self) -> None:
        """Throw away what came late, or twice: it would be taken for the answer to what is asked next, and so on for ever.

        Of a plain stream of bytes only; a bus that carries messages keeps them apart, and minds to be read for nothing.
        """
        if not self.where.address.upper().endswith("SOCKET"):
            return
        before, self._link.timeout = self._link.timeout, 1
        try:
            for _ in range(_MOST_LEFT):
                self._link.read_raw()
        except Exception as problem:
            if "VI_ERROR_TMO" not in str(problem):  # with nothing there it runs out of time
                raise
        finally:
            self._link.timeout = before

    def _drop(self) -> None:
        link, self._link = self._link, None
        if link is not None:
            with contextlib.suppress(Exception):
                link.close()

    def _lost(self, said: str, problem: Exception) -> DeviceGone:
        return DeviceGone(
            f"{self.title} did not answer “{said}” within {self.profile.timeout_s:g} s ({_plain(problem)}).",
            hint="Check its cable and power, then take the step again; it is connected anew by itself.",
        )

    def _wrong(self, what: str) -> MeasurementError:
        return MeasurementError(f"{self.title} {what}.", hint="Check that its profile fits, and what its display shows.")


def _plain(problem: Exception) -> str:
    return (str(problem).splitlines() or [type(problem).__name__])[0][:100]

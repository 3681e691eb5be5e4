"""A supply, a meter, a load switch and a turntable, each with the little physics that matters on a bench."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

import numpy as np

_MAKER = "Dome Bench"


class SupplyModel:
    """A supply with a current limit, feeding a resistance or what ``draws`` says at a voltage."""

    identity = f"{_MAKER},SUPPLY,0001,1.0"

    def __init__(
        self, draws: Callable[[float], float] = lambda volts: volts / 48.0, *, limit_a: float = 3.0, seed: int = 1
    ) -> None:
        self._draws, self._limit = draws, limit_a
        self._noise = np.random.default_rng(seed)
        self.reset()

    def reset(self) -> None:
        """Nothing on."""
        self.volts, self.on = 0.0, False

    @property
    def output(self) -> tuple[float, float]:
        """Volts and amperes that it gives: the voltage gives way at the limit."""
        volts = self.volts if self.on else 0.0
        amperes = self._draws(volts)
        if amperes > self._limit:
            volts, amperes = volts * self._limit / amperes, self._limit
        return volts, amperes

    def write(self, header: str, value: str) -> bool:
        """Set volts, switch on and off."""
        if header in ("VOLT", "SOUR:VOLT"):
            volts = float(value)
            if not 0 <= volts <= 60:
                raise ValueError(value)
            self.volts = volts
        elif header in ("CURR", "SOUR:CURR"):
            self._limit = float(value)
        elif header in ("OUTP", "OUTP:STAT"):
            self.on = value.upper() in ("1", "ON")
        else:
            return False
        return True

    def query(self, header: str) -> str | None:
        """Tell volts and amperes."""
        volts, amperes = self.output
        value = {"MEAS:VOLT?": volts, "MEAS:CURR?": amperes, "VOLT?": self.volts, "CURR?": self._limit}.get(header)
        return None if value is None else f"{value + self._noise.normal(0, 2e-4):.5E}"


class MeterModel:
    """A meter of five and a half digits that looks at what ``volts_ac`` and the others say."""

    identity = f"{_MAKER},METER,0002,1.0"

    def __init__(
        self, volts_ac: Callable[[], float] = lambda: 0.0, volts_dc: Callable[[], float] = lambda: 0.0,
        ohms: Callable[[], float] = lambda: math.inf, *, gain: float = 1.0,
    ) -> None:  # fmt: skip
        self._looks = {"MEAS:VOLT:AC?": volts_ac, "MEAS:VOLT:DC?": volts_dc, "MEAS:RES?": ohms}
        self._gain = gain

    def reset(self) -> None:
        """It has nothing to forget."""

    def write(self, header: str, value: str) -> bool:  # noqa: ARG002 - it takes no commands
        """Nothing is set on a meter."""
        return False

    def query(self, header: str) -> str | None:
        """Measure."""
        look = self._looks.get(header)
        if look is None:
            return None
        value = look() * self._gain
        return f"{value:.5E}" if math.isfinite(value) else "9.90000E+37"


class LoadModel:
    """Relays that switch loads, and tell somebody (``switched``) which; None for no load."""

    identity = f"{_MAKER},LOAD SWITCH,0003,1.0"
    loads_ohm = (2.0, 4.0, 8.0, 16.0)

    def __init__(self, switched: Callable[[float | None], None] = lambda _ohm: None) -> None:
        self._switched = switched
        self.reset()

    def reset(self) -> None:
        """Nothing connected."""
        self._ohm: float | None = None
        self._switched(None)

    def write(self, header: str, value: str) -> bool:
        """Switch a load."""
        if header == "LOAD:OPEN":
            self._ohm = None
        elif header == "LOAD":
            ohm = float(value)
            if ohm not in self.loads_ohm:
                raise ValueError(value)
            self._ohm = ohm
        else:
            return False
        self._switched(self._ohm)
        return True

    def query(self, header: str) -> str | None:
        """Tell the load."""
        if header != "LOAD?":
            return None
        return "9.90000E+37" if self._ohm is None else f"{self._ohm:.3E}"


class TurntableModel:
    """A table that turns at its own pace, and tells somebody (``turned``) where it stands at last."""

    identity = f"{_MAKER},TURNTABLE,0004,1.0"

    def __init__(self, turned: Callable[[float], None] = lambda _degrees: None, *, degrees_per_s: float = 400.0) -> None:
        self._turned, self._pace = turned, degrees_per_s
        self.degrees = 0.0

    def reset(self) -> None:
        """Back to the front."""
        self._go(0.0)

    def _go(self, degrees: float) -> None:
        time.sleep(abs(degrees - self.degrees) / self._pace)
        self.degrees = degrees
        self._turned(degrees)

    def write(self, header: str, value: str) -> bool:
        """Turn."""
        if header != "TURN":
            return False
        degrees = float(value)
        if not -180 <= degrees <= 180:
            raise ValueError(value)
        self._go(degrees)
        return True

    def query(self, header: str) -> str | None:
        """Tell the angle."""
        return f"{self.degrees:.2f}" if header == "ANGL?" else None


MODELS: dict[str, Callable[[], SupplyModel | MeterModel | LoadModel | TurntableModel]] = {
    "supply": SupplyModel, "meter": MeterModel, "load-switch": LoadModel, "turntable": TurntableModel,
}  # fmt: skip

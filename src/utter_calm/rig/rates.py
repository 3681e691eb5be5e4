"""At which rate a device runs, where it does not matter: some audio servers have one only."""

from __future__ import annotations

from utter_calm.errors import InputError
from utter_calm.rig.leaving import all_left
from utter_calm.rig.protocol import RATES_HZ, Device, StreamSettings

USUAL_HZ = 48_000
_BLOCK = 4_096


def rate_for(device: Device, *wanted: int) -> int:
    """The first rate at which a device opens: the usual one, then those that are wanted, then any.

    Raises
    ------
    InputError
        It opens at none.
    DeviceGone
        It is not there.
    """
    if device.info.simulated:
        return USUAL_HZ
    problem: InputError | None = None
    all_left()
    for rate in dict.fromkeys((USUAL_HZ, *wanted, *RATES_HZ)):
        try:
            device.open(StreamSettings(rate, _BLOCK, paced=True)).close()
        except InputError as refused:
            problem = problem or refused
        else:
            return rate
    raise problem or InputError("The device opens at no rate.", hint="Look at it in the rig's device form.")

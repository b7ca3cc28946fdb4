"""Devices: what an order records from and plays to, by its kind. The simulated one is the first."""

from typing import Literal

from fatsignal.core.documents import Kept
from fatsignal.rig.interface import SimulatedInterface


class SimulatedDevice(Kept):
    """The simulated rig and interface, with all that they are set to and suffer from."""

    kind: Literal["simulated"] = "simulated"
    settings: SimulatedInterface = SimulatedInterface()


# One of several, told by its `kind`; an engine refuses a kind that it does not know.
Device = SimulatedDevice

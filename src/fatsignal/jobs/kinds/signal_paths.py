"""Both cords of a rig, walked: the figures at its nodes, and what is wrong there."""

from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

SIGNAL_PATH_KIND = "signal path"
_REMEMBERED = 500


def _walked(asked: dict[str, Any], _: Settings) -> Any:
    from pydantic_core import to_jsonable_python

    from fatsignal.rig.interface import SimulatedInterface
    from fatsignal.rig.path import walk
    from fatsignal.rig.setup import RigSetup

    rig = RigSetup.model_validate(asked["rig"])
    interface = SimulatedInterface.model_validate(asked["interface"])
    return to_jsonable_python(walk(rig, interface, rate_hz=asked["rate_hz"]))


SIGNAL_PATH = calculation(SIGNAL_PATH_KIND, _walked, remembered=_REMEMBERED)

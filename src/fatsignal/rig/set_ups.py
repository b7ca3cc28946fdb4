"""A stereo set-up put on a rig in one step: two microphones of its patterns, at its distance and angle."""

from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.core.stereo.set_ups import SET_UPS
from fatsignal.errors import InvalidSetting
from fatsignal.rig.interface import INPUTS
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup

# Where a pair stands that has no place yet: an arm's length and a half before an instrument, half that before a cone.
_BEFORE_GUITAR_M, _BEFORE_CONE_M = 0.6, 0.3
_NAMES = ("mic A", "mic B", "mic C", "mic D", "mic E", "mic F")


def put_up(rig: RigSetup, name: str) -> RigSetup:
    """The rig with its first two microphones as a pair before the same point; the others stay.

    They become large condensers with a switchable pattern, which every set-up can be made of.

    Raises
    ------
    InvalidSetting
        If there is no such set-up, or no input is free for a second microphone.
    """
    pair = SET_UPS.get(name)
    if pair is None:
        raise InvalidSetting(f"there is no stereo set-up {name}: choose {', '.join(SET_UPS)}")
    mics = list(rig.mics)
    while len(mics) < 2:
        mics.append(_another(rig, mics))
    first = mics[0]
    away_m = max(first.distance_m, _BEFORE_GUITAR_M if rig.sounding == "acoustic body" else _BEFORE_CONE_M)
    places = pair.places(distance_m=away_m, off_centre_m=_middle(mics), height_m=first.height_m)
    kind = next(name for name, kind in MIC_KINDS.items() if kind.switchable)
    for index, (place, pattern) in enumerate(zip(places, pair.patterns, strict=True)):
        mic = mics[index]
        mics[index] = MicOnRig(
            name=mic.name, kind=kind, point=first.point, distance_m=place.distance_m, off_centre_m=place.off_centre_m,
            height_m=place.height_m, turned_deg=place.turned_deg, tilted_deg=0.0, pattern=pattern,
            absorber=first.absorber, input=mic.input.model_copy(update={"phantom": True, "flipped": False}),
        )  # fmt: skip
    return RigSetup.model_validate(rig.model_copy(update={"mics": mics}).model_dump())


def _middle(mics: list[MicOnRig]) -> float:
    """Where the pair's middle is: where the two are a pair already, else where the first stands."""
    first, second = mics[:2]
    together = abs(first.distance_m - second.distance_m) < 1e-6 and first.kind == second.kind
    return (first.off_centre_m + second.off_centre_m) / 2 if together else first.off_centre_m


def _another(rig: RigSetup, mics: list[MicOnRig]) -> MicOnRig:
    taken = {use.number for _, use in rig.inputs} | {mic.input.number for mic in mics}
    free = next((number for number in range(1, INPUTS + 1) if number not in taken), None)
    if free is None:
        raise InvalidSetting(f"all {INPUTS} inputs are in use: free one for the second microphone")
    name = next(each for each in _NAMES if each not in {mic.name for mic in mics})
    gain_db = mics[0].input.gain_db if mics else 30.0
    return MicOnRig(name=name, kind="coil", distance_m=0.3, input=InputUse(number=free, gain_db=gain_db))

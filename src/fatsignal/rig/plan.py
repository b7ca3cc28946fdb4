"""The plan of a rig's microphones: where they are, to scale, and what follows from it before a note is played."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.level.third_octaves import beside_each_other
from fatsignal.core.mics.microphone import MIC_KINDS, capsule_response
from fatsignal.core.mics.response import mic_spectrum
from fatsignal.core.mics.sounding import SOUNDING
from fatsignal.core.stereo.comb import comb
from fatsignal.core.stereo.report import LOOK_DB
from fatsignal.core.stereo.set_ups import THREE_TO_ONE, three_to_one
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.rig.setup import MicOnRig, RigSetup

_LOWEST_HZ, _HIGHEST_HZ, _POINTS = 40.0, 16_000.0, 144
# Two capsules have some size: closer than that they touch (common practice, no source).
_TOUCHING_M = 0.015
_SMOOTH_OCTAVES = 1 / 6
# What tells how much later a microphone hears a speaker: where it has sound, and so close to the way through the air.
_TELLS_HZ = (150.0, 8_000.0)
_NEAR_MS, _STEPS = 0.6, 60


@dataclass(frozen=True, slots=True)
class MicOnPlan:
    """A microphone in metres from the middle of the front: to the right, up, away; `looks` is a unit vector."""

    name: str
    kind: str
    title: str
    place_m: tuple[float, float, float]
    looks: tuple[float, float, float]
    point_m: tuple[float, float]
    words: str
    travel_ms: float


@dataclass(frozen=True, slots=True)
class PairOnPlan:
    """How much farther the second is than the first, and where their sum will be hollow.

    Before a speaker that is how much later it hears it: the sound of a cone does not come from its middle alone. Before
    a guitar, which sounds all over, it is the way from what both are measured from.

    `three_to_one` is how many times as far they stand from each other as from what each of them is put before; None
    where that is one and the same point.
    """

    first: str
    second: str
    farther_cm: float
    later_samples: float
    apart_cm: float
    notches_hz: list[float]
    three_to_one: float | None
    says: str


@dataclass(frozen=True, slots=True)
class Curve:
    """A response over the plan's frequencies, in dB against what all microphones hear on average."""

    name: str
    level_db: list[float]


@dataclass(frozen=True, slots=True)
class Plan:
    """`together` is the sum of all against the sum of their powers."""

    mics: list[MicOnPlan]
    pairs: list[PairOnPlan]
    frequency_hz: list[float]
    curves: list[Curve]
    together_db: list[float]
    says: list[str]


def plan_of(rig: RigSetup, *, rate_hz: int) -> Plan:
    """The plan of a rig as it is described; nothing is measured."""
    frequency_hz: Real = np.geomspace(_LOWEST_HZ, _HIGHEST_HZ, _POINTS)
    on_plan = [_on_plan(rig, mic) for mic in rig.mics]
    spectra = [mic_spectrum(rig.heard_by(mic), frequency_hz) for mic in rig.mics]
    # Gains make them alike: a microphone's sensitivity is not its place.
    signs = [-1 if mic.input.flipped else 1 for mic in rig.mics]
    levelled = [sign * _levelled(spectrum) for sign, spectrum in zip(signs, spectra, strict=True)]
    together = _together_db(levelled) if levelled else []
    curves = (
        beside_each_other(np.array([_smooth(np.abs(each) ** 2) for each in levelled]))
        if levelled
        else np.zeros((0, _POINTS))
    )
    says = []
    for one, mic in enumerate(on_plan):
        for other in on_plan[one + 1 :]:
            apart_m = math.dist(mic.place_m, other.place_m)
            if apart_m < _TOUCHING_M:
                says.append(f"{mic.name} and {other.name} stand at one point: move one of them by a capsule's width")
            times = _three_to_one(mic, other)
            if times is not None and times < THREE_TO_ONE:
                says.append(
                    f"{mic.name} and {other.name}: {times:.1f} to 1, each hears the other's place; 3 to 1 keeps it out"
                )
    pairs = []
    for place, other in enumerate(on_plan[1:], start=1):
        later_ms = other.travel_ms - on_plan[0].travel_ms
        if not SOUNDING[rig.sounding].is_guitar:
            both = [_before_capsule(rig.mics[at], spectra[at], frequency_hz) for at in (0, place)]
            later_ms = _heard_later_ms(both[0], both[1], frequency_hz, near_ms=later_ms)
        hollow_hz = _hollow_hz([levelled[0], levelled[place]], frequency_hz)
        pairs.append(_pair(on_plan[0], other, later_ms, hollow_hz, rate_hz, _shared_point(rig, place)))
    return Plan(
        on_plan, pairs, [float(f) for f in frequency_hz],
        [Curve(mic.name, [float(db) for db in levels]) for mic, levels in zip(rig.mics, curves, strict=True)],
        together, says,
    )  # fmt: skip


def _on_plan(rig: RigSetup, mic: MicOnRig) -> MicOnPlan:
    heard = rig.heard_by(mic)
    point = heard.front.point(mic.point)
    x, y, z = (float(each) for each in heard.capsule_m)
    looks = tuple(float(each) for each in mic.place.looks)
    return MicOnPlan(
        mic.name, mic.kind, MIC_KINDS[mic.kind].title, (x, y, z), (looks[0], looks[1], looks[2]),
        (point.x_m, point.y_m), str(mic.place), 1000 * heard.travel_s,
    )  # fmt: skip


def _before_capsule(mic: MicOnRig, spectrum: Complex, frequency_hz: Real) -> Complex:
    """What arrives at a microphone, without what its capsule makes of it."""
    return np.asarray(spectrum / capsule_response(MIC_KINDS[mic.kind], frequency_hz))


def _heard_later_ms(first: Complex, second: Complex, frequency_hz: Real, *, near_ms: float) -> float:
    """By how much `second` is later: the delay on which phases agree best, either way up, each hertz counting alike."""
    tells = (frequency_hz >= _TELLS_HZ[0]) & (frequency_hz <= _TELLS_HZ[1])
    turned = (second * np.conj(first))[tells]
    turned = turned / np.abs(turned) * np.gradient(frequency_hz)[tells]
    found_ms, reach_ms = near_ms, _NEAR_MS
    for _ in range(3):
        tried_ms = found_ms + np.linspace(-reach_ms, reach_ms, 2 * _STEPS + 1)
        agree = np.exp(2j * np.pi * tried_ms[:, None] / 1000 * frequency_hz[tells]) @ turned
        found_ms, reach_ms = float(tried_ms[np.argmax(np.abs(agree.real))]), reach_ms / _STEPS
    return found_ms


def _pair(
    first: MicOnPlan, second: MicOnPlan, later_ms: float, hollow_hz: float | None, rate_hz: int, from_point: str
) -> PairOnPlan:
    farther_cm = 100 * later_ms / 1000 * speed_of_sound_m_s()
    farther = second.name if farther_cm > 0 else first.name
    nearer = first.name if farther_cm > 0 else second.name
    says = f"{first.name} and {second.name} are as far away"
    if abs(farther_cm) >= 0.05:
        says = f"{farther} is {abs(farther_cm):.1f} cm farther than {nearer}"
        if from_point:
            # A guitar sounds all over: which way the sound itself has, only a trial tells.
            says = f"{farther} is {abs(farther_cm):.1f} cm farther from the {from_point}"
    if hollow_hz is not None and not from_point:
        says += f": hollow near {_frequency(hollow_hz)}"
    return PairOnPlan(
        first.name, second.name, farther_cm, later_ms / 1000 * rate_hz,
        100 * math.dist(first.place_m, second.place_m), comb(abs(later_ms)).notches_hz[:4],
        _three_to_one(first, second), says,
    )  # fmt: skip


def _shared_point(rig: RigSetup, place: int) -> str:
    """The landmark of a guitar that the first and another microphone are both measured from; else empty."""
    points = {rig.heard_by(mic).front.point(mic.point).name for mic in (rig.mics[0], rig.mics[place])}
    return points.pop() if SOUNDING[rig.sounding].is_guitar and len(points) == 1 else ""


def _three_to_one(first: MicOnPlan, second: MicOnPlan) -> float | None:
    if first.point_m == second.point_m:
        return None
    own_m = [math.dist(mic.place_m, (*mic.point_m, 0.0)) for mic in (first, second)]
    return three_to_one(own_m, math.dist(first.place_m, second.place_m))


def _hollow_hz(two: list[Complex], frequency_hz: Real) -> float | None:
    """The lowest frequency at which the sum of two dips by more than `LOOK_DB`, None where it does nowhere."""
    together = _together_db(two)
    dips = [
        place for place in range(1, len(together) - 1)
        if together[place] < LOOK_DB and together[place] <= min(together[place - 1], together[place + 1])
    ]  # fmt: skip
    return float(frequency_hz[dips[0]]) if dips else None


def _levelled(spectrum: Complex) -> Complex:
    return np.asarray(spectrum / math.sqrt(float(np.mean(np.abs(spectrum) ** 2))))


def _together_db(levelled: list[Complex]) -> list[float]:
    summed = _smooth(np.abs(np.sum(levelled, axis=0)) ** 2)
    powers = _smooth(np.sum(np.abs(np.asarray(levelled)) ** 2, axis=0))
    return [float(db) for db in np.maximum(summed - powers, -40.0)]


def _smooth(power: Real) -> Real:
    """Levels over a sixth of an octave, as an ear takes them together, shape of `power`."""
    width = max(1, round(_SMOOTH_OCTAVES * (_POINTS - 1) / math.log2(_HIGHEST_HZ / _LOWEST_HZ)))
    kernel = np.ones(width) / width
    padded = np.pad(power, width, mode="edge")
    return np.asarray(10 * np.log10(np.maximum(np.convolve(padded, kernel, mode="same")[width:-width], 1e-9)))


def _frequency(hz: float) -> str:
    return f"{hz / 1000:.1f} kHz" if hz >= 1_000 else f"{hz:.0f} Hz"

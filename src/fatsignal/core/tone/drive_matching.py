"""Bringing a tone's drive to another's: a search over the tone's own knobs.

What drive does to playing is measured where the balance of both has little share in it: how far soft and hard passages
lie apart, and how far peaks stand out of the level around them. Both fall as more is driven.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.signal import butter, sosfiltfilt

from fatsignal.core.clip import Samples
from fatsignal.core.tone.controls import controls_of
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.edits import SetValue, edited
from fatsignal.core.tone.places import Place, every_block
from fatsignal.errors import ToneRefused

# The octaves in which the body of a guitar's or a bass's sound lies.
_BODY_HZ = (150.0, 3_000.0)
# Longer than a period of the lowest string; passages so far below the loudest are silence, or noise.
_WINDOW_S, _FLOOR_DB = 0.05, 35.0
_SOFT, _HARD = 0.2, 0.9
# A decibel of crest beside one of the distance of soft and hard: a picked attack has some ten times as many of these.
_CREST_SHARE = 1.5
# Nearer than that no listener tells which is more driven (common practice, no source).
_NEAR_DB = 1.0
_COARSE, _FINE, _SINGLE = 9, 5, 4
_LEAST_STEP = 0.05
_GOLDEN = (np.sqrt(5) - 1) / 2


@dataclass(frozen=True, slots=True)
class Played:
    """How playing comes out: decibels between soft and hard passages, and from level to peak within one."""

    apart_db: float
    crest_db: float

    def off_db(self, other: "Played") -> float:
        """How far two are from each other."""
        crest = _CREST_SHARE * (self.crest_db - other.crest_db)
        return float(np.hypot(self.apart_db - other.apart_db, crest))


@dataclass(frozen=True, slots=True)
class DriveMatched:
    """A tone whose drive is nearer, the turns that make it so, and how near it comes, in words."""

    tone: Tone
    turns: tuple[SetValue, ...]
    says: str


_SILENT = Played(1000.0, 1000.0)


def played(signal: Samples, *, rate_hz: int) -> Played:
    """How a recording of playing comes out, shape (frames,) or (frames, channels).

    Raises
    ------
    ToneRefused
        If too little sounds in it to tell.
    """
    one = signal if signal.ndim == 1 else signal.mean(axis=1)
    window = round(_WINDOW_S * rate_hz)
    if len(one) < 10 * window:
        raise ToneRefused("these bars are too short to tell how driven a sound is: choose half a second at least")
    body = sosfiltfilt(butter(2, _BODY_HZ, "bandpass", fs=rate_hz, output="sos"), one)
    parts = body[: len(body) // window * window].reshape(-1, window)
    level_db = 20 * np.log10(np.sqrt(np.mean(parts**2, axis=1)) + 1e-12)
    sounding = level_db > level_db.max() - _FLOOR_DB
    if level_db.max() < -120 or np.count_nonzero(sounding) < 5:
        raise ToneRefused("too little sounds there to tell how driven it is: choose bars in which both sound")
    peak_db = 20 * np.log10(np.abs(parts).max(axis=1) + 1e-12)
    soft, hard = np.quantile(level_db[sounding], (_SOFT, _HARD))
    return Played(float(hard - soft), float(np.median((peak_db - level_db)[sounding])))


def matched_drive(tone: Tone, heard: Callable[[Tone], Samples], wanted: Played, *, rate_hz: int) -> DriveMatched:
    """Turn what drives a tone until its playing comes out as wanted, or as near as it can.

    Parameters
    ----------
    heard : what a dry passage sounds like through a tone, shape (frames,) or (frames, channels).

    Raises
    ------
    ToneRefused
        If nothing in the tone drives, or too little sounds.
    """
    knobs = _knobs(tone)
    if not knobs:
        raise ToneRefused(f"nothing in {tone.name} drives: add a preamp, a boost or a distortion first")
    search = _Search(tone, knobs, heard, wanted, rate_hz)
    begin = np.array([knob.value for knob in knobs])
    if search.found(begin) is _SILENT:
        raise ToneRefused(f"{tone.name} is silent over these bars: choose bars in which both sound")
    best = search.along(lambda share: _towards(begin, knobs, share), -1.0, 1.0, coarse=_COARSE, fine=_FINE)
    if len(knobs) > 1:
        for index, knob in enumerate(knobs):
            reach = 0.2 * (knob.high - knob.low)

            def one(value: float, index: int = index, from_there: Samples = best) -> Samples:
                turned = from_there.copy()
                turned[index] = value
                return turned

            low, high = max(knob.low, best[index] - reach), min(knob.high, best[index] + reach)
            best = search.along(one, low, high, coarse=_SINGLE, fine=0, beside=best)
    turns = tuple(
        knob.turned(value) for knob, value in zip(knobs, best, strict=True) if abs(value - knob.value) >= _LEAST_STEP
    )
    return DriveMatched(search.tone(best), turns, _says(knobs, best, search.found(best), wanted))


@dataclass(frozen=True, slots=True)
class _Knob:
    """One that drives, with its limits."""

    place: Place
    kind: str
    name: str
    title: str
    value: float
    low: float
    high: float

    def turned(self, value: float) -> SetValue:
        return SetValue(block=list(self.place), kind=self.kind, path=[self.name], value=round(float(value), 1))


class _Search:
    """Renders what was not rendered yet, and tells how far it is off."""

    def __init__(
        self, tone: Tone, knobs: Sequence[_Knob], heard: Callable[[Tone], Samples], wanted: Played, rate_hz: int
    ) -> None:
        self._tone, self._knobs, self._heard, self._wanted, self._rate_hz = tone, knobs, heard, wanted, rate_hz
        self._known: dict[tuple[float, ...], Played] = {}

    def tone(self, values: Samples) -> Tone:
        turned = self._tone
        for knob, value in zip(self._knobs, values, strict=True):
            turned, _ = edited(turned, knob.turned(value))
        return turned

    def found(self, values: Samples) -> Played:
        key = tuple(round(float(value), 1) for value in values)
        if key not in self._known:
            try:
                self._known[key] = played(self._heard(self.tone(values)), rate_hz=self._rate_hz)
            except ToneRefused:
                # Turned down to nothing.
                self._known[key] = _SILENT
        return self._known[key]

    def off_db(self, values: Samples) -> float:
        return self.found(values).off_db(self._wanted)

    def along(
        self, values_at: Callable[[float], Samples], low: float, high: float, *, coarse: int, fine: int,
        beside: Samples | None = None,
    ) -> Samples:  # fmt: skip
        """The best values on a line: on a grid first, then by golden sections around the best of that."""
        grid = np.linspace(low, high, coarse)
        tried = [(self.off_db(values_at(float(at))), float(at)) for at in grid]
        _, middle = min(tried)
        step = (high - low) / (coarse - 1)
        left, right = max(low, middle - step), min(high, middle + step)
        for _ in range(fine):
            inner = (right - _GOLDEN * (right - left), left + _GOLDEN * (right - left))
            offs = [self.off_db(values_at(at)) for at in inner]
            tried += list(zip(offs, inner, strict=True))
            left, right = (left, inner[1]) if offs[0] < offs[1] else (inner[0], right)
        off_db, at = min(tried)
        if beside is not None and self.off_db(beside) <= off_db:
            return beside
        return values_at(at)


def _knobs(tone: Tone) -> list[_Knob]:
    found = []
    for place, block in every_block(tone.blocks):
        kind = type(block).model_fields["kind"].default
        groups, _ = controls_of(block)
        of = {control.path: control for group in groups for control in group.controls}
        for name in () if block.bypassed else block.DRIVES:
            control = of[name,]
            title = f"{block.TITLE}, {control.label}"
            found.append(_Knob(place, kind, name, title, float(control.value or 0), control.low, control.high))
    return found


def _towards(begin: Samples, knobs: Sequence[_Knob], share: float) -> Samples:
    """All of them a share of their way up, or down where it is below 0."""
    ends = np.array([knob.high if share > 0 else knob.low for knob in knobs])
    return np.asarray(begin + abs(share) * (ends - begin))


def _says(knobs: Sequence[_Knob], best: Samples, found: Played, wanted: Played) -> str:
    turned = [
        f"{knob.title} {knob.value:g} to {round(float(value), 1):g}"
        for knob, value in zip(knobs, best, strict=True)
        if abs(value - knob.value) >= _LEAST_STEP
    ]
    done = "; ".join(turned) if turned else "it is as near as its own knobs bring it"
    apart, crest = found.apart_db - wanted.apart_db, found.crest_db - wanted.crest_db
    left = []
    if abs(apart) >= _NEAR_DB:
        left.append(f"soft and hard lie {abs(apart):.1f} dB {'farther' if apart > 0 else 'less'} apart still")
    if abs(crest) >= _NEAR_DB:
        left.append(f"peaks stand {abs(crest):.1f} dB {'higher' if crest > 0 else 'lower'} still")
    near = "; ".join(left) if left else "soft, hard and peaks lie as there, within a decibel"
    return f"{done}: {near}"

"""Matching: a tone on the bench is brought to the balance and the level of another sound there."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from fatsignal.core.tone.document import Tone
from fatsignal.errors import InvalidSetting

if TYPE_CHECKING:
    from fatsignal.acts.bench_measure import Heard

# A search renders a passage some twenty times: seconds of playing tell how driven it is, and aliases do not.
_SEARCHED_S, _OVERSAMPLE = 5.0, 2


def turned_to(own: Mapping[str, Any], other: Mapping[str, Any]) -> tuple[Callable[[Tone], Tone], str]:
    """What turns a tone that was measured as `own` to what was measured as `other` (`bench_measure.measured`), and how
    near it comes, in words.

    Raises
    ------
    InvalidSetting
        If one of both is silent.
    """
    from fatsignal.core.tone.matching import louder_db, matched, matching_bands
    from fatsignal.core.tone.tone_distance import levels_beside_db

    if own["loudness_lufs"] is None or other["loudness_lufs"] is None:
        raise InvalidSetting("one of both is silent over these bars: choose bars in which both sound")
    found = matching_bands(levels_beside_db(np.array(own["thirds_db"]), np.array(other["thirds_db"])))
    # The bands change the loudness too.
    gain_db = float(other["loudness_lufs"] - own["loudness_lufs"]) - louder_db(np.array(own["thirds_db"]), found.bands)
    return lambda tone: matched(tone, found.bands, gain_db=gain_db), found.says


def drive_turns(own: "Heard", other: "Heard") -> dict[str, Any]:
    """The turns (JSON of `SetValue`) that bring the drive of the tone on the bench to that of another sound, by how
    much it is louder afterwards than that, and how near it comes, in words.

    Raises
    ------
    ToneRefused
        If nothing in the tone drives, or too little sounds.
    """
    from fatsignal.acts.bench_measure import loudest_stretch, sounding
    from fatsignal.acts.excerpt import loudness_and_peak
    from fatsignal.core.clip import Clip, Samples
    from fatsignal.core.tone.drive_matching import matched_drive, played

    assert own.sound.tone is not None, "what lies on the bench is a tone"
    rate_hz = own.dry.recorded.material.rate_hz
    span = loudest_stretch(own.dry.recorded, own.loop, rate_hz, longest_s=_SEARCHED_S)
    wanted = sounding(other, span)

    def heard(tone: Tone) -> Samples:
        return sounding(replace(own, sound=replace(own.sound, tone=tone)), span, oversample=_OVERSAMPLE)

    def lufs(signal: Samples) -> float | None:
        return loudness_and_peak(Clip(signal.reshape(len(signal), -1), rate_hz))[0]

    found = matched_drive(own.sound.tone, heard, played(wanted, rate_hz=rate_hz), rate_hz=rate_hz)
    now, there = lufs(heard(found.tone)), lufs(wanted)
    return {
        "turns": [turn.model_dump(mode="json") for turn in found.turns],
        "louder_db": round(now - there, 2) if now is not None and there is not None and np.isfinite(now - there) else 0,
        "says": found.says,
    }


def driven_as(found: Mapping[str, Any]) -> tuple[Callable[[Tone], Tone], str]:
    """What turns a tone as `drive_turns` found, and brings it to the level of what it is driven like; and the words."""
    from fatsignal.core.tone.edits import SetValue, edited
    from fatsignal.core.tone.matching import matched

    def turned(tone: Tone) -> Tone:
        for turn in found["turns"]:
            tone, _ = edited(tone, SetValue.model_validate(turn))
        return matched(tone, (), gain_db=-found["louder_db"])

    return turned, found["says"]

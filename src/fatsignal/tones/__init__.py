"""The tones that come with the program, as documents of the open format."""

import json
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any

from fatsignal.core.tone.document import Tone, read_tone, read_tone_file
from fatsignal.errors import ToneRefused

# From clean to extreme, then what was made for a purpose of its own; for bass; for an acoustic guitar's DI.
_ORDER = (
    "pale-lamp", "paper-lantern", "glass-stair", "low-sun", "slow-tide", "long-corridor", "dovecote", "night-ferry",
    "back-porch", "kiln", "tin-roof", "ember-road", "copper-wire", "cinder", "bramble", "ironbark", "saltworks",
    "open-window", "foundry", "anvil", "thunderhead", "broken-bell", "hornet", "wasp-nest", "wet-slate", "static-field",
    "keel", "barge", "undertow", "granite", "black-loam", "old-pier", "spruce-top", "quiet-room", "campfire", "chapel",
)  # fmt: skip


@lru_cache(maxsize=1)
def shipped_tones() -> tuple[Tone, ...]:
    """All of them, in this order."""
    folder = files(__name__)
    return tuple(read_tone((folder / f"{name}.json").read_bytes()) for name in _ORDER)


def measured_tones() -> list[dict[str, Any]]:
    """What was measured of them (`measuring.py`), for each instrument that each is made for."""
    return list(json.loads((files(__name__) / "measured.json").read_bytes()))


def find_tone(name_or_path: str) -> Tone:
    """A tone by the name of a shipped one (case does not matter), or from a JSON file."""
    return find_tone_file(name_or_path)[0]


def find_tone_file(name_or_path: str) -> tuple[Tone, dict[str, bytes]]:
    """The same, with the files of impulse responses that a JSON file holds, by their SHA-256."""
    if name_or_path.lower().endswith(".json"):
        try:
            text = Path(name_or_path).read_bytes()
        except OSError:
            raise ToneRefused(f"the tone file {name_or_path} cannot be opened") from None
        return read_tone_file(text)
    for tone in shipped_tones():
        if tone.name.lower() == name_or_path.lower():
            return tone, {}
    names = ", ".join(tone.name for tone in shipped_tones())
    raise ToneRefused(f"there is no tone {name_or_path!r}; there are {names}, or a file ending in .json")

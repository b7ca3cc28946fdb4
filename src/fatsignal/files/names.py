"""Names that are good file names, whatever a person or a client calls a thing."""

import re
import unicodedata

_LONGEST = 80
_FORBIDDEN = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]')
_RESERVED = {"con", "prn", "aux", "nul", *(f"com{n}" for n in range(1, 10)), *(f"lpt{n}" for n in range(1, 10))}


def file_name(name: str, *, fallback: str = "Untitled", ending: str = "") -> str:
    """`name` as one path component that every file system takes; readable, never a path, at most 80 characters.

    `ending` is what tells it from others, as " r3": a long name is cut before it.
    """
    composed = unicodedata.normalize("NFC", name)
    kept = "".join(char for char in composed if unicodedata.category(char) not in ("Cf", "Cs", "So"))
    plain = re.sub(r"\s+", " ", _FORBIDDEN.sub(" ", kept)).strip(" .")[: _LONGEST - len(ending)].strip(" .")
    if not plain or plain.lower() in _RESERVED:
        return fallback + ending
    return plain + ending


def take_folder_name(number: int) -> str:
    """The folder of a take below its part's: "Take 07"."""
    return f"Take {number:02d}"


def trial_folder_name(number: int) -> str:
    """The folder of a trial clip below its part's: "Trial 07"."""
    return f"Trial {number:02d}"


def take_stem(part_name: str, number: int) -> str:
    """What a take is called, and the names of its files begin with: "Baritone 07"."""
    return f"{part_name} {number:02d}"


def trial_stem(part_name: str, number: int) -> str:
    """What a trial clip is called, and the names of its files begin with: "Baritone trial 07"."""
    return f"{part_name} trial {number:02d}"


def channel_name(stem: str, channel: str) -> str:
    """A channel's file without its ending: "Baritone 07 - DI"."""
    return f"{stem} - {channel}"

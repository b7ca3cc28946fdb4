"""What a file recorded elsewhere holds, guessed from its name; a person is asked before it counts."""

import re
from collections.abc import Sequence

from fatsignal.core.material.channels import RecordedKind

# Words as people put them into file names; common practice, no source. The more telling ones come first.
_WORDS: tuple[tuple[RecordedKind, tuple[str, ...]], ...] = (
    ("sim", ("sim", "ampsim", "plugin", "modeler", "modeller", "reamp", "reamped", "wet", "print")),
    ("di", ("di", "direct", "dry", "clean", "line", "inst", "raw")),
    (
        "mic",
        (
            "mic",
            "mike",
            "mik",
            "amp",
            "cab",
            "room",
            "ribbon",
            "dynamic",
            "condenser",
            "close",
            "far",
            "sm",
            "cone",
            "edge",
        ),
    ),
)


def guess_kind(file_name: str) -> RecordedKind:
    """The kind that a file's name speaks of; without a word that is known, a microphone."""
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", file_name)
    words = {word.lower() for word in re.findall(r"[A-Za-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", stem))}
    for kind, known in _WORDS:
        if words & set(known):
            return kind
    return "mic"


def guess_kinds(file_names: Sequence[str]) -> list[RecordedKind]:
    """Kinds of files that were recorded together: there is one DI at most, and a lone file is one."""
    if len(file_names) == 1:
        return ["di"]
    kinds = [guess_kind(name) for name in file_names]
    for index, kind in enumerate(kinds):
        if kind == "di" and "di" in kinds[:index]:
            kinds[index] = "mic"
    return kinds


def name_channels(kinds: Sequence[RecordedKind]) -> list[str]:
    """Names by which the program calls such channels: DI, mic A, mic B, sim."""
    names, mics, sims = [], 0, 0
    for kind in kinds:
        if kind == "di":
            names.append("DI")
        elif kind == "mic":
            names.append(f"mic {chr(ord('A') + mics)}")
            mics += 1
        else:
            sims += 1
            names.append("sim" if sims == 1 else f"sim {sims}")
    return names

"""Sound files as a person brought them: refused under the name that the person knows, not that of the copy."""

from collections.abc import Iterator
from pathlib import Path

from fatsignal.core.clip import Samples, check_finite
from fatsignal.errors import FileRefused, SignalError
from fatsignal.files.sound import SoundFacts, facts_of, read_blocks


def uploaded_facts(uploaded: Path, shown_name: str) -> SoundFacts:
    """Rate, channels and length of a file."""
    try:
        return facts_of(uploaded)
    except FileRefused as refusal:
        raise FileRefused(str(refusal).replace(uploaded.name, shown_name)) from None


def uploaded_blocks(uploaded: Path, shown_name: str, *, rate_hz: int | None = None) -> Iterator[Samples]:
    """Its blocks, at another rate if asked; samples that are no numbers are refused."""
    for block in read_blocks(uploaded, rate_hz=rate_hz):
        try:
            check_finite(block)
        except SignalError as problem:
            raise FileRefused(f"{shown_name} cannot be used: {problem}") from None
        yield block

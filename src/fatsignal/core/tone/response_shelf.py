"""Where the impulse responses of tones are looked for by their SHA-256: each process says once where they lie."""

from collections.abc import Callable
from typing import ClassVar

from fatsignal.core.tone.impulse_response import Response
from fatsignal.errors import ToneRefused

# What gives a response by its SHA-256, or None where there is none.
Shelf = Callable[[str], Response | None]


class _Place:
    shelf: ClassVar[Shelf | None] = None


def look_on(shelf: Shelf) -> None:
    """Let this process find responses there from now on."""
    _Place.shelf = shelf


def find_response(sha256: str) -> Response | None:
    """A response by its SHA-256; None where it is missing."""
    return _Place.shelf(sha256) if _Place.shelf is not None else None


def get_response(sha256: str, name: str) -> Response:
    """A response by its SHA-256.

    Raises
    ------
    ToneRefused
        If it is missing; `name` is what the person knows it by.
    """
    found = find_response(sha256)
    if found is None:
        raise ToneRefused(
            f"the impulse response {name} of this tone is missing: bring in its file again, or bypass its block"
        )
    return found

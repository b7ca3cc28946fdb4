"""A tone as a document: ordered blocks with their values, checked before anything is rendered.

The JSON Schema of the open format is made from these models; `docs/formats.md` shows it.
"""

import hashlib
import json
from typing import Any, Literal

from pydantic import Field, ValidationError

from fatsignal.core.tone.blocks import Block
from fatsignal.core.tone.blocks.block import TonePart
from fatsignal.errors import ToneRefused

FORMAT = "fatsignal.tone"
MOST_BLOCKS = 24
LARGEST_DOCUMENT_BYTES = 262_144


class Tone(TonePart):
    """A whole tone. `full_scale_v` is the voltage at the jack that reads 0 dBFS in the DI."""

    format: Literal["fatsignal.tone"] = "fatsignal.tone"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f/\\]+$")
    use: str = Field("", max_length=120)
    full_scale_v: float = Field(3.0, ge=0.1, le=20)
    oversample: Literal[1, 2, 4, 8] = 4
    blocks: list[Block] = Field(min_length=1, max_length=MOST_BLOCKS)

    def fingerprint(self) -> str:
        """SHA-256 of the canonical document: two tones with one fingerprint sound the same."""
        canonical = json.dumps(self.model_dump(mode="json"), sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(canonical.encode()).hexdigest()


def parse_tone(document: Any) -> Tone:
    """Validate a decoded JSON document; the error names the place, what is there and what is allowed."""
    try:
        return Tone.model_validate(document)
    except ValidationError as problem:
        raise ToneRefused(_explain(problem)) from None


def read_tone(text: str | bytes) -> Tone:
    """Parse and validate a tone from JSON text of at most 256 KiB."""
    if len(text) > LARGEST_DOCUMENT_BYTES:
        raise ToneRefused(f"this tone document has {len(text)} bytes; at most {LARGEST_DOCUMENT_BYTES} are read")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise ToneRefused("this is not a JSON document; a tone is one, see docs/formats.md") from None
    return parse_tone(document)


def tone_schema() -> dict[str, Any]:
    """JSON Schema of the tone document."""
    return Tone.model_json_schema()


def _explain(problem: ValidationError) -> str:
    first = problem.errors(include_url=False)[0]
    count = problem.error_count()
    place = ".".join(str(part) for part in first["loc"]) or "the document"
    given = repr(first.get("input"))
    shown = "" if len(given) > 60 else f", not {given}"
    more = f" (and {count - 1} more)" if count > 1 else ""
    return f"this tone is not valid at {place}: {first['msg'].lower()}{shown}{more}"

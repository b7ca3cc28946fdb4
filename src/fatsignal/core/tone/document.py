"""A tone as a document: ordered blocks with their values, checked before anything is rendered.

The JSON Schema of the open format is made from these models; `docs/formats.md` shows it.
"""

import hashlib
import json
import math
from typing import Any, Literal

from pydantic import Field, ValidationError, model_validator

from fatsignal.core.tone.blocks import Block
from fatsignal.core.tone.blocks.block import TonePart
from fatsignal.core.tone.instruments import For
from fatsignal.core.tone.voltage import HIGHEST_FULL_SCALE_V, LOWEST_FULL_SCALE_V, UNKNOWN_FULL_SCALE_V
from fatsignal.errors import ToneRefused

FORMAT = "fatsignal.tone"
MOST_BLOCKS = 24
LARGEST_DOCUMENT_BYTES = 262_144


class Tone(TonePart):
    """A whole tone."""

    format: Literal["fatsignal.tone"] = "fatsignal.tone"
    version: Literal[2] = 2
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f/\\]+$")
    use: str = Field("", max_length=120)
    instruments: list[For] = Field(
        default_factory=list, max_length=4, description="For which it was made; empty: for any."
    )
    oversample: Literal[1, 2, 4, 8] = 4
    blocks: list[Block] = Field(min_length=1, max_length=MOST_BLOCKS)

    @model_validator(mode="before")
    @classmethod
    def _from_first_version(cls, document: Any) -> Any:
        """The first had a voltage for full scale, which is the DI's and not the tone's; gates counted from it."""
        if not isinstance(document, dict) or not ("full_scale_v" in document or document.get("version") == 1):
            return document
        full_scale_v = document.get("full_scale_v", UNKNOWN_FULL_SCALE_V)
        if not isinstance(full_scale_v, int | float) or not LOWEST_FULL_SCALE_V <= full_scale_v <= HIGHEST_FULL_SCALE_V:
            raise ValueError("full_scale_v is a voltage: leave it out, it is the DI's and not the tone's")
        values = {name: value for name, value in document.items() if name != "full_scale_v"}
        blocks = document.get("blocks")
        if isinstance(blocks, list):
            up_db = 20 * math.log10(full_scale_v)
            values["blocks"] = [_counted_from_one_volt(block, up_db) for block in blocks]
        return {**values, "version": 2}

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


def _counted_from_one_volt(block: Any, up_db: float) -> Any:
    """A gate's threshold against 1 V, which was told against full scale."""
    if not isinstance(block, dict) or not isinstance(block.get("threshold_dbfs"), int | float):
        return block
    return {**block, "threshold_dbfs": round(block["threshold_dbfs"] + up_db, 1)}


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

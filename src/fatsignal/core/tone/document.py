"""A tone as a document: ordered blocks with their values, checked before anything is rendered.

The JSON Schema of the open format is made from these models; `docs/formats.md` shows it.
"""

import base64
import hashlib
import json
import math
from collections.abc import Callable, Iterator
from typing import Any, Literal

from pydantic import Base64Bytes, Field, ValidationError, model_validator

from fatsignal.core.tone.blocks import Block
from fatsignal.core.tone.blocks.block import TonePart
from fatsignal.core.tone.blocks.response import ImpulseResponse, ResponseFile
from fatsignal.core.tone.instruments import For
from fatsignal.core.tone.places import every_block, every_heard_block
from fatsignal.core.tone.voltage import HIGHEST_FULL_SCALE_V, LOWEST_FULL_SCALE_V, UNKNOWN_FULL_SCALE_V
from fatsignal.errors import ToneRefused

FORMAT = "fatsignal.tone"
MOST_BLOCKS = 32
LARGEST_DOCUMENT_BYTES = 262_144
# With the files of its impulse responses.
LARGEST_WITH_RESPONSES_BYTES = 32 * 1024**2


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

    @model_validator(mode="after")
    def _not_too_many(self) -> "Tone":
        count = sum(1 for _ in every_block(self.blocks))
        if count > MOST_BLOCKS:
            raise ValueError(f"it has {count} blocks with those in splits; up to {MOST_BLOCKS} can be run")
        return self

    def fingerprint(self) -> str:
        """SHA-256 of the canonical document: two tones with one fingerprint sound the same."""
        canonical = json.dumps(self.model_dump(mode="json"), sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(canonical.encode()).hexdigest()


class ToneFile(Tone):
    """A tone as it goes from one studio to another: with the files of its impulse responses."""

    responses: dict[str, Base64Bytes] = Field(
        default_factory=dict, description="Each file under the SHA-256 of its bytes, in Base64."
    )

    @model_validator(mode="after")
    def _checksums(self) -> "ToneFile":
        for sha256, content in self.responses.items():
            if hashlib.sha256(content).hexdigest() != sha256:
                raise ValueError(f"the impulse response {sha256[:12]}… is damaged: export the tone again")
        return self


def files_of(tone: Tone) -> Iterator[ResponseFile]:
    """The files of its impulse responses, of bypassed blocks too."""
    blocks = (block for _, block in every_block(tone.blocks))
    return (block.file for block in blocks if isinstance(block, ImpulseResponse) and block.file is not None)


def missing_of(tone: Tone) -> list[str]:
    """The names of the files that what is heard of it needs and that are missing here."""
    return [block.lacks for block in every_heard_block(tone.blocks) if block.lacks]


def check_responses(tone: Tone) -> None:
    """Refuse a tone of which an impulse response that is heard is missing here."""
    for name in missing_of(tone):
        raise ToneRefused(
            f"the impulse response {name} of the tone {tone.name} is missing: bring in its file again, or bypass its "
            "block"
        )


def with_responses(document: dict[str, Any], read_bytes: Callable[[str], bytes | None]) -> dict[str, Any]:
    """A tone's document with those files of its impulse responses that `read_bytes` gives."""
    found = {file.sha256: read_bytes(file.sha256) for file in files_of(parse_tone(document))}
    told = {sha256: base64.b64encode(content).decode() for sha256, content in found.items() if content is not None}
    return {**document, "responses": told} if told else document


def parse_tone_file(document: Any) -> tuple[Tone, dict[str, bytes]]:
    """Validate a decoded JSON document that may hold the files of its impulse responses: the tone, and those files."""
    if not isinstance(document, dict) or "responses" not in document:
        return parse_tone(document), {}
    own = parse_tone({name: value for name, value in document.items() if name != "responses"})
    try:
        return own, ToneFile.model_validate(document).responses
    except ValidationError as problem:
        raise ToneRefused(_explain(problem)) from None


def parse_tone(document: Any) -> Tone:
    """Validate a decoded JSON document; the error names the place, what is there and what is allowed."""
    try:
        return Tone.model_validate(document)
    except ValidationError as problem:
        raise ToneRefused(_explain(problem)) from None


def read_tone(text: str | bytes) -> Tone:
    """Parse and validate a tone from JSON text; files of impulse responses in it are left out."""
    return read_tone_file(text)[0]


def read_tone_file(text: str | bytes) -> tuple[Tone, dict[str, bytes]]:
    """As `parse_tone_file`, from JSON text of at most 32 MiB, 256 KiB without the files of impulse responses."""
    if len(text) > LARGEST_WITH_RESPONSES_BYTES:
        raise ToneRefused(f"this tone document has {len(text)} bytes; at most {LARGEST_WITH_RESPONSES_BYTES} are read")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise ToneRefused("this is not a JSON document; a tone is one, see docs/formats.md") from None
    check_size(document)
    return parse_tone_file(document)


def check_size(document: Any) -> None:
    """Refuse a decoded document whose tone, without the files of impulse responses, is larger than any tone is."""
    own = {name: value for name, value in document.items() if name != "responses"} if isinstance(document, dict) else ""
    size = len(json.dumps(own))
    if size > LARGEST_DOCUMENT_BYTES:
        raise ToneRefused(f"this tone document has {size} bytes; at most {LARGEST_DOCUMENT_BYTES} are read")


def _counted_from_one_volt(block: Any, up_db: float) -> Any:
    """A gate's threshold against 1 V, which was told against full scale."""
    if not isinstance(block, dict) or not isinstance(block.get("threshold_dbfs"), int | float):
        return block
    return {**block, "threshold_dbfs": round(block["threshold_dbfs"] + up_db, 1)}


def tone_schema() -> dict[str, Any]:
    """JSON Schema of the tone document."""
    return ToneFile.model_json_schema()


def _explain(problem: ValidationError) -> str:
    first = problem.errors(include_url=False)[0]
    count = problem.error_count()
    place = ".".join(str(part) for part in first["loc"]) or "the document"
    given = repr(first.get("input"))
    shown = "" if len(given) > 60 else f", not {given}"
    more = f" (and {count - 1} more)" if count > 1 else ""
    return f"this tone is not valid at {place}: {first['msg'].lower()}{shown}{more}"

"""A tone as a document: ordered blocks with their values, checked before anything is rendered.

The JSON Schema of the open format is made from these models; `docs/formats.md` shows it.
"""

import hashlib
import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fatsignal.errors import ToneRefused

FORMAT = "fatsignal.tone"
MOST_BLOCKS = 24
LARGEST_DOCUMENT_BYTES = 262_144

Knob = Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Gate(_Part):
    """Closes between the notes."""

    kind: Literal["gate"] = "gate"
    threshold_dbfs: float = Field(-60, ge=-100, le=-10)
    release_ms: float = Field(90, ge=5, le=2000)


class Band(_Part):
    """One equaliser section of the published cookbook."""

    shape: Literal["peak", "low_shelf", "high_shelf", "low_cut", "high_cut"]
    frequency_hz: float = Field(ge=20, le=20_000)
    gain_db: float = Field(0, ge=-24, le=24)
    q: float = Field(0.7071, ge=0.1, le=18)


class Equaliser(_Part):
    """Up to eight sections in a row."""

    kind: Literal["equaliser"] = "equaliser"
    bands: list[Band] = Field(min_length=1, max_length=8)


class FirstStages(_Part):
    """Triode stages with the drive control after the first."""

    kind: Literal["first_stages"] = "first_stages"
    stages: int = Field(2, ge=1, le=4)
    drive: Knob = 5
    bright: bool = False
    voicing: Literal["warm", "tight"] = "warm"


class ToneNetwork(_Part):
    """The passive treble, middle and bass network."""

    kind: Literal["tone_network"] = "tone_network"
    network: Literal["scooped", "forward", "deep"] = "scooped"
    bass: Knob = 5
    middle: Knob = 5
    treble: Knob = 5


class Power(_Part):
    """Phase splitter and push-pull stage; sag softens the supply, presence lifts the highs into it."""

    kind: Literal["power"] = "power"
    level: Knob = 5
    sag: Knob = 3
    presence: Knob = 5


class Mic(_Part):
    """A microphone in front of the speaker."""

    kind: Literal["coil", "ribbon", "condenser", "pressure"]
    distance_m: float = Field(0.05, ge=0.01, le=3)
    off_centre_m: float = Field(0.0, ge=-0.3, le=0.3)
    angle_deg: float = Field(0.0, ge=-90, le=90)
    gain_db: float = Field(0.0, ge=-40, le=20)
    flipped: bool = False


class SpeakerAndMics(_Part):
    """Loudspeaker and the microphones that hear it, mixed to one channel."""

    kind: Literal["speaker"] = "speaker"
    speaker: Literal["1x12 open", "4x12 closed", "1x15 bass"] = "1x12 open"
    mics: list[Mic] = Field(min_length=1, max_length=4)


class Trim(_Part):
    """Level at the end."""

    kind: Literal["trim"] = "trim"
    gain_db: float = Field(0, ge=-60, le=40)


Block = Annotated[
    Gate | Equaliser | FirstStages | ToneNetwork | Power | SpeakerAndMics | Trim, Field(discriminator="kind")
]


class Tone(_Part):
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

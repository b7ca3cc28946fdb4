"""What every open page is told while it happens. The front end's types are made from these, as those of the API are."""

from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import FastAPI
from pydantic import BaseModel, Field, TypeAdapter

from fatsignal.engine.events import Benching, BenchMeters, Listening, Meters, Pitch, Rolling, StandingBy
from fatsignal.engine.protocol import EndReason
from fatsignal.store.prints import PrintState
from fatsignal.store.works import WorkState


class LiveState(BaseModel):
    """How it is now: told first to whoever opens a page, and to all whenever it changes."""

    event: Literal["state"] = "state"
    engine: Literal["starting", "warming", "ready"] = "starting"
    rolling: Rolling | None = None
    listening: Listening | None = None
    standing_by: StandingBy | None = None
    benching: Benching | None = None


class Changed(BaseModel):
    """A page changed something: the others ask again for what they show."""

    event: Literal["changed"] = "changed"
    by: str


class NoticeTold(BaseModel):
    event: Literal["notice"] = "notice"
    problem: str


class RollEnded(BaseModel):
    event: Literal["ended"] = "ended"
    roll_id: UUID
    frames: int
    reason: EndReason
    problem: str


class TakeEntered(BaseModel):
    """A take, or a trial clip, is among the others; `note` is what the program has to say of it."""

    event: Literal["take"] = "take"
    take_id: UUID
    part_id: UUID
    note: str
    binned: bool
    trial: bool = False


class CheckEnded(BaseModel):
    event: Literal["check"] = "check"
    session_id: UUID
    part_id: UUID | None
    kind: str
    problem: str


class BackingMade(BaseModel):
    """What the computer played became a backing track."""

    event: Literal["backing"] = "backing"
    session_id: UUID
    backing_id: UUID


class WorkTold(BaseModel):
    """How far a piece of work is."""

    event: Literal["work"] = "work"
    work_id: UUID
    kind: str
    state: WorkState
    progress: float
    session_id: UUID | None
    detail: dict[str, Any]


class PrintTold(BaseModel):
    """How far a print is."""

    event: Literal["print"] = "print"
    print_id: UUID
    material_id: UUID
    state: PrintState
    progress: float
    times_real_time: float | None


AnyMessage = (
    LiveState | Changed | NoticeTold | RollEnded | TakeEntered | CheckEnded | BackingMade | WorkTold | PrintTold
    | Meters | BenchMeters | Pitch
)  # fmt: skip
LIVE_MESSAGE: TypeAdapter[AnyMessage] = TypeAdapter(Annotated[AnyMessage, Field(discriminator="event")])


def describe_live_messages(app: FastAPI) -> None:
    """Put the messages among the schemas of the API's document, as `LiveMessage`: the socket has no place there."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        if not app.openapi_schema:
            document = plain()
            schema = LIVE_MESSAGE.json_schema(ref_template="#/components/schemas/{model}", mode="serialization")
            schemas = document["components"]["schemas"]
            for name, part in schema.pop("$defs").items():
                schemas.setdefault(name, part)
            schemas["LiveMessage"] = schema
            app.openapi_schema = document
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]

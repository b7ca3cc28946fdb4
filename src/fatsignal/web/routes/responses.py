"""Impulse responses of one's own, for the blocks of tones."""

from datetime import datetime

from fastapi import APIRouter, UploadFile
from pydantic import BaseModel

from fatsignal.acts.keep_responses import keep_response
from fatsignal.files.responses import check_bytes
from fatsignal.store.impulse_responses import list_responses
from fatsignal.web.context import ResponsesDep, Transaction

router = APIRouter(prefix="/api/responses", tags=["re-amp"])


class ImpulseResponseView(BaseModel, from_attributes=True):
    """`sound_s` is how long it sounds, without silence before and after."""

    sha256: str
    name: str
    rate_hz: int
    channels: int
    sound_s: float
    brought_at: datetime


@router.get("")
async def known(conn: Transaction) -> list[ImpulseResponseView]:
    """All that were brought in, by name."""
    return [ImpulseResponseView.model_validate(each) for each in await list_responses(conn)]


@router.post("", status_code=201)
async def bring_in(file: UploadFile, conn: Transaction, folder: ResponsesDep) -> ImpulseResponseView:
    """Keep a sound file as an impulse response; one that is there already is known by its first name."""
    shown_name = file.filename or "the file"
    check_bytes(file.size or 0, shown_name)
    content = await file.read()
    return ImpulseResponseView.model_validate(await keep_response(conn, folder, content, shown_name))

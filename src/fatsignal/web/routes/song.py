"""The song: its tempo map, tapping, sections, click, and the same as a MIDI file."""

import asyncio
import io
from fractions import Fraction
from typing import Annotated
from uuid import UUID, uuid4

import soundfile
from fastapi import APIRouter, Query, Response, UploadFile
from pydantic import BaseModel, Field

from fatsignal.acts.change_song import change_sections, change_tempo
from fatsignal.core.song.sections import SongSection, what_changed
from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import LONGEST_SONG_BARS, MeterChange, TempoChange, TempoMap, parse_tempo
from fatsignal.errors import InvalidSetting
from fatsignal.jobs.kinds.midi import MIDI_KIND
from fatsignal.store import history, sections, sessions
from fatsignal.web.attachments import attachment
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.sessions import SectionView, SessionView, TempoView, check_song, one_session, tempo_view
from fatsignal.web.revisions import IfMatch
from fatsignal.web.sound_files import received

router = APIRouter(prefix="/api", tags=["song"])

_LONGEST_CLICK_S = 120
# What goes along when sections move.
_SONG: history.Scope = {"session": None, "section": None, "take": None, "comp": None, "part": None}
_MOST_CHANGES = 2_000

Frame = Annotated[int, Query(ge=-(1 << 40), le=1 << 40)]


class NewTempo(BaseModel):
    bar: int = Field(ge=1, le=LONGEST_SONG_BARS)
    says: str = Field(max_length=40, description="Beats a minute, as a person types them.")
    ramp: bool = False
    meant: bool = False


class NewMeter(BaseModel):
    bar: int = Field(ge=1, le=LONGEST_SONG_BARS)
    beats: int
    unit: int
    meant: bool = False


class NewTempoMap(BaseModel):
    tempos: list[NewTempo] = Field(min_length=1, max_length=_MOST_CHANGES)
    meters: list[NewMeter] = Field(min_length=1, max_length=_MOST_CHANGES)
    song_bars: int
    audio_stays: bool = Field(default=False, description="The person agrees that recorded audio stays in samples.")


class Taps(BaseModel):
    times_s: list[float] = Field(max_length=400, description="Times of the taps, on any clock.")


class TapView(BaseModel, from_attributes=True):
    """`bpm` ± `uncertainty_bpm`, with 95 % confidence."""

    bpm: float
    uncertainty_bpm: float
    whole_bpm: int
    whole_is_likely: bool
    taps_used: int
    taps_left_out: int
    says: str


class NewSection(BaseModel):
    """A section as it should be; one that is new has no id, one that comes back has its old one."""

    id: UUID | None = None
    name: str = Field(max_length=80)
    first_bar: int = 1
    bars: int
    phrase_bars: int


class NewSections(BaseModel):
    sections: list[NewSection] = Field(max_length=500)
    one_after_the_other: bool = Field(
        default=True, description="Lay them out in this order without gaps; else their own first bars count."
    )
    agreed: bool = Field(default=False, description="The person agrees that takes go into the bin with their section.")


class NewSong(BaseModel):
    """Tempo map and sections together, as a MIDI file has them."""

    map: NewTempoMap
    sections: list[NewSection] = Field(max_length=500)


class SectionsChanged(BaseModel):
    """The song afterwards, and what went with its sections."""

    session: SessionView
    moved_takes: int
    stayed_takes: list[str]


class MidiProposal(BaseModel):
    """What a MIDI file says; nothing is changed until it is sent as tempo map and sections."""

    tempos: list[TempoView]
    meters: list[MeterChange]
    song_bars: int
    sections: list[SectionView]
    remarks: list[str]


@router.post("/tap")
async def tap(taps: Taps) -> TapView:
    """A tempo from taps, with its uncertainty."""
    from fatsignal.core.timing.tapping import estimate_tempo

    found = estimate_tempo(taps.times_s)
    return TapView(
        bpm=found.bpm, uncertainty_bpm=found.uncertainty_bpm, whole_bpm=found.whole_bpm,
        whole_is_likely=found.whole_is_likely, taps_used=found.taps_used, taps_left_out=found.taps_left_out,
        says=f"{found.bpm:.1f} ± {max(found.uncertainty_bpm, 0.1):.1f}",
    )  # fmt: skip


@router.put("/sessions/{session_id}/tempo")
async def set_tempo(session_id: UUID, new: NewTempoMap, conn: Transaction, seen: IfMatch = None) -> SessionView:
    """Change the tempo map. Where it would move bars under recorded audio, it asks first (409)."""
    scope: history.Scope = {"session": [session_id]}
    async with history.act(conn, session_id, kind="tempo", says="tempo map changed", scope=scope, subject="tempo"):
        session = await sessions.get_session(conn, session_id)
        await check_song(conn, session, seen)
        tempo = _map_of(session, new)
        await change_tempo(conn, session, tempo, song_bars=new.song_bars, audio_stays=new.audio_stays)
    return await one_session(session_id, conn)


@router.put("/sessions/{session_id}/song")
async def set_song(session_id: UUID, new: NewSong, conn: Transaction, seen: IfMatch = None) -> SectionsChanged:
    """Take tempo map and sections from elsewhere, together: the bars of the one are the bars of the other."""
    says = "tempo map and sections imported"
    async with history.act(conn, session_id, kind="song", says=says, scope=_SONG):
        session = await sessions.get_session(conn, session_id)
        await check_song(conn, session, seen)
        longest = max(new.map.song_bars, session.song_bars)
        await change_tempo(conn, session, _map_of(session, new.map), song_bars=longest, audio_stays=new.map.audio_stays)
        session = await sessions.get_session(conn, session_id)
        done = await change_sections(conn, session, _wanted(new.sections), one_after_the_other=False, agreed=True)
        session = await sessions.get_session(conn, session_id)
        await change_tempo(conn, session, session.tempo, song_bars=new.map.song_bars, audio_stays=True)
    return SectionsChanged(
        session=await one_session(session_id, conn), moved_takes=done.moved_takes, stayed_takes=done.stayed_takes
    )


def _map_of(session: sessions.Session, new: NewTempoMap) -> TempoMap:
    return TempoMap(
        session.rate_hz,
        tuple(TempoChange(change.bar, parse_tempo(change.says), change.ramp, change.meant) for change in new.tempos),
        tuple(MeterChange(meter.bar, meter.beats, meter.unit, meter.meant) for meter in new.meters),
        session.bar_one_frame,
    )


def _wanted(new: list[NewSection]) -> list[SongSection]:
    return [
        SongSection(section.id or uuid4(), section.name, section.first_bar, section.bars, section.phrase_bars)
        for section in new
    ]


@router.put("/sessions/{session_id}/sections")
async def set_sections(session_id: UUID, new: NewSections, conn: Transaction, seen: IfMatch = None) -> SectionsChanged:
    """Add, name, resize, reorder or remove sections: what belongs to one that moves goes with it.

    Where takes would go into the bin with a section, it asks first (409).
    """
    async with history.act(conn, session_id, kind="sections", says="sections changed", scope=_SONG) as acting:
        session = await sessions.get_session(conn, session_id)
        await check_song(conn, session, seen)
        wanted = _wanted(new.sections)
        before = [section.in_song for section in await sections.list_sections(conn, session_id)]
        done = await change_sections(
            conn, session, wanted, one_after_the_other=new.one_after_the_other, agreed=new.agreed
        )
        acting.says = what_changed(before, wanted)
    return SectionsChanged(
        session=await one_session(session_id, conn), moved_takes=done.moved_takes, stayed_takes=done.stayed_takes
    )


@router.put("/sessions/{session_id}/click")
async def set_click(session_id: UUID, click: ClickSettings, conn: Transaction) -> ClickSettings:
    """Change how the click sounds and how many bars it counts in."""
    await sessions.get_session(conn, session_id)
    scope: history.Scope = {"session": [session_id]}
    async with history.act(conn, session_id, kind="click", says="click changed", scope=scope, subject="click"):
        await sessions.set_click(conn, session_id, click)
    return click


@router.get(
    "/sessions/{session_id}/click.wav", response_class=Response, responses={200: {"content": {"audio/wav": {}}}}
)
async def click(session_id: UUID, from_frame: Frame, to_frame: Frame, pool: Pool) -> Response:
    """The click between two frames, sample-exact, as a WAV."""
    async with pool.connection() as conn:
        session = await sessions.get_session(conn, session_id)
    if to_frame - from_frame > _LONGEST_CLICK_S * session.rate_hz:
        raise InvalidSetting(f"a click of more than {_LONGEST_CLICK_S} s at once is not rendered: ask for less")
    rendered = await asyncio.to_thread(
        render_click, session.tempo, from_frame=from_frame, to_frame=max(to_frame, from_frame + 1),
        settings=session.click_settings,
    )  # fmt: skip
    buffer = io.BytesIO()
    soundfile.write(buffer, rendered.samples, rendered.rate_hz, format="WAV", subtype="PCM_16")
    return Response(buffer.getvalue(), media_type="audio/wav")


@router.get(
    "/sessions/{session_id}/song.mid", response_class=Response, responses={200: {"content": {"audio/midi": {}}}}
)
async def write_song(session_id: UUID, pool: Pool) -> Response:
    """Tempo map and sections as a Standard MIDI File."""
    from fatsignal.files.midi import write_midi

    async with pool.connection() as conn:
        session = await sessions.get_session(conn, session_id)
        found = [section.in_song for section in await sections.list_sections(conn, session_id)]
    data = await asyncio.to_thread(write_midi, session.tempo, found, name=session.name, song_bars=session.song_bars)
    return Response(data, media_type="audio/midi", headers=attachment(f"{session.name}.mid"))


@router.post("/sessions/{session_id}/song.mid")
async def read_song(
    session_id: UUID, file: UploadFile, pool: Pool, settings: SettingsDep, queue: WorkQueueDep
) -> MidiProposal:
    """Read tempo map and sections from a Standard MIDI File, as a proposal."""
    async with pool.connection() as conn:
        session = await sessions.get_session(conn, session_id)
    async with received([file], settings.uploads_folder, largest_bytes=settings.largest_upload_bytes) as upload:
        (one,) = upload.files
        asked = {
            "path": str(one.path), "shown_name": one.shown_name, "rate_hz": session.rate_hz,
            "bar_one_frame": session.bar_one_frame,
        }  # fmt: skip
        found = await queue.computed(MIDI_KIND, asked)
    tempos = [TempoChange(**each | {"bpm": Fraction(each["bpm"])}) for each in found["tempos"]]
    return MidiProposal(
        tempos=[tempo_view(change) for change in tempos], meters=found["meters"], song_bars=found["song_bars"],
        sections=found["sections"], remarks=found["remarks"],
    )  # fmt: skip

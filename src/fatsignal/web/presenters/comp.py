"""A part's comp as pages show it."""

from collections.abc import Sequence
from itertools import pairwise
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.easings import eased_in
from fatsignal.core.comp.pieces import REACH_S, CompPiece, holes, within
from fatsignal.core.comp.sheet import in_bars, phrases_of, window_of_bars
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window, holds
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.store import comps, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sections import Section
from fatsignal.store.takes import TakeChannel


class CompVersionView(BaseModel, from_attributes=True):
    id: UUID
    number: int
    name: str
    current: bool


class JoinView(BaseModel):
    """Where one take goes over into another."""

    frame: int
    ms: float | None = Field(description="Of the crossfade that was found; null where takes just follow each other.")
    look: str = Field(description="What may be heard of it; empty where it is clean.")
    other_rig: bool = Field(description="Both takes were recorded with rigs that differ.")


class EasedStrokeView(BaseModel):
    """A stroke that does not sound as it was played: so much later, and so many cents higher."""

    frame: int
    by_ms: float
    cents: float


class PieceView(BaseModel):
    take_id: UUID
    take_number: int | None = Field(description="Null where the take is gone for good.")
    from_frame: int
    to_frame: int
    gain_db: float
    moved_ms: float
    lifted: bool = Field(description="It is a copy from elsewhere.")
    eased: list[EasedStrokeView]
    longer_percent: float = Field(description="Stretched to another tempo.")
    settled: bool = Field(description="It stays, whatever is recorded; else the takes decide.")
    by_hand: bool
    why: str
    in_bin: bool
    lacks: list[str] = Field(description="Channels of the comp that this take has not: they are silent there.")


class HoleView(BaseModel):
    from_frame: int
    to_frame: int
    words: str


class OfferView(BaseModel):
    """A newer take that has something of a settled section."""

    take_id: UUID
    take_number: int
    from_frame: int
    to_frame: int
    words: str


class CompLineView(BaseModel):
    """A section: what sounds there, and what could."""

    section_id: UUID
    settled: bool
    pieces: list[PieceView]
    joins: list[JoinView] = Field(description="Also one that was moved before its first bar line.")
    holes: list[HoleView]
    offers: list[OfferView]


class CompView(BaseModel):
    part_id: UUID
    versions: list[CompVersionView]
    lines: list[CompLineView]
    looks: int = Field(description="Joins that should be listened to.")


async def comp_of(conn: Connection, part_id: UUID) -> CompView:
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    versions = await comps.list_comps(conn, part_id)
    comp = next((each.comp for each in versions if each.current), Comp())
    newest_first = await takes.kept_placed(conn, part_id)
    kept = {take.take_id for take in newest_first}
    numbers = await takes.numbers_of(conn, sorted({*comp.take_ids, *kept}))
    binned = numbers.keys() - kept
    sounding = performance(comp, newest_first)
    used = sorted({piece.take_id for piece in sounding})
    rigs = await takes.rigs_of(conn, used)
    lacks = _lacking(await takes.channels_of(conn, used))
    lines = [
        _line(section, session.tempo, comp, sounding, newest_first, numbers, binned, rigs, lacks, session.rate_hz)
        for section in await sections.list_sections(conn, session.id)
    ]
    looks = sum(1 for piece in comp.pieces if piece.join is not None and piece.join.look)
    return CompView(
        part_id=part_id, versions=[CompVersionView.model_validate(each) for each in versions], lines=lines, looks=looks
    )


def _line(
    section: Section, tempo: TempoMap, comp: Comp, sounding: Sequence[CompPiece], newest_first: Sequence[Played],
    numbers: dict[UUID, int], binned: set[UUID], rigs: dict[UUID, str], lacks: dict[UUID, list[str]], rate_hz: int,
) -> CompLineView:  # fmt: skip
    span = window_of_bars(tempo, section.first_bar, section.bars)
    here, reach = within(sounding, span), round(REACH_S * rate_hz)
    shown = [piece for piece in here if not _only_reaches_in(piece, sounding, rate_hz)]
    middle = Window(span.from_frame + span.frames // 4, span.to_frame - span.frames // 4)
    settled = holds(comp.settled, middle)
    return CompLineView(
        section_id=section.id,
        settled=settled,
        pieces=[
            PieceView(
                take_id=piece.take_id, take_number=numbers.get(piece.take_id), from_frame=piece.place.from_frame,
                to_frame=piece.place.to_frame, gain_db=piece.gain_db, moved_ms=1000 * piece.moved_frames / rate_hz,
                lifted=piece.lifted, eased=_eased(piece, rate_hz), longer_percent=_longer_percent(piece),
                settled=holds(comp.settled, piece.place), by_hand=piece.by_hand, why=_why(piece, sounding, numbers),
                in_bin=piece.take_id in binned, lacks=lacks.get(piece.take_id, []),
            )
            for piece in shown
        ],
        joins=_joins(sounding, span, rigs, rate_hz),
        holes=[
            HoleView(
                from_frame=hole.from_frame, to_frame=hole.to_frame,
                # It may begin where a border was moved to.
                words=in_bars(tempo, hole, slack_frames=min(reach, hole.frames // 4)),
            )
            for hole in holes(here, span)
            if hole.frames > rate_hz // 20
        ],
        offers=_offers(section, tempo, comp, shown, newest_first, numbers) if settled else [],
    )  # fmt: skip


def _lacking(channels: dict[UUID, list[TakeChannel]]) -> dict[UUID, list[str]]:
    """By the take, the channels that others of them have and it has not."""
    every = dict.fromkeys(channel.key for of_take in channels.values() for channel in of_take)
    return {
        take_id: [key.name for key in every if key not in {channel.key for channel in of_take}]
        for take_id, of_take in channels.items()
    }


def _eased(piece: CompPiece, rate_hz: int) -> list[EasedStrokeView]:
    # At another tempo every stroke lies elsewhere: that is told as one.
    if piece.easing is not None and piece.easing.later:
        return []
    return [
        EasedStrokeView(frame=at, by_ms=1000 * stroke.by_frames / rate_hz, cents=stroke.cents)
        for at, stroke in eased_in([piece], piece.place)
    ]


def _longer_percent(piece: CompPiece) -> float:
    easing = piece.easing
    if easing is None or not easing.later:
        return 0.0
    return 100 * easing.later / easing.changes.frames


def _why(piece: CompPiece, sounding: Sequence[CompPiece], numbers: dict[UUID, int]) -> str:
    """Why the program chose it, and what its join is like; empty where a person did."""
    # Its border may have been moved past the bar line: it begins there.
    whole = _whole(piece, sounding)
    before = next((each for each in sounding if each.place.to_frame == whole.place.from_frame), None)
    if not piece.why or whole.join is None or before is None:
        return piece.why
    number = numbers.get(before.take_id)
    beside = "the take before it" if number is None else f"take {number}"
    return f"{piece.why}; the join to {beside} {f'may be heard: {whole.join.look}' if whole.join.look else 'is clean'}"


def _only_reaches_in(piece: CompPiece, sounding: Sequence[CompPiece], rate_hz: int) -> bool:
    """Whether a piece belongs to the section beside: its border was moved past the bar line, where nobody hears it."""
    if piece.place.frames > REACH_S * rate_hz:
        return False
    whole = _whole(piece, sounding)
    return whole.place != piece.place or not piece.by_hand


def _whole(piece: CompPiece, sounding: Sequence[CompPiece]) -> CompPiece:
    """The piece that a part of one was cut from."""
    return next(each for each in sounding if holds([each.place], piece.place))


def _joins(sounding: Sequence[CompPiece], span: Window, rigs: dict[UUID, str], rate_hz: int) -> list[JoinView]:
    """Borders of a section: those that were moved past a bar line belong to what begins there."""
    reach = round(REACH_S * rate_hz)
    return [
        JoinView(
            frame=after.place.from_frame, ms=None if after.join is None else 1000 * after.join.frames / rate_hz,
            look="" if after.join is None else after.join.look,
            other_rig=rigs.get(before.take_id) != rigs.get(after.take_id),
        )
        for before, after in pairwise(sounding)
        if before.place.to_frame == after.place.from_frame and not before.sounds_on_in(after)
        and span.from_frame - reach <= after.place.from_frame < span.to_frame - reach
    ]  # fmt: skip


def _offers(
    section: Section, tempo: TempoMap, comp: Comp, shown: Sequence[CompPiece], newest_first: Sequence[Played],
    numbers: dict[UUID, int],
) -> list[OfferView]:  # fmt: skip
    """Takes that came since the section was touched, phrase by phrase; neighbouring phrases of a take are one offer."""
    offers: list[OfferView] = []
    seen = dict(comp.seen).get(section.id, 0)
    phrases = [
        Window(phrase.from_frame, phrase.to_frame)
        for phrase in phrases_of(tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars)
    ]
    for take in newest_first:
        if take.rating == "struck" or numbers[take.take_id] <= seen:
            continue
        for phrase in phrases:
            used = {piece.take_id for piece in within(shown, phrase)}
            slack = phrase.frames // 20
            inside = Window(phrase.from_frame + slack, phrase.to_frame - slack)
            if take.take_id in used or not holds(take.windows, inside):
                continue
            last = offers[-1] if offers else None
            if last is not None and last.take_id == take.take_id and last.to_frame == phrase.from_frame:
                whole = Window(last.from_frame, phrase.to_frame)
                offers[-1] = last.model_copy(update={"to_frame": whole.to_frame, "words": in_bars(tempo, whole)})
            else:
                offers.append(
                    OfferView(
                        take_id=take.take_id, take_number=numbers[take.take_id], from_frame=phrase.from_frame,
                        to_frame=phrase.to_frame, words=in_bars(tempo, phrase),
                    )
                )  # fmt: skip
    return offers

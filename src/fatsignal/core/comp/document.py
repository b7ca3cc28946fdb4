"""A comp as it is kept: a document with a version."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.comp.comp import Comp
from fatsignal.core.comp.pieces import CompPiece, Join, in_order
from fatsignal.core.documents import Kept
from fatsignal.core.easing.easing import EasedStroke, Easing
from fatsignal.core.material.channels import Channel, ChannelKind
from fatsignal.core.takes.windows import Window, joined

Frame = Annotated[int, Field(ge=-(1 << 40), le=1 << 40)]
Frames = tuple[Frame, Frame]


class KeptJoin(BaseModel):
    """How a piece begins: the crossfade's frames, and how alike both sides are in each channel."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    frames: int
    alike: tuple[tuple[ChannelKind, str, float], ...] = ()
    look: str = ""


class KeptStroke(BaseModel):
    """A stroke of an easing, by its frame in the take's files."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    take_frame: Frame
    by_frames: Frame = 0
    cents: float = Field(default=0.0, allow_inf_nan=False)


class KeptPiece(BaseModel):
    """A piece; `place` are frames of the session."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    take_id: UUID
    take_frame: Frame
    place: Frames
    gain_db: float = Field(default=0.0, allow_inf_nan=False)
    moved_frames: Frame = 0
    lifted: bool = False
    by_hand: bool = True
    why: str = ""
    join: KeptJoin | None = None
    easing: tuple[KeptStroke, ...] = ()


class CompDocument(Kept):
    """What a person settled of a part."""

    settled: tuple[Frames, ...] = ()
    pieces: tuple[KeptPiece, ...] = ()
    seen: tuple[tuple[UUID, int], ...] = ()

    def comp(self) -> Comp:
        """Ready to be played or changed."""
        return Comp(
            joined(Window(*span) for span in self.settled),
            in_order(
                CompPiece(
                    take_id=piece.take_id, take_frame=piece.take_frame, place=Window(*piece.place),
                    gain_db=piece.gain_db, moved_frames=piece.moved_frames, lifted=piece.lifted,
                    by_hand=piece.by_hand, why=piece.why, join=_join(piece.join), easing=_easing(piece.easing),
                )
                for piece in self.pieces
            ),
            self.seen,
        )  # fmt: skip


def document_of(comp: Comp) -> CompDocument:
    """As it is kept."""
    return CompDocument(
        settled=tuple((span.from_frame, span.to_frame) for span in comp.settled),
        pieces=tuple(
            KeptPiece(
                take_id=piece.take_id, take_frame=piece.take_frame,
                place=(piece.place.from_frame, piece.place.to_frame), gain_db=piece.gain_db,
                moved_frames=piece.moved_frames, lifted=piece.lifted, by_hand=piece.by_hand, why=piece.why,
                join=_kept(piece.join),
                easing=tuple(
                    KeptStroke(take_frame=each.take_frame, by_frames=each.by_frames, cents=each.cents)
                    for each in (piece.easing.strokes if piece.easing else ())
                ),
            )
            for piece in comp.pieces
        ),
        seen=comp.seen,
    )  # fmt: skip


def _join(kept: KeptJoin | None) -> Join | None:
    if kept is None:
        return None
    return Join(kept.frames, tuple((Channel(kind, name), alike) for kind, name, alike in kept.alike), kept.look)


def _easing(kept: tuple[KeptStroke, ...]) -> Easing | None:
    if not kept:
        return None
    return Easing(tuple(EasedStroke(each.take_frame, each.by_frames, each.cents) for each in kept))


def _kept(join: Join | None) -> KeptJoin | None:
    if join is None:
        return None
    alike = tuple((channel.kind, channel.name, correlation) for channel, correlation in join.alike)
    return KeptJoin(frames=join.frames, alike=alike, look=join.look)

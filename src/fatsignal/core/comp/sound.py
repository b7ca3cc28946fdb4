"""From pieces of a comp to what they sound like: a material, its pieces joined by crossfades."""

from collections.abc import Mapping
from itertools import pairwise
from uuid import UUID

from fatsignal.core.comp.pieces import CompPiece, Pieces
from fatsignal.core.material.material import Fade, Material, Piece, Source, edge_fade


def material_of_pieces(
    material_id: UUID, pieces: Pieces, sources: Mapping[UUID, Source], *, rate_hz: int
) -> Material | None:
    """What the pieces of a comp sound like; None where none of them has a source.

    Where a piece goes on as it was recorded nothing is faded: a take that was cut and joined back is that take. Where
    two meet they fade over each other, where nothing meets them they open and close shortly.
    """
    known = [piece for piece in pieces if piece.source_id in sources]
    if not known:
        return None
    meets = [_fade(*both, rate_hz=rate_hz) for both in pairwise(known)]
    opens = [edge_fade(known[0].place, rate_hz=rate_hz), *(after for _, after in meets)]
    closes = [*(before for before, _ in meets), edge_fade(known[-1].place, rate_hz=rate_hz)]
    first, last = known[0].place.from_frame, known[-1].place.to_frame
    return Material(
        id=material_id, rate_hz=rate_hz, first_frame=first, frames=last - first,
        sources=tuple(sources[each] for each in dict.fromkeys(piece.source_id for piece in known)),
        pieces=tuple(
            Piece(
                source_id=piece.source_id, source_frame=piece.take_frame, place=piece.place, gain_db=piece.gain_db,
                fade_in=fade_in, fade_out=fade_out,
            )
            for piece, fade_in, fade_out in zip(known, opens, closes, strict=True)
        ),
    )  # fmt: skip


def _fade(before: CompPiece, after: CompPiece, *, rate_hz: int) -> tuple[Fade | None, Fade | None]:
    """How the first of two neighbours closes and the second opens."""
    edges = edge_fade(before.place, rate_hz=rate_hz), edge_fade(after.place, rate_hz=rate_hz)
    if before.place.to_frame < after.place.from_frame:
        return edges
    if before.sounds_on_in(after):
        return None, None
    # Neither side of a crossfade may reach past the middle of the other's piece.
    longest = 2 * max(1, min(before.place.frames, after.place.frames) // 2)
    if after.join is not None:
        fade = Fade(min(after.join.frames, longest), alike=after.join.alike)
    else:
        fade = min(edges, key=lambda edge: edge.frames)
    return fade, fade

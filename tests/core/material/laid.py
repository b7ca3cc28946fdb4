"""Stretches of sources one after the other, as what a part sounds like is made of them."""

from fatsignal.core.comp.pieces import CompPiece, in_order
from fatsignal.core.comp.sound import material_of_pieces


def of_stretches(material_id, stretches, sources, *, rate_hz):
    """Stretches of (source id, place), sources by id, each with the frame at which its file begins."""
    pieces = in_order(
        CompPiece(take_id=source_id, take_frame=place.from_frame - sources[source_id][1], place=place)
        for source_id, place in stretches
    )
    return material_of_pieces(
        material_id, pieces, {key: source for key, (source, _) in sources.items()}, rate_hz=rate_hz
    )

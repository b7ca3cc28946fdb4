"""Where blocks lie in a tone: their place in the row, and of those in a split the path and the place in it.

A place is numbers from outside in: (2,) is the third block of the tone, (2, 0, 1) the second block of the first path
of that block, which is a split.
"""

from collections.abc import Iterator, Sequence

from fatsignal.core.tone.blocks import Split, ToneBlock

Place = tuple[int, ...]


def every_block(blocks: Sequence[ToneBlock], *, within: Place = ()) -> Iterator[tuple[Place, ToneBlock]]:
    """All blocks of a row with their places, those within a split behind it, in the order in which they are drawn."""
    for index, block in enumerate(blocks):
        place = (*within, index)
        yield place, block
        if isinstance(block, Split):
            for number, path in enumerate(block.paths):
                yield from every_block(path.blocks, within=(*place, number))


def every_heard_block(blocks: Sequence[ToneBlock]) -> Iterator[ToneBlock]:
    """Those that are not bypassed, nor in a split that is."""
    for block in blocks:
        if not block.bypassed:
            yield block
            if isinstance(block, Split):
                for path in block.paths:
                    yield from every_heard_block(path.blocks)


def row_at(blocks: Sequence[ToneBlock], place: Place) -> Sequence[ToneBlock]:
    """The row in which a place lies.

    Raises
    ------
    LookupError
        If there is no such row.
    """
    if len(place) % 2 == 0:
        raise LookupError(place)
    for index, path in zip(place[:-1:2], place[1::2], strict=True):
        split = blocks[index]
        if not isinstance(split, Split):
            raise LookupError(place)
        blocks = split.paths[path].blocks
    return blocks


def block_at(blocks: Sequence[ToneBlock], place: Place) -> ToneBlock:
    """The block at a place.

    Raises
    ------
    LookupError
        If there is none.
    """
    return row_at(blocks, place)[place[-1]]


def moved_on(blocks: Sequence[ToneBlock], place: Place, by: int) -> Place | None:
    """Where a block comes to lie when it is moved one step towards the jack (−1) or away from it (1): past its
    neighbour, into a split that is its neighbour, from one path into the other, out of the split. None at the end.

    The place is told as it is after the block was taken from its own.
    """
    row = row_at(blocks, place)
    *outer, index = place
    beside = index + by
    if 0 <= beside < len(row):
        neighbour = row[beside]
        enters = isinstance(neighbour, Split) and _may_enter(row[index], depth=len(place) // 2)
        if not enters:
            return (*outer, beside)
        assert isinstance(neighbour, Split), "only one that is entered"
        # Taken away before the split, everything behind moves up.
        at = beside - 1 if by > 0 else beside
        path = 0 if by > 0 else 1
        return (*outer, at, path, 0 if by > 0 else len(neighbour.paths[path].blocks))
    if not outer:
        return None
    *around, split_index, path = outer
    if by > 0:
        return (*around, split_index, 1, 0) if path == 0 else (*around, split_index + 1)
    if path == 0:
        return (*around, split_index)
    split = block_at(blocks, (*around, split_index))
    assert isinstance(split, Split), "a path is a split's"
    return (*around, split_index, 0, len(split.paths[0].blocks))


def _may_enter(block: ToneBlock, *, depth: int) -> bool:
    """Whether a block may go into a split that lies in so many others: splits nest once."""
    if not isinstance(block, Split):
        return True
    return depth == 0 and not any(True for _ in block.splits_within())

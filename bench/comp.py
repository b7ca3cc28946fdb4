"""How good a first comp is, and what comps cost. Run: python -m bench.comp [sets]

Every set is five takes of eight bars, each with planted mistakes of its own. A phrase is two bars. Counted are planted
mistakes that get into the comp though another take has none in that phrase, as a share of all that could, beside a take
chosen at random for every phrase. At most 2 % are wanted.

Then the time of choosing among 60 takes × 24 phrases (at most 1 s), and of writing a comp of five minutes and four
channels as files (at most 3 s).
"""

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from uuid import UUID

import numpy as np

from bench.mistakes import PARTS, RATE_HZ, TAKES, TEMPO, planted, play
from fatsignal.acts.comp.files import ToWrite, write_comp
from fatsignal.core.comp.first_comp import PhraseOfTake, first_comp
from fatsignal.core.comp.pieces import CompPiece, Join
from fatsignal.core.comp.sound import material_of_pieces
from fatsignal.core.material.channels import Channel
from fatsignal.core.material.material import Source
from fatsignal.core.takes.findings import Kind
from fatsignal.core.takes.judge import JudgedTake, judge
from fatsignal.core.takes.windows import Window
from fatsignal.files.material_files import MaterialOnDisk, SourceFile, sha256_of
from fatsignal.files.sound_writer import write_sound

SETS, BARS, PHRASE_BARS = 200, 8, 2
CHANNELS = (Channel("di", "DI"), Channel("mic", "mic A"), Channel("mic", "mic B"), Channel("mic", "mic C"))


def one_set(seed: int) -> tuple[int, int, float]:
    """Of a set: planted mistakes that could get in, that did, and that would by chance."""
    part, random = PARTS[seed % len(PARTS)], np.random.default_rng(seed)
    edges = [TEMPO.bar_frame(part.first_bar + bar) for bar in range(0, BARS + 1, PHRASE_BARS)]
    phrases = [Window(*edge) for edge in pairwise(edges)]
    whole = Window(edges[0], edges[-1])
    made = planted(part, random, whole, TAKES)
    heard = [play(part, 1000 * seed + take, tuple(mistakes)) for take, mistakes in enumerate(made)]
    rows = judge([JudgedTake(each.playing, each.from_frame, (whole,)) for each in heard], phrases, TEMPO)
    wrong = np.array(
        [
            [sum(_inside(TEMPO.quarter_frame(each.beat), phrase) for each in mistakes) for phrase in phrases]
            for mistakes in made
        ]
    )
    cells = [
        [
            PhraseOfTake(UUID(int=take), take, tuple(each.kind for each in row[place].findings))
            for take, row in reversed(list(enumerate(rows)))
        ]
        for place in range(len(phrases))
    ]  # fmt: skip
    clean_elsewhere = (wrong == 0).any(axis=0)
    could = int(wrong[:, clean_elsewhere].sum())
    chosen = [choice.take_id.int if choice.take_id is not None else 0 for choice in first_comp(cells)]
    got_in = sum(int(wrong[take, place]) for place, take in enumerate(chosen) if clean_elsewhere[place])
    return could, got_in, float(wrong[:, clean_elsewhere].mean(axis=0).sum())


def _inside(frame: int, phrase: Window) -> bool:
    return phrase.from_frame <= frame < phrase.to_frame


def choosing_s(takes: int = 60, phrases: int = 24) -> float:
    """Seconds of choosing, the findings at hand."""
    random = np.random.default_rng(5)
    late: tuple[Kind, ...] = ("late", "late")
    noisy: tuple[Kind, ...] = ("noisy", "noisy")
    cells = [
        [
            PhraseOfTake(UUID(int=take), take, (*late[: random.integers(3)], *noisy[: random.integers(3)]))
            for take in range(takes)
        ]
        for _ in range(phrases)
    ]
    started = time.perf_counter()
    first_comp(cells)
    return time.perf_counter() - started


def writing_s(folder: Path, *, minutes: float = 5.0, pieces: int = 40) -> float:
    """Seconds of writing a comp of two takes that take turns, 24 bits to 24 bits."""
    frames = round(60 * minutes * RATE_HZ)
    random = np.random.default_rng(6)
    sources, files = {}, []
    for number in (1, 2):
        for channel in CHANNELS:
            path = folder / f"{number} {channel.name}.wav"
            write_sound(path, [0.1 * random.standard_normal((frames, 1))], rate_hz=RATE_HZ, channels=1)
            files.append(SourceFile(UUID(int=number), channel, path, sha256=sha256_of(path)))
        sources[UUID(int=number)] = Source(
            id=UUID(int=number), fingerprint=str(number), frames=frames, channels=CHANNELS
        )
    edges = [round(frames * place / pieces) for place in range(pieces + 1)]
    laid = tuple(
        CompPiece(take_id=UUID(int=1 + place % 2), take_frame=start, place=Window(start, end), join=Join(960))
        for place, (start, end) in enumerate(pairwise(edges))
    )
    material = material_of_pieces(UUID(int=9), laid, sources, rate_hz=RATE_HZ)
    assert material is not None, "there are pieces"
    what = ToWrite(
        UUID(int=9), MaterialOnDisk(material, tuple(files)), laid, {}, material.span, "comp", "24",
        datetime.now(UTC), folder / "Comps", folder,
    )  # fmt: skip
    started = time.perf_counter()
    write_comp(what, holder="bench", on_progress=lambda _: None)
    return time.perf_counter() - started


def main() -> None:
    """Print all three."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else SETS
    with ProcessPoolExecutor(max_workers=2) as pool:
        could, got_in, by_chance = (sum(each) for each in zip(*pool.map(one_set, range(sets)), strict=True))
    print(f"{sets} sets of {TAKES} takes: {could} planted mistakes had a clean alternative")
    shares = [100 * many / could for many in (got_in, by_chance)]
    print(f"  got in: {got_in} ({shares[0]:.1f} %); by chance {by_chance:.0f} ({shares[1]:.1f} %)")
    print(f"choosing among 60 takes × 24 phrases: {1000 * choosing_s():.0f} ms")
    with TemporaryDirectory() as folder:
        print(f"five minutes × {len(CHANNELS)} channels as files: {writing_s(Path(folder)):.2f} s")


if __name__ == "__main__":
    main()

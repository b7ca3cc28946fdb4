"""What working on a tone costs, as ratios measured in one run. Run: .venv/bin/python -m bench.tones

Prints
- for each kind of block, how many times faster than real time it runs alone, on one core at 4 times oversampling;
- turning a value: making the changed chain, and the blocks of 128 frames while it takes over and fades in, each
  against the block's own time;
- the curves of a tone when one value was turned;
- a search among 200 tones, and measuring one.
"""

import time
from collections.abc import Callable
from uuid import uuid4

import numpy as np

from fatsignal.core.tone.blocks import KINDS
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.curves import block_curves
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.edits import SetValue, edited
from fatsignal.core.tone.finding import Findable, found
from fatsignal.core.tone.measures import measure_tone
from fatsignal.core.tone.riff import RIFF_RATE_HZ, riff
from fatsignal.core.tone.turning import TurningChain
from fatsignal.tones import find_tone

BLOCK = 128
OWN_MS = 1000 * BLOCK / RIFF_RATE_HZ


def taking_ms(act: Callable[[], object], times: int = 1) -> float:
    """Milliseconds of an act that is warm, the median of some."""
    act()
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        act()
        spent.append(time.perf_counter() - began)
    return 1000 * float(np.median(spent))


def kinds() -> None:
    volts = np.tile(riff("guitar"), 4)
    seconds = len(volts) / RIFF_RATE_HZ
    for kind in KINDS:
        tone = Tone(name="one", blocks=[kind.example()])
        ms = taking_ms(lambda tone=tone: ToneChain(tone, rate_hz=RIFF_RATE_HZ).process(volts))  # type: ignore[misc]
        print(f"{kind.TITLE:18s} {1000 * seconds / ms:7.0f} x real time")


def turning() -> None:
    tone = find_tone("Foundry")
    place = next(index for index, block in enumerate(tone.blocks) if block.kind == "first_stages")
    changes = {
        "drive": SetValue(block=place, kind="first_stages", path=["drive"], value=6.1),
        "a microphone moved": SetValue(block=place + 3, kind="speaker", path=["mics", 0, "distance_m"], value=0.06),
    }
    volts = riff("guitar")
    for name, edit in changes.items():
        turned, _ = edited(tone, edit)
        making = taking_ms(lambda turned=turned: ToneChain(turned, rate_hz=RIFF_RATE_HZ), 9)  # type: ignore[misc]
        running = TurningChain(ToneChain(tone, rate_hz=RIFF_RATE_HZ))
        steady: list[float] = []
        fading: list[float] = []
        for start in range(0, len(volts) - BLOCK, BLOCK):
            turns = start // BLOCK % 40 == 20
            if turns:
                running.turn_to(ToneChain(turned if start // BLOCK % 80 == 20 else tone, rate_hz=RIFF_RATE_HZ))
            began = time.perf_counter()
            running.process(volts[start : start + BLOCK])
            fades = 20 <= start // BLOCK % 40 < 28
            (fading if fades else steady).append(1000 * (time.perf_counter() - began))
        usual, most = np.median(steady[40:]) / OWN_MS, np.percentile(steady[40:], 99) / OWN_MS
        print(f"{name}: chain made in {making:.1f} ms; a block takes {usual:.2f} of its own time, {most:.2f} at 99 %")
        print(f"  while it fades in {np.median(fading) / OWN_MS:.2f}, {np.max(fading) / OWN_MS:.2f} at most")


def curves() -> None:
    tone = find_tone("Foundry")
    place = next(index for index, block in enumerate(tone.blocks) if block.kind == "first_stages")
    block_curves(tone)
    values = iter(np.linspace(1, 9, 50))

    def one() -> None:
        block_curves(edited(tone, SetValue(block=place, kind="first_stages", path=["drive"], value=next(values)))[0])

    print(f"curves when one value was turned: {taking_ms(one, 20):.0f} ms")


def searching() -> None:
    random = np.random.default_rng(1)
    names = ("tilt_db", "low_end_db", "added_db", "crest_lost_db", "answers_db", "quiet_db", "tail_s")
    tones = [
        Findable(
            uuid4(), f"Tone {number}", ["clean", "crunch", "lead", "bass"][number % 4], (),
            {name: float(random.normal()) for name in names}, tuple(random.normal(size=21)),
        )
        for number in range(200)
    ]  # fmt: skip
    by_words = taking_ms(lambda: found(tones, typed="cru", order="brighter"), 20)
    alike = taking_ms(lambda: found(tones, like=tones[7].id), 20)
    print(f"200 tones by words and brightness: {by_words:.1f} ms; by likeness: {alike:.1f} ms")
    print(f"one tone measured: {taking_ms(lambda: measure_tone(find_tone('Foundry'), 'guitar')):.0f} ms")


if __name__ == "__main__":
    turning()
    curves()
    searching()
    kinds()

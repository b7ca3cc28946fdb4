"""What rings, stretched: splices of periods beside phase vocoders. Run: python -m bench.easing [notes]

Sampled guitars and basses (Debian's fluid-soundfont-gm) as two channels, the second 2 ms later. What rings between
two strokes, 0.2 to 0.9 s of it, is made 5 to 20 % shorter or longer: by `core/easing/splices.py`, by the Signalsmith
library (python-stretch, MIT) and by librosa's phase vocoder. Told are the 90th percentiles of how far the pitch moved
(librosa's YIN; at most 2 cents are wanted), of the largest change of a third of an octave within 20 dB of the loudest
(1 dB), of how loud the second channel is against the first delayed, which is what they lost of each other; and the
time.
"""

import sys
import time
from collections.abc import Callable

import numpy as np
import python_stretch

from fatsignal.core.arrays import Real
from fatsignal.core.easing.splices import stretched
from tests.core.easing.test_render import hz, thirds
from tests.reference.music_library import librosa
from tests.reference.soundfont import SampledNote, sampled_notes

FAMILIES = ("Jazz Guitar", "Nylon Guitar", "Steel", "Clean", "Picked Bass", "Fingered Bass", "Overdrive", "Muted")
RINGS_S, RATIOS = (0.2, 0.45, 0.9), (0.8, 0.95, 1.05, 1.2)
ATTACK_S, LAG_S = 0.03, 0.002
Stretch = Callable[[Real, int, int], Real]


def by_splices(ring: Real, frames: int, rate_hz: int) -> Real:
    return stretched(ring, frames, rate_hz=rate_hz)


def by_signalsmith(ring: Real, frames: int, rate_hz: int) -> Real:
    """Its edges see what they would mirrored, and its latency is taken off."""
    machine = python_stretch.Signalsmith.Stretch(1)
    machine.preset(len(ring), rate_hz)
    factor = frames / ring.shape[1]
    machine.setTimeFactor(1 / factor)
    spare = machine.inputLatency() + machine.outputLatency()
    wide = np.pad(ring, ((0, 0), (spare, spare)), mode="reflect")
    out = np.asarray(machine.process(np.pad(wide, ((0, 0), (0, 2 * spare))).astype(np.float32)), dtype=np.float64)
    start = round((spare + machine.inputLatency()) * factor + machine.outputLatency())
    return out[:, start : start + frames]


def by_vocoder(ring: Real, frames: int, rate_hz: int) -> Real:
    out = librosa.effects.time_stretch(ring, rate=ring.shape[1] / frames, n_fft=2048)
    return np.asarray(librosa.util.fix_length(out, size=frames))


WAYS: dict[str, Stretch] = {
    "splices of periods": by_splices, "Signalsmith": by_signalsmith, "phase vocoder": by_vocoder,
}  # fmt: skip


def off(ring: Real, out: Real, rate_hz: int) -> tuple[float, float, float]:
    """Cents, dB of the worst third of an octave, and dB of what the channels do not share any more."""
    cents = abs(1200 * np.log2(hz(out[0], rate_hz) / hz(ring[0], rate_hz)))
    ours, theirs = thirds(out[0], rate_hz), thirds(ring[0], rate_hz)
    loud = theirs > 1e-2 * theirs.max()
    change_db = 10 * np.log10(ours / theirs)[loud]
    lag = round(LAG_S * rate_hz)
    apart = out[1, lag:] - out[0, : out.shape[1] - lag]
    apart_db = 10 * np.log10(np.mean(apart**2) / np.mean(out[0] ** 2) + 1e-9)
    return float(cents), float(np.abs(change_db - np.median(change_db)).max()), float(apart_db)


def strings(count: int) -> list[SampledNote]:
    found = [note for note in sampled_notes() if note.name.startswith(FAMILIES) and 28 <= note.midi_note <= 76]
    return found[:: max(1, len(found) // count)]


def main() -> None:
    """Print the table."""
    notes = strings(int(sys.argv[1]) if len(sys.argv) > 1 else 40)
    figures: dict[str, list[tuple[float, float, float]]] = {name: [] for name in WAYS}
    seconds = dict.fromkeys(WAYS, 0.0)
    for note in notes:
        whole = note.samples()
        start, lag = round(ATTACK_S * note.rate_hz), round(LAG_S * note.rate_hz)
        for ring_s in RINGS_S:
            end = start + round(ring_s * note.rate_hz)
            if end + lag > len(whole):
                continue
            ring = np.stack([whole[start:end], whole[start - lag : end - lag]])
            for ratio in RATIOS:
                for name, way in WAYS.items():
                    started = time.perf_counter()
                    out = way(ring, round(ratio * ring.shape[1]), note.rate_hz)
                    seconds[name] += time.perf_counter() - started
                    figures[name].append(off(ring, out, note.rate_hz))
    print(f"{len(notes)} sampled notes, {len(figures['Signalsmith'])} stretches; 90 % are within")
    for name, found in figures.items():
        cents, thirds_db, apart_db = np.percentile(np.array(found), 90, axis=0)
        print(
            f"  {name:20} {cents:6.1f} cents   {thirds_db:5.1f} dB a third   channels {apart_db:6.1f} dB apart"
            f"   {1000 * seconds[name] / len(found):5.1f} ms each"
        )


if __name__ == "__main__":
    main()

"""A sound of the bench over its loop: how loud it is, where it peaks, how its thirds of an octave lie."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from fatsignal.acts.bench import SoundOnBench
from fatsignal.acts.dry_sound import DrySound
from fatsignal.acts.excerpt import RUN_IN_S, loudness_and_peak
from fatsignal.core.clip import Clip, Samples, in_one
from fatsignal.core.json_values import json_ready
from fatsignal.core.material.channels import DRY
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.render import render
from fatsignal.core.tone.tone_distance import BAND_NUMBERS, third_octave_levels_db
from fatsignal.files.material_files import MaterialOnDisk

# Of a long loop the loudest stretch tells: all of its sounds are measured over the same one.
LONGEST_S = 10.0
_STEP_S = 0.5
_COLUMNS, _CHUNK_COLUMNS = 600, 20


@dataclass(frozen=True, slots=True)
class Heard:
    """What is measured."""

    dry: DrySound
    loop: Window
    sound: SoundOnBench
    tempo: TempoMap


def measured(heard: Heard) -> dict[str, Any]:
    """Loudness in LUFS and true peak in dBTP, None where it is silent; levels of `BAND_NUMBERS` in dB."""
    rate_hz = heard.dry.recorded.material.rate_hz
    span = loudest_stretch(heard.dry.recorded, heard.loop, rate_hz)
    signal = sounding(heard, span)
    lufs, peak_dbtp = loudness_and_peak(Clip(signal.reshape(len(signal), -1), rate_hz))
    if len(signal) >= rate_hz // 4:
        thirds = third_octave_levels_db(in_one(signal), rate_hz=rate_hz)
    else:
        thirds = np.full(len(BAND_NUMBERS), -200.0)
    told = {
        **json_ready({"loudness_lufs": lufs, "peak_dbtp": peak_dbtp}),
        "thirds_db": [round(float(each), 2) for each in thirds],
    }
    return {**told, "columns": drawn(heard.dry.recorded, heard.loop)} if heard.sound.kind == "dry" else told


def drawn(recorded: MaterialOnDisk, loop: Window) -> list[list[int]]:
    """The dry source over its loop, as lowest and highest of each column in 127ths of the loudest."""
    per_column = max(1, -(-loop.frames // _COLUMNS))
    found = []
    with recorded.reader(gone_is_silent=True) as reader:
        for start in range(loop.from_frame, loop.to_frame, _CHUNK_COLUMNS * per_column):
            block = reader.read(DRY, start, min(_CHUNK_COLUMNS * per_column, loop.to_frame - start))
            starts = np.arange(0, len(block), per_column)
            found.append(np.stack((np.minimum.reduceat(block, starts), np.maximum.reduceat(block, starts)), axis=1))
    joined = np.concatenate(found)
    loudest = float(np.abs(joined).max(initial=0.0))
    return [[int(low), int(high)] for low, high in np.round(127 * joined / (loudest or 1.0))]


def loudest_stretch(recorded: MaterialOnDisk, loop: Window, rate_hz: int, *, longest_s: float = LONGEST_S) -> Window:
    """The stretch of a loop over which its sounds are measured: where the dry source has most power."""
    longest, step = round(longest_s * rate_hz), round(_STEP_S * rate_hz)
    if loop.frames <= longest:
        return loop
    powers = []
    with recorded.reader(gone_is_silent=True) as reader:
        for start in range(loop.from_frame, loop.to_frame - step + 1, step):
            powers.append(float(np.square(reader.read(DRY, start, step)).sum()))
    width = longest // step
    sums = np.convolve(powers, np.ones(width), mode="valid")
    first = loop.from_frame + int(np.argmax(sums)) * step
    return Window(first, first + width * step)


def sounding(heard: Heard, span: Window, *, oversample: int | None = None) -> Samples:
    """What is heard over a stretch of the loop; a tone with other oversampling than its own where that is told."""
    sound, rate_hz = heard.sound, heard.dry.recorded.material.rate_hz
    if sound.tone is None:
        recorded, wanted = (sound.material, sound.wanted) if sound.material else (heard.dry.recorded, (DRY,))
        with recorded.reader(gone_is_silent=True) as reader:
            columns = [reader.read(each, span.from_frame, span.frames) for each in wanted]
        return columns[0] if len(columns) == 1 else np.column_stack(columns)
    quarter_s = heard.tempo.quarter_s_at(heard.loop.from_frame)
    chain = ToneChain(
        sound.tone, rate_hz=rate_hz, voltage=heard.dry.voltage, quarter_s=quarter_s, oversample=oversample
    )
    run_in = round(RUN_IN_S * rate_hz)
    with heard.dry.recorded.reader(gone_is_silent=True) as reader:
        dry = reader.read(DRY, span.from_frame - run_in, span.frames + run_in)
    return render(chain, dry)[run_in:]

"""A tone sounds the same at every rate of a session."""

import numpy as np
import pytest
import soxr

from fatsignal.core.clip import in_one
from fatsignal.core.tone.blocks import KINDS, Band, Equaliser, ImpulseResponse, Split, SplitPath, TenBands, Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.render import render
from fatsignal.core.tone.voltage import DiVoltage
from tests.signals import FS, noise, plucks

# Thirds of an octave from 50 Hz to 12.5 kHz: the last ends at 14 kHz. IEC 61260-1: base ten.
CENTRES_HZ = 1000 * 10 ** (np.arange(-13, 12) / 10)
# What is set by default does nothing there.
SET = {
    Equaliser: Equaliser(
        bands=[
            Band(shape="peak", frequency_hz=8000, gain_db=9), Band(shape="high_shelf", frequency_hz=5000, gain_db=-6),
            Band(shape="low_cut", frequency_hz=80), Band(shape="peak", frequency_hz=300, gain_db=-5, q=2),
        ]
    ),
    TenBands: TenBands(band_125_db=6, band_1k_db=-8, band_4k_db=6, band_8k_db=-6),
    Split: Split(crossover_hz=900, paths=[SplitPath(level_db=-6), SplitPath(blocks=[Trim(gain_db=3)])]),
}  # fmt: skip


def thirds_db(signal, rate_hz):
    """Power in thirds of an octave, at 48 kHz."""
    at_48 = signal if rate_hz == FS else soxr.resample(signal, rate_hz, FS, quality="VHQ")
    frames = len(at_48) - 1000
    power = np.abs(np.fft.rfft(at_48[:frames] * np.hanning(frames))) ** 2
    at_hz = np.fft.rfftfreq(frames, 1 / FS)
    edges = 10**0.05
    return np.array([
        10 * np.log10(power[(at_hz >= centre / edges) & (at_hz < centre * edges)].sum()) for centre in CENTRES_HZ
    ])  # fmt: skip


@pytest.mark.parametrize(
    "kind", [kind for kind in KINDS if kind is not ImpulseResponse], ids=lambda kind: kind.__name__
)
def test_each_block_is_the_same_in_thirds_of_an_octave_at_every_rate(kind):
    """44.1, 48 and 96 kHz against 192, within half a decibel; what comes in ends at 17 kHz."""
    tone = Tone(name="t", blocks=[SET.get(kind) or kind.example()])
    # What rings has modes, of which few lie in a low third: these need longer to be heard out.
    seconds = 16 if kind.GROUP == "space" else 4
    # Of noise, what distorts makes noise again that is another one at each rate: it is given playing.
    spectrum = np.fft.rfft(0.3 * plucks(seconds) + 0.003 * noise(seconds) if kind.DRIVES else 0.1 * noise(seconds))
    spectrum[np.fft.rfftfreq(seconds * FS, 1 / FS) > 17_000] = 0
    dry = np.fft.irfft(spectrum)
    found = {}
    for rate_hz in (44_100, 48_000, 96_000, 192_000):
        at_rate = dry if rate_hz == FS else soxr.resample(dry, FS, rate_hz, quality="VHQ")
        chain = ToneChain(tone, rate_hz=rate_hz, voltage=DiVoltage(1.0))
        found[rate_hz] = thirds_db(in_one(render(chain, at_rate)), rate_hz)
    for rate_hz in (44_100, 48_000, 96_000):
        np.testing.assert_allclose(found[rate_hz], found[192_000], atol=0.5, err_msg=f"at {rate_hz} Hz")

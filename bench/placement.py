"""What judging a placement costs, and how near a delay comes to what can be known. Run: python -m bench.placement

Prints the time of a new position (response in a room, at most 50 ms; curves of a plan while it is dragged, at most
33 ms, a thirtieth of a second), how many times faster than real time two channels are compared, and the scatter of a
delay between two microphones on a real guitar in noise, beside the bound of Cramér and Rao.
"""

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import combinations
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, sosfilt

from fatsignal.core.arrays import Real
from fatsignal.core.mics.microphone import MIC_KINDS, capsule_response
from fatsignal.core.mics.place import MicPlace
from fatsignal.core.mics.response import mic_impulse_response, mic_spectrum
from fatsignal.core.mics.room import ROOMS
from fatsignal.core.mics.set_up import MicSetUp
from fatsignal.core.mics.sounding import SOUNDING
from fatsignal.core.stereo.mic_delay import mic_delay
from fatsignal.core.stereo.report import report_stereo
from fatsignal.core.stereo.trial_report import report_trial

RATE_HZ, SECONDS, TIMES = 48_000, 4, 5
# What a chart has room for.
DRAWN_HZ = np.geomspace(20, 20_000, 160)
GUITARS = sorted(Path("/usr/share/sonic-pi").rglob("guit_*.flac"))


def least_ms(act: Callable[[], object]) -> float:
    act()
    took = []
    for _ in range(TIMES):
        started = time.perf_counter()
        act()
        took.append(1000 * (time.perf_counter() - started))
    return min(took)


def positions() -> None:
    for front in SOUNDING:
        said = []
        for room in ROOMS:
            heard = MicSetUp(front, "large condenser", MicPlace(0.3, 0.05, 0.03, 10, -5), room=room)

            def response(heard: MicSetUp = heard) -> None:
                mic_impulse_response.cache_clear()
                mic_impulse_response(heard, RATE_HZ)

            drawn_ms = least_ms(lambda heard=heard: mic_spectrum(heard, DRAWN_HZ))  # type: ignore[misc]
            said.append(f"{room} {least_ms(response):.0f} and {drawn_ms:.0f} ms")
        print(f"{SOUNDING[front].title}, response and curve: {'; '.join(said)}")


def guitar(path: Path) -> Real:
    samples, rate_hz = soundfile.read(path, always_2d=True)
    return np.asarray(np.tile(soxr.resample(samples[:, 0], rate_hz, RATE_HZ), 4)[: SECONDS * RATE_HZ])


def delays() -> None:
    random = np.random.default_rng(1)
    for snr_db in (40, 20, 6, 0):
        errors, bounds = [], []
        for path in GUITARS:
            source = guitar(path)
            spectrum = np.fft.rfft(source, 2 * len(source))
            level = np.sqrt(np.mean(source**2)) * 10 ** (-snr_db / 20)
            for _ in range(6):
                late = random.uniform(-60, 60)
                turn = np.exp(-2j * np.pi * np.arange(len(spectrum)) / (2 * len(source)) * late)
                second = np.fft.irfft(spectrum * turn)[: len(source)]
                heard = [each + level * random.standard_normal(len(source)) for each in (source, second)]
                found = mic_delay(heard[0], heard[1], rate_hz=RATE_HZ)
                errors.append(found.delay_samples - late)
                bounds.append(found.uncertainty_samples)
        scatter, bound = (np.sqrt(np.mean(np.square(each))) for each in (errors, bounds))
        most = np.abs(errors).max()
        print(f"two mics at {snr_db} dB: off by {scatter:.4f} samples, at most {most:.3f}; bound {bound:.4f}")


def other_capsules() -> None:
    """The same guitars through each two of four kinds of capsule: wanted is half a sample."""
    size = 2 * SECONDS * RATE_HZ
    hz: Real = np.asarray(np.fft.rfftfreq(size, 1 / RATE_HZ), dtype=np.float64)
    random = np.random.default_rng(4)
    for snr_db in (40, 20, 6):
        errors, told = [], []
        for path in GUITARS:
            source = guitar(path)
            spectrum = np.fft.rfft(source, size)
            for pair in combinations(("coil", "ribbon", "condenser", "large condenser"), 2):
                late = random.uniform(-60, 60)
                turn = np.exp(-2j * np.pi * hz / RATE_HZ * late)
                heard = []
                for kind, turned in zip(pair, (1.0, turn), strict=True):
                    through = np.fft.irfft(spectrum * capsule_response(MIC_KINDS[kind], hz) * turned)[: len(source)]
                    level = np.sqrt(np.mean(through**2)) * 10 ** (-snr_db / 20)
                    heard.append(through + level * random.standard_normal(len(source)))
                found = mic_delay(heard[0], heard[1], rate_hz=RATE_HZ)
                errors.append(abs(found.delay_samples - late))
                told.append(found.uncertainty_samples)
        within = np.mean(np.array(errors) <= 0.5)
        print(
            f"capsules of two kinds at {snr_db} dB: off by {np.sqrt(np.mean(np.square(errors))):.2f} samples, at most "
            f"{max(errors):.2f}; {100 * within:.0f} % within 0.5; told {np.median(told):.2f}"
        )


def comparison() -> None:
    """Six clips of 8 s, a DI and two microphones each, of which nothing is known yet: at most a second."""
    random = np.random.default_rng(3)
    source = random.standard_normal(8 * RATE_HZ)
    other = np.roll(sosfilt(butter(2, 9_000, fs=RATE_HZ, output="sos"), source), 31)
    mics = {"mic A": source, "mic B": other + 0.03 * random.standard_normal(len(source))}
    both = mics["mic A"] + mics["mic B"]

    def compare() -> None:
        # As the worker does what is asked for at once.
        with ThreadPoolExecutor(max_workers=2) as two:
            list(two.map(lambda _: report_trial(mics, both, both, rate_hz=RATE_HZ), range(6)))

    took_ms = least_ms(compare)
    print(f"six clips of 8 s and three channels compared: {took_ms:.0f} ms, at most 1000; known ones in no time")


def main() -> None:
    positions()
    comparison()
    pair = np.random.default_rng(2).standard_normal((2, 8 * RATE_HZ))
    took_ms = least_ms(lambda: report_stereo(pair[0], pair[1], rate_hz=RATE_HZ))
    print(f"two channels of 8 s compared: {took_ms:.0f} ms, {8000 / took_ms:.0f} x real time")
    delays()
    other_capsules()


if __name__ == "__main__":
    main()

"""Meters of all channels at once are those of each channel by itself, in blocks of any size."""

import numpy as np
import pytest

from fatsignal.core.level.peak import peak_dbfs, rms_dbfs
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.engine.meter_window import FRAMES_PER_COLUMN, MeterWindow


@pytest.mark.parametrize("channels", [1, 3, 24])
@pytest.mark.parametrize("block_frames", [64, 480, 1024, 5000])
def test_levels_and_columns(channels, block_frames):
    audio = np.random.default_rng(channels).normal(0, 0.1, (40_000, channels))
    audio[:, -1] = 0
    window, drawn, first_columns = MeterWindow(channels), [[] for _ in range(channels)], []
    for number, start in enumerate(range(0, len(audio), block_frames)):
        window.add(audio[start : start + block_frames])
        if number % 3 != 2:
            continue
        levels = window.take()
        recent = audio[max(0, start - 2 * block_frames) : start + block_frames]
        for channel in range(channels - 1):
            assert levels.peak_dbfs[channel] == pytest.approx(peak_dbfs(recent[:, channel]), abs=0.006)
            assert levels.average_dbfs[channel] == pytest.approx(rms_dbfs(recent[:, channel]), abs=0.006)
        assert (levels.peak_dbfs[-1], levels.average_dbfs[-1]) == (-120.0, -120.0)
        first_columns.append((levels.first_column, len(drawn[0])))
        for channel, fresh in enumerate(levels.columns):
            drawn[channel] += fresh
    assert all(first == before for first, before in first_columns)
    whole = columns(audio[: len(drawn[0]) * FRAMES_PER_COLUMN], frames_per_column=FRAMES_PER_COLUMN)
    np.testing.assert_array_equal(np.array(drawn), whole)


def test_a_new_pass_counts_its_columns_from_zero():
    window = MeterWindow(2)
    window.add(np.ones((3 * FRAMES_PER_COLUMN + 10, 2)))
    assert window.take().first_column == 0
    window.add(np.ones((FRAMES_PER_COLUMN, 2)))
    assert window.take().first_column == 3
    window.begin()
    window.add(np.zeros((FRAMES_PER_COLUMN, 2)))
    levels = window.take()
    assert (levels.first_column, levels.columns) == (0, [[[0, 0]], [[0, 0]]])

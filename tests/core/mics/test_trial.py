import pytest
from pydantic import ValidationError

from fatsignal.core.mics.trial import PlacementSettings, trial_plan
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting
from tests.signals import FS

TEMPO = TempoMap.steady(120, rate_hz=FS)


@pytest.mark.parametrize(("count_in", "bars_before"), [(True, 2), (False, 0)])
def test_a_trial_plays_its_bars_once_after_a_count_in_where_one_is_wanted(count_in, bars_before):
    settings = PlacementSettings(first_bar=5, bars=2, count_in=count_in)
    plan = trial_plan(TEMPO, settings, song_bars=16, count_in_bars=2)
    assert plan.windows == (Window(TEMPO.bar_frame(5), TEMPO.bar_frame(7)),)
    assert plan.from_frame == TEMPO.bar_frame(5 - bars_before)
    assert plan.play_from_frame == TEMPO.bar_frame(5)
    assert plan.again_from_frame is None


def test_it_ends_where_the_song_does():
    trial_plan(TEMPO, PlacementSettings(first_bar=15, bars=2), song_bars=16, count_in_bars=1)
    with pytest.raises(InvalidSetting, match="the trial plays bars 16 to 17, and the song has 16 bars"):
        trial_plan(TEMPO, PlacementSettings(first_bar=16, bars=2), song_bars=16, count_in_bars=1)


@pytest.mark.parametrize("values", [{"bars": 0}, {"bars": 17}, {"first_bar": 0}])
def test_what_no_trial_plays_is_refused(values):
    with pytest.raises(ValidationError):
        PlacementSettings(**values)

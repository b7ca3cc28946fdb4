"""Surveys: what a roll has left on disk is measured, so that it can be entered as a take."""

from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

SURVEY_KIND = "survey"
_REMEMBERED = 100


def _surveyed(asked: dict[str, Any], settings: Settings) -> Any:
    from fatsignal.acts.enter_roll import survey_roll

    return survey_roll(settings.sessions_folder / asked["folder"], waves_folder=settings.waves_folder)


SURVEY = calculation(SURVEY_KIND, _surveyed, remembered=_REMEMBERED)

"""Trial clips: what each sounds like, and what two placements do differently, the DI as the ruler."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from fatsignal.config import Settings
from fatsignal.jobs.kind import PROMPT, Tell, WorkKind, keep_result
from fatsignal.store import trials
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.trial_sound import TrialSound

TRIAL_KIND, TRIAL_DIFFERENCE_KIND = "trial", "trial difference"
_REMEMBERED = 400


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "list[TrialSound]":
    from fatsignal.acts.trial_sound import trial_sound

    found = [await trials.get_trial(conn, UUID(each)) for each in work.input["trials"]]
    of, frames = work.input["of"], work.input["frames"]
    sounds = [trial_sound(trial, settings.sessions_folder, of=of) for trial in found]
    return [sound.first(frames) if frames else sound for sound in sounds]


def _measure(sounds: "list[TrialSound]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.trial_sound import measured

    return measured(sounds[0])


def _rule(sounds: "list[TrialSound]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.trial_sound import ruled

    return ruled(*sounds)


TRIAL = WorkKind(
    name=TRIAL_KIND, queue=PROMPT, prepare=_prepare, compute=_measure, keep=keep_result, remembered=_REMEMBERED
)
TRIAL_DIFFERENCE = WorkKind(
    name=TRIAL_DIFFERENCE_KIND, queue=PROMPT, prepare=_prepare, compute=_rule, keep=keep_result,
    remembered=_REMEMBERED,
)  # fmt: skip

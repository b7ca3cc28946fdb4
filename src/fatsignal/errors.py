"""Everything this application raises on purpose.

FatSignalError
├── SignalError        samples that nothing can be measured or rendered from
├── FileRefused        a sound file that cannot be read, or will not be
├── ToneRefused        a tone document that is not valid
├── RollRefused        rolling cannot start or go on
├── InvalidSetting     a value outside what the program can do
├── WorkFailed         what was asked for could not be computed
├── ChangedMeanwhile   what was asked about is not so any more
├── CannotUndo         an act that cannot be undone or redone any more
├── ChangedElsewhere   a page acts on something older than what there is
├── ConfirmationRequired  what a person should agree to before it is done
├── SetUpFailed        a tool or a server that is missing
└── NotFound           answered with 404
"""


class FatSignalError(Exception):
    """A failure worth explaining to the player, in one sentence."""


class SignalError(FatSignalError, ValueError):
    """Samples that no measurement or rendering can be made from."""


class FileRefused(FatSignalError, ValueError):
    """A file that cannot be read as sound, or is beyond the limits."""


class ToneRefused(FatSignalError, ValueError):
    """A tone document that does not say what to do."""


class InvalidSetting(FatSignalError, ValueError):
    """A value outside what the program can do."""


class ConfirmationRequired(FatSignalError):
    """Nothing was changed yet: the sentence says what would follow, and the same request with consent does it."""


class WorkFailed(FatSignalError):
    """What was asked for could not be computed; the sentence says why."""


class ChangedMeanwhile(FatSignalError):
    """What was asked about is not so any more."""

    SAYS = "changed meanwhile"

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence if sentence.startswith(self.SAYS) else f"{self.SAYS}: {sentence}")


class CannotUndo(FatSignalError):
    """An act that cannot be undone or redone any more; nothing was changed."""

    def __init__(self, says: str, why: str) -> None:
        super().__init__(f"“{says}” cannot be undone or redone: {why}")


class ChangedElsewhere(FatSignalError):
    """A page acts on something older than what there is: nothing was changed, and it shows what there is now."""

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} was changed meanwhile, on another page: look at it as it is now, and do it again")


class RollRefused(FatSignalError):
    """Rolling cannot start now; the sentence says why."""


class SetUpFailed(FatSignalError):
    """Something outside the program is missing; the sentence says which command brings it."""


class NotFound(FatSignalError):
    """The request names something that does not exist."""

    def __init__(self, kind: str, key: object) -> None:
        super().__init__(f"there is no {kind} {key}")

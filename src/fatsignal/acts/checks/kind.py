"""What a kind of check is: what the player does meanwhile, how it is measured, what follows from it.

A kind is one module beside this one, and a name in the list of `__init__.py`.
"""

from dataclasses import dataclass
from typing import Any, ClassVar

from fatsignal.core.clip import Clip
from fatsignal.core.level.target_levels import AIM_AVERAGE_DBFS
from fatsignal.core.verdict import Verdict
from fatsignal.engine.orders import Happening, ListenOrder
from fatsignal.rig.setup import InputUse, RigSetup
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part

# Where no level was checked yet, the middle of the aim stands for how loud the playing is.
USUAL_PLAYING_DBFS = sum(AIM_AVERAGE_DBFS) / 2


@dataclass(frozen=True, slots=True)
class CheckFound:
    """What a check found; `result` is JSON, with null where a level is silence."""

    kind: str
    verdict: Verdict
    says: str
    result: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Listens:
    """How a kind listens: for how long by itself, what happens meanwhile, and whether the pitch is read as it comes."""

    seconds: float
    happening: Happening
    follows_pitch: bool = False
    # Whether somebody may ask for another length.
    any_length: bool = True


@dataclass(frozen=True, slots=True)
class Heard:
    """What was listened to: every channel by its name, in the order of the source.

    `playing_dbfs` is the average level of each channel while it is played, from the newest level check, where there is
    one; `before` is what an earlier pass of the same check found.
    """

    order: ListenOrder
    channels: dict[str, Clip]
    playing_dbfs: dict[str, float]
    before: CheckFound | None = None

    @property
    def rig(self) -> RigSetup:
        assert self.order.setup is not None, "a check of a rig has one"
        return self.order.setup

    @property
    def inputs(self) -> list[tuple[str, InputUse, Clip]]:
        """The rig's inputs that were heard: name, use, sound."""
        return [(name, use, self.channels[name]) for name, use in self.rig.inputs if name in self.channels]

    def level_played_dbfs(self, name: str) -> float:
        """How loud a channel is while it is played, measured or as is usual."""
        return self.playing_dbfs.get(name, USUAL_PLAYING_DBFS)


class CheckKind:
    """One kind of check."""

    kind: ClassVar[str]
    title: ClassVar[str]
    # What the player is asked to do.
    needs: ClassVar[str]
    # None for what is computed without listening.
    listens: ClassVar[Listens | None] = None

    def measure(self, heard: Heard) -> CheckFound:
        """From what was heard to a verdict, a sentence and all figures.

        Raises
        ------
        SignalError
            If it holds too little: a sentence for the player.
        """
        raise NotImplementedError

    def again(self, order: ListenOrder, found: CheckFound, before: CheckFound | None) -> ListenOrder | None:
        """Another pass to listen to before the check is done; its id and folder are given by the caller."""
        return None

    async def keep(self, conn: Connection, order: ListenOrder, found: CheckFound) -> None:
        """What follows from it besides that it is kept."""

    def now(self, part: Part) -> CheckFound | None:
        """What is known of a part without listening; None where that is nothing."""
        return None

    def found(self, verdict: Verdict, says: str, result: dict[str, Any]) -> CheckFound:
        return CheckFound(self.kind, verdict, says, result)


def distance_verdict(distance_db: float | None, good_db: float, bad_db: float) -> Verdict:
    """Of something unwanted that lies so far below the playing; None: it is not there."""
    if distance_db is None or distance_db >= good_db:
        return "good"
    return "look" if distance_db >= bad_db else "fix"


def worst(verdicts: list[Verdict]) -> Verdict:
    order: list[Verdict] = ["fix", "look", "good"]
    return next((verdict for verdict in order if verdict in verdicts), "good")

"""How a player hears the own playing: where from, and when; two choices that have nothing to do with each other."""

from typing import Literal
from uuid import UUID

from pydantic import Field

from fatsignal.core.documents import Kept

MonitorSource = Literal["interface", "tone", "nothing"]
MonitorPolicy = Literal["always", "rolling or stopped", "never"]


class Monitoring(Kept):
    """The choices of one part.

    "rolling or stopped" is silent while earlier takes play, before a punch and after it, so that they can be heard.
    """

    hear: MonitorSource = "nothing"
    when: MonitorPolicy = "always"
    tone_revision_id: UUID | None = Field(default=None, description="The tone that it is heard through.")
    from_bench: bool = Field(default=False, description="It is heard through the tone on its bench, as that is turned.")
    channel: str | None = Field(
        default=None, description="Heard straight from the interface; null: the first mic, or the DI."
    )
    print_sim: bool = Field(
        default=False, description="What is heard through the tone goes to disk too, beside the clean DI."
    )

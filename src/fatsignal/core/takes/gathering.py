"""Takes of several parts as takes of one: which of its channels each of theirs is."""

from collections.abc import Mapping, Sequence

from fatsignal.core.material.channels import Channel
from fatsignal.errors import InvalidSetting


def match_channels(theirs: Sequence[Channel], ours: Sequence[Channel]) -> dict[Channel, Channel]:
    """What each channel of a take is probably called in another part: the one of the same name, else the next of its
    kind that no other has; what has no like there keeps its name, as far as that is free.
    """
    matched = {channel: channel for channel in theirs if channel in ours}
    for channel in theirs:
        if channel not in matched:
            free = [each for each in ours if each.kind == channel.kind and each not in matched.values()]
            matched[channel] = free[0] if free else channel
    return {channel: matched[channel] for channel in theirs}


def check_names(names: Mapping[Channel, Channel]) -> None:
    """See that no two channels of a take come to be one; raises InvalidSetting where they would."""
    taken: dict[Channel, Channel] = {}
    for channel, to in names.items():
        if not to.name.strip():
            raise InvalidSetting(f"{channel.name} would have no name: give it one")
        if to in taken:
            raise InvalidSetting(f"{taken[to].name} and {channel.name} would both be {to.name}: choose one for each")
        taken[to] = channel

"""A take's channels, from files that were just written to what is stored of them."""

from pathlib import Path

from fatsignal.acts.survey import Surveyed
from fatsignal.acts.waves import keep_wave
from fatsignal.core.material.material import fingerprint_of
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store.takes import TakeChannel


def take_channels(on_disk: MaterialOnDisk, found: Surveyed, waves_folder: Path) -> list[TakeChannel]:
    """The channels of a take that was surveyed; what its waves are drawn from is kept by their fingerprint."""
    channels = []
    for position, (file, sha256, checks) in enumerate(zip(on_disk.files, found.checksums, found.checks, strict=True)):
        kind = file.channel.kind
        assert kind != "track", "a part played it"
        channels.append(
            TakeChannel(
                position=position, name=file.channel.name, kind=kind, file=file.path.name, sha256=sha256, checks=checks
            )
        )
    keep_wave(waves_folder, fingerprint_of((channel.key, channel.sha256) for channel in channels), found.waves)
    return channels

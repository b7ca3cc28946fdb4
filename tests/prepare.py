"""What every process of the tests would wait for, made once: kernels, the reference library, the demonstration.

Run: python -m tests.prepare
"""

import tempfile
from pathlib import Path

import fatsignal.rig.preload  # noqa: F401  # compiles what the simulated rig plays with
import tests.reference.music_library  # noqa: F401
from fatsignal.core.tone.warm import warm_chains
from tests.applications import kept_demonstration, migrated_server

if __name__ == "__main__":
    for rate_hz in (44_100, 48_000, 96_000):
        warm_chains(rate_hz=rate_hz)
    with (
        tempfile.TemporaryDirectory() as folder,
        migrated_server(Path(folder)) as server,
        kept_demonstration(server.url),
    ):
        pass

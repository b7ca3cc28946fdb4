"""What only computing needs takes seconds to import: each process imports its own before somebody waits for it."""

import importlib
from collections.abc import Iterable

# In the order in which they are likely to be wanted. The server computes little: workers do (`jobs/kinds`).
OF_THE_SERVER = (
    "fatsignal.acts.roll_order", "fatsignal.acts.overdub_tracks", "fatsignal.acts.enter_roll",
    "fatsignal.core.level.waveform_peaks", "fatsignal.core.timing.click", "fatsignal.rig.plan",
)  # fmt: skip
OF_A_WORKER = (
    "fatsignal.acts.enter_roll", "fatsignal.rig.path", "fatsignal.acts.excerpt", "fatsignal.acts.judged_section",
    "fatsignal.acts.import_take", "fatsignal.acts.render_print", "fatsignal.acts.checks.run",
    "fatsignal.core.stereo.trial_report", "fatsignal.core.stereo.ruler",
)  # fmt: skip


def preload(modules: Iterable[str]) -> None:
    """Import modules by name; runs in a thread of its own."""
    for name in modules:
        importlib.import_module(name)

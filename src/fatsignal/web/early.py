"""What only computing needs takes seconds to import: it is imported beside the first page, before anybody rolls."""

import importlib

_WANTED_FIRST = (
    "fatsignal.acts.roll_order", "fatsignal.acts.overdub_tracks", "fatsignal.acts.enter_roll",
    "fatsignal.core.level.waveform_peaks", "fatsignal.core.timing.click", "fatsignal.acts.judged_section",
    "fatsignal.acts.excerpt", "fatsignal.acts.run_check", "fatsignal.core.timing.pulse",
)  # fmt: skip


def import_what_computes() -> None:
    """In the order in which it is likely to be wanted; runs in a thread of its own."""
    for name in _WANTED_FIRST:
        importlib.import_module(name)

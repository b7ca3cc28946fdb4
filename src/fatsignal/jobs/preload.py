"""What workers compute with takes seconds to import: it is imported before somebody waits for it."""

import importlib

WANTED_FIRST = (
    "fatsignal.acts.enter_roll", "fatsignal.rig.path", "fatsignal.acts.excerpt", "fatsignal.acts.judged_section",
    "fatsignal.acts.import_take", "fatsignal.acts.render_print", "fatsignal.acts.checks.run",
)  # fmt: skip


def import_what_workers_compute() -> None:
    """In the order in which it is likely to be wanted; runs in a thread of its own."""
    for name in WANTED_FIRST:
        importlib.import_module(name)

"""Where processes of rigs come from: one that has everything loaded, and copies itself.

It is known without numpy: an engine asks for it first of all, and both load side by side.
"""

import multiprocessing
from multiprocessing import forkserver

PROCESSES = multiprocessing.get_context("forkserver")
PROCESSES.set_forkserver_preload(["fatsignal.rig.preload"])


def prepare() -> None:
    """Begin to load what rigs compute with, so that a roll need not wait for it."""
    forkserver.ensure_running()

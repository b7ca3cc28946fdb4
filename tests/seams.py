"""Dying at a named seam: between two steps that belong together, where a random moment hardly ever falls."""

import importlib
import inspect
import os
import signal
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal


class Died(BaseException):
    """In the test's own process: nothing that comes after the seam is done, as when the process was killed."""


def killed() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def died() -> None:
    raise Died


async def _then(result: Any, dies: Callable[[], None]) -> Any:
    value = await result
    dies()
    return value


@dataclass(frozen=True)
class Seam:
    """The so-many-th call of a function, as "package.module:name" or "package.module:Class.name"."""

    name: str
    function: str
    when: Literal["before", "after"] = "before"
    call: int = 1

    def __str__(self) -> str:
        return self.name

    def set(self, monkeypatch: Any, dies: Callable[[], None]) -> None:
        """From now on whoever comes to the seam dies there; a process that is forked has it too."""
        module, _, path = self.function.partition(":")
        owner: Any = importlib.import_module(module)
        *outer, name = path.split(".")
        for each in outer:
            owner = getattr(owner, each)
        original, calls = getattr(owner, name), 0

        def watched(*args: Any, **keywords: Any) -> Any:
            nonlocal calls
            calls += 1
            mine = calls == self.call
            if mine and self.when == "before":
                dies()
            result = original(*args, **keywords)
            if not mine or self.when == "before":
                return result
            if inspect.isawaitable(result):
                return _then(result, dies)
            dies()
            return result

        monkeypatch.setattr(owner, name, watched)

"""Loops that are compiled when they are first run: what only describes a block does not pay for the compiler.

A kind of tone block is one module, which the server imports for its fields and limits; numba is loaded by whoever runs
one. A kernel may call others by name.
"""

import types
from collections.abc import Callable
from typing import Any


class Kernel:
    """A function of arrays and numbers, compiled at its first call and kept between runs (`core/compiled.py`)."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self._function: Any = function
        self._compiled: Any = None

    def __call__(self, *arguments: Any) -> Any:
        if self._compiled is None:
            self._compiled = self.compiled()
        return self._compiled(*arguments)

    def compiled(self) -> Any:
        """What the compiler makes of it, with the kernels that it calls."""
        from fatsignal.core.compiled import njit

        if self._compiled is not None:
            return self._compiled
        function = self._function
        called = {
            name: each.compiled()
            for name, each in function.__globals__.items()
            if isinstance(each, Kernel) and name in function.__code__.co_names
        }
        if called:
            known = {**function.__globals__, **called}
            function = types.FunctionType(function.__code__, known, function.__name__, function.__defaults__)
            function.__module__, function.__qualname__ = self._function.__module__, self._function.__qualname__
        return njit(cache=True, nogil=True, error_model="numpy")(function)


def kernel(function: Callable[..., Any]) -> Kernel:
    """Have a function compiled when it is first called."""
    return Kernel(function)

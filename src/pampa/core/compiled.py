"""Loops that Numba compiles. Numba is loaded with the first call of one: starting must not wait for it."""

from collections.abc import Callable
from threading import RLock
from typing import Any

_loading = RLock()


def compiled(*, fastmath: bool | set[str] = False) -> Callable[[Callable[..., Any]], "Compiled"]:
    """Mark a loop over arrays to be compiled when first called, kept on disk, run without the interpreter's lock."""

    def mark(loop: Callable[..., Any]) -> Compiled:
        return Compiled(loop, fastmath)

    return mark


class Compiled:
    """A loop, compiled for each form of its arguments when it is first called with them."""

    def __init__(self, loop: Callable[..., Any], fastmath: bool | set[str]) -> None:
        self._loop, self._fastmath = loop, fastmath
        self._made: Callable[..., Any] | None = None
        self.__doc__ = loop.__doc__

    def __call__(self, *arguments: Any) -> Any:
        return (self._made or self.made())(*arguments)

    def made(self) -> Callable[..., Any]:
        """What Numba makes of the loop. The compiled loops that it calls are put before it in their place,
        since Numba can see into its own functions only."""
        with _loading:
            if self._made is None:
                from numba import njit

                names = self._loop.__globals__
                for name in self._loop.__code__.co_names:
                    if isinstance(called := names.get(name), Compiled):
                        names[name] = called.made()
                self._made = njit(cache=True, nogil=True, fastmath=self._fastmath)(self._loop)
            return self._made

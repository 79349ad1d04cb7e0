"""Loops that Numba compiles. Numba is loaded with the first call of one: starting must not wait for it."""

import sys
from collections.abc import Callable
from threading import RLock
from typing import Any

_loading = RLock()


def compiled(*, fastmath: bool | set[str] = False) -> Callable[[Callable[..., Any]], "Compiled"]:
    """Mark a loop over arrays to be compiled when first called, kept on disk, run without the interpreter's lock."""

    def mark(loop: Callable[..., Any]) -> Compiled:
        return Compiled(loop, fastmath)

    return mark


def load_lightly() -> None:
    """Load Numba without SciPy's linear algebra, which it looks for when it is loaded and no loop here asks for.

    That takes a quarter of a second, much of a short command. Only for a process that has one thread yet: for a moment
    the module is not to be found.
    """
    missing = "scipy.linalg.cython_blas"
    if missing in sys.modules:
        return
    sys.modules[missing] = None  # type: ignore[assignment]
    try:
        import numba.np.arraymath  # noqa: F401
    finally:
        del sys.modules[missing]


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

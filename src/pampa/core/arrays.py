"""Arrays out of files, by one thread at a time.

The head of such a file is a Python literal, and `ast.literal_eval` counts its depth in one place for all threads in
CPython 3.11 (gh-106905): two at once raise a SystemError now and then.
"""

import os
import threading
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

_reading = threading.Lock()

Readable = str | os.PathLike[str] | BinaryIO


def array_in(file: Readable) -> NDArray[Any]:
    """The array of a .npy file. Raises OSError or ValueError where there is none to be read."""
    with _reading:
        array: NDArray[Any] = np.load(file)
    return array


def arrays_in(file: Readable) -> dict[str, NDArray[Any]]:
    """All arrays of an .npz file by name. Raises OSError, ValueError, EOFError or zipfile.BadZipFile."""
    with _reading, np.load(file) as arrays:
        return dict(arrays)

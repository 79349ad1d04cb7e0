"""Reading a cut of another program in a process of its own: its parser follows whatever nesting a file has."""

from typing import Any

from pampa.core.errors import EditRefused, PampaError
from pampa.core.files.children import ChildFailed, answer, ask_child
from pampa.core.files.confine import confine
from pampa.core.timeline.interchange import check_size, read_otio

MEMORY, CPU_S = 2 << 30, 20


def read_cut_in_child(text: str) -> dict[str, Any]:
    """What an OpenTimelineIO file tells, as plain data. Raises EditRefused where it cannot be read."""
    check_size(text)
    try:
        told = ask_child(__name__, text)
    except ChildFailed as error:
        raise EditRefused(
            "This file could not be read: it took too much memory or time. Nothing was changed. Export the cut again."
        ) from error
    if "error" in told:
        raise EditRefused(told["error"])
    cut: dict[str, Any] = told["cut"]
    return cut


def main(text: str) -> None:
    """The child."""
    confine(reads=[], writes=[], memory=MEMORY, cpu_s=CPU_S, file_bytes=0)
    try:
        answer(cut=read_otio(text))
    except PampaError as error:
        answer(error=str(error))

"""Reading a picture in a process of its own: its decoder meets whatever somebody found somewhere."""

import base64
from dataclasses import asdict
from typing import Any

from pampa.core.deliver.artwork import Artwork, as_jpeg, examine_artwork, load
from pampa.core.errors import PampaError, SignalError
from pampa.core.files.children import ChildFailed, answer, ask_child
from pampa.core.files.confine import confine

MEMORY, CPU_S = 2 << 30, 30


def read_artwork(data: bytes, side: int) -> tuple[Artwork, bytes]:
    """What a picture is, and its middle square as a JPEG of at most `side` pixels. Raises SignalError."""
    try:
        told = ask_child(__name__, {"data": base64.b64encode(data).decode(), "side": side})
    except ChildFailed as error:
        raise SignalError(
            "This picture could not be read: it took too much memory or time. Nothing was changed. Export it again."
        ) from error
    if "error" in told:
        raise SignalError(told["error"])
    return Artwork(**told["artwork"]), base64.b64decode(told["jpeg"])


def main(told: dict[str, Any]) -> None:
    """The child."""
    data = base64.b64decode(told["data"])
    load()
    confine(reads=[], writes=[], memory=MEMORY, cpu_s=CPU_S, file_bytes=0)
    try:
        answer(artwork=asdict(examine_artwork(data)), jpeg=base64.b64encode(as_jpeg(data, told["side"])).decode())
    except PampaError as error:
        answer(error=str(error))

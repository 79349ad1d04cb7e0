"""Conforming in a process of its own, which can reach nothing but the one file and the one folder.

Limits on memory, time and files hold on every system, and where the kernel has Landlock it can open nothing else.
What a hostile file can still do is to use a processor for a while.
"""

from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pampa.core.errors import DiskFull, PampaError, UnreadableSound, disk_errors
from pampa.core.files.children import ChildFailed, answer, ask_child, tell
from pampa.core.files.confine import confine
from pampa.core.files.conform import Channels, Facts, conform_into, facts_of
from pampa.core.files.whole import whole_folder

MEMORY, LARGEST_FILE = 4 << 30, 1 << 40
CPU_S = 3600


def conform_in_child(
    path: Path, folder: Path, *, channels: Channels = "auto", progress: Callable[[float], None] = lambda share: None,
) -> Facts:  # fmt: skip
    """Like `conform`, in a child process. `progress` may raise to stop it.

    Raises UnreadableSound where no sound is in the file, or reading it came to nothing; DiskFull.
    """
    with whole_folder(folder) as making:
        try:
            told = {"path": str(path), "folder": str(making), "channels": channels}
            found = ask_child(__name__, told, lambda doing, share: progress(share))
        except ChildFailed as error:
            raise UnreadableSound(
                f"{path.name} could not be read: reading it took too much memory or time, or crashed the decoder. "
                "Nothing was changed. Export it again as WAV or FLAC."
            ) from error
        if "lacking" in found:
            raise DiskFull(found["lacking"])
        if "error" in found:
            raise UnreadableSound(found["error"])
    return facts_of(found["facts"])


def main(told: dict[str, Any]) -> None:
    """The child."""
    path, folder = Path(told["path"]), Path(told["folder"])
    confine(reads=[path], writes=[folder], memory=MEMORY, cpu_s=CPU_S, file_bytes=LARGEST_FILE)
    last = -1.0

    def progress(share: float) -> None:
        nonlocal last
        if share - last >= 0.01:
            last = share
            tell("Reading", share)

    try:
        with disk_errors():
            facts = conform_into(path, folder, channels=told["channels"], progress=progress)
        answer(facts=asdict(facts))
    except DiskFull as error:
        answer(lacking=error.needed)
    except PampaError as error:
        answer(error=str(error))

"""Conforming in a process of its own, with limits on memory and time: a hostile file can harm only that."""

import argparse
import json
import resource
import subprocess
import sys
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

from pampa.core.errors import Cancelled, PampaError, UnreadableSound
from pampa.core.files.conform import Channels, Facts, conform

MEMORY = 4 << 30
CPU_S = 3600


def conform_in_child(
    path: Path, folder: Path, *, channels: Channels = "auto", progress: Callable[[float], bool] = lambda share: True,
) -> Facts:  # fmt: skip
    """Like `conform`, in a child process. `progress` may return False to stop: then Cancelled is raised."""
    command = [sys.executable, "-m", "pampa.core.files.child", str(path), str(folder), channels]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as child:
        assert child.stdout is not None
        answer = {}
        for line in child.stdout:
            answer = json.loads(line)
            if "share" in answer and not progress(answer["share"]):
                child.kill()
                raise Cancelled
    if "facts" in answer:
        return Facts(**answer["facts"])
    raise UnreadableSound(
        answer.get("error")
        or f"{path.name} could not be read: reading it took too much memory or time, or crashed the decoder. "
        "Nothing was changed. Export it again as WAV or FLAC."
    )


def main() -> None:
    """The child: prints one JSON object a line, the last with the facts or the error."""
    parser = argparse.ArgumentParser()
    parser.add_argument("path", type=Path)
    parser.add_argument("folder", type=Path)
    parser.add_argument("channels")
    given = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_S, CPU_S))
    last = -1.0

    def progress(share: float) -> None:
        nonlocal last
        if share - last >= 0.01:
            last = share
            print(json.dumps({"share": round(share, 3)}), flush=True)

    try:
        facts = conform(given.path, given.folder, channels=given.channels, progress=progress)
        print(json.dumps({"facts": asdict(facts)}), flush=True)
    except PampaError as error:
        print(json.dumps({"error": str(error)}), flush=True)
    except OSError as error:
        reason = "the disk is full" if error.errno == 28 else (error.strerror or "the disk refused")
        print(
            json.dumps({"error": f"{given.path.name} could not be written: {reason}. The original is kept; "
                        "make room and try again."}),
            flush=True,
        )  # fmt: skip


if __name__ == "__main__":
    main()

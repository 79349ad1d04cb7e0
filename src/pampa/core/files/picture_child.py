"""Pictures read in a process of its own, which can reach nothing but the files it is given: decoders meet anything."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any

from pampa.core.errors import DiskFull, PampaError, UnreadableSound, disk_errors
from pampa.core.files.children import ChildFailed, answer, ask_child, tell
from pampa.core.files.confine import confine
from pampa.core.files.whole import whole_folder
from pampa.core.picture.facts import PictureFacts
from pampa.core.picture.seen import Stretch

MEMORY, LARGEST_FILE = 8 << 30, 1 << 40
LOOKING_S, WORKING_S = 60, 24 * 3600
SOUND_ALONE = 16, ((0, b"fLaC"), (0, b"ID3"), (8, b"WAVE"), (8, b"AIFF"), (8, b"AIFC"))
"""How files begin that hold no picture but a cover (RFC 9639, ID3v2, RIFF, AIFF): no process is needed to see it."""
Progress = Callable[[float], None]


def look_at(path: Path) -> tuple[PictureFacts | None, bool]:
    """What the picture of a file is, None where none can be read; and whether the file says that it has one."""
    length, marks = SOUND_ALONE
    with path.open("rb") as file:
        begins = file.read(length)
    if any(begins.startswith(mark, at) for at, mark in marks):
        return None, False
    try:
        told = ask_child(__name__, {"work": "look", "reads": [str(path)], "writes": []})
    except ChildFailed:
        return None, True
    return (PictureFacts(**told["facts"]) if told["facts"] else None), told["has"]


def proxy_in_child(path: Path, folder: Path, facts: PictureFacts, progress: Progress) -> None:
    """Like `make_proxy`, in a child process."""
    with whole_folder(folder) as making:
        _done({"work": "proxy", "reads": [str(path)], "writes": [str(making)], "facts": asdict(facts)}, path, progress)


def cut_in_child(path: Path, stretches: Sequence[Stretch], files: Mapping[int, Path], sound: Path, *, frames: int,
                 size: tuple[int, int], fps: Fraction, progress: Progress) -> None:  # fmt: skip
    """Like `write_picture`, in a child process."""
    numbers = list(files)
    told = {
        "work": "cut", "reads": [str(files[number]) for number in numbers], "writes": [str(path.parent)],
        "numbers": numbers, "out": str(path), "sound": str(sound), "frames": frames, "size": size, "fps": str(fps),
        "stretches": [asdict(each) for each in stretches],
    }  # fmt: skip
    _done(told, path, progress)


def _done(told: dict[str, Any], path: Path, progress: Progress) -> None:
    try:
        found = ask_child(__name__, told, lambda doing, share: progress(share))
    except ChildFailed as error:
        raise UnreadableSound(
            f"The picture for {path.name} could not be read: it took too much memory or time, or crashed the decoder. "
            "Nothing was changed; its sound can be used."
        ) from error
    if "lacking" in found:
        raise DiskFull(found["lacking"])
    if "error" in found:
        raise UnreadableSound(found["error"])


def main(told: dict[str, Any]) -> None:
    """The child."""
    from pampa.core.files.picture import has_picture, picture_facts
    from pampa.core.files.picture_proxy import proxy_into
    from pampa.core.files.picture_writing import write_picture

    reads, writes = ([Path(name) for name in told[kind]] for kind in ("reads", "writes"))
    looking = told["work"] == "look"
    confine(reads=reads, writes=writes, memory=MEMORY, cpu_s=LOOKING_S if looking else WORKING_S,
            file_bytes=0 if looking else LARGEST_FILE)  # fmt: skip

    def progress(share: float) -> None:
        tell("", share)

    try:
        with disk_errors():
            if looking:
                facts = picture_facts(reads[0])
                answer(facts=asdict(facts) if facts else None, has=facts is not None or has_picture(reads[0]))
            elif told["work"] == "proxy":
                proxy_into(reads[0], writes[0], PictureFacts(**told["facts"]), progress)
                answer(done=True)
            else:
                write_picture(
                    Path(told["out"]), [Stretch(**each) for each in told["stretches"]],
                    dict(zip(told["numbers"], reads, strict=True)), Path(told["sound"]), frames=told["frames"],
                    size=tuple(told["size"]), fps=Fraction(told["fps"]), progress=progress,
                )  # fmt: skip
                answer(done=True)
    except DiskFull as error:
        answer(lacking=error.needed)
    except PampaError as error:
        answer(error=str(error))

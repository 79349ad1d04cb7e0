"""Sound and picture after an hour, and how quick pictures are read and written: `./pampa bench picture`."""

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.files.conform import conform, conformed_source
from pampa.core.files.decode import read_sound
from pampa.core.files.deliver import deliver
from pampa.core.files.picture import PictureFile, picture_facts, pixels_of
from pampa.core.files.picture_proxy import make_proxy
from pampa.core.files.picture_writing import write_picture
from pampa.core.picture.seen import Stretch, usual_rate
from pampa.core.sound import RATE

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.moving import number_in, write_moving

LARGE = ((1280, 720), (1920, 1080), (3840, 2160))
LARGE_S = 10


def main(minutes: int) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for fps in (25.0, 30000 / 1001):
            _to_the_end(folder, fps, 60 * minutes)
        for size in LARGE:
            _large(folder, size)


def _to_the_end(folder: Path, fps: float, seconds: int) -> None:
    """Numbered frames and clicks, delivered with nothing taken out: how far each is off at the end."""
    clicks = (5.0, seconds / 2, seconds - 5.0)
    path = write_moving(folder / "film.mp4", seconds, fps=fps, clicks=clicks)
    conform(path, folder / "conformed")
    source = conformed_source(folder / "conformed")
    facts = picture_facts(path)
    assert facts is not None
    began = time.perf_counter()
    deliver(source, folder / "sound.m4a", Format("m4a"), Aim(-30.0, -1.0))
    write_picture(
        folder / "out.mp4", [Stretch(0, source.frames, 1, 0.0, 1.0)], {1: path}, folder / "sound.m4a",
        frames=source.frames, size=(facts.width, facts.height), fps=usual_rate(facts.fps),
    )  # fmt: skip
    took = time.perf_counter() - began
    with PictureFile(folder / "out.mp4") as picture:
        off = [
            abs(number_in(pixels_of(frame, facts.width, facts.height)) - round(at * fps) % 65536)
            for at, frame in picture.frames() if at < seconds - 0.2
        ]  # fmt: skip
    sound = read_sound(folder / "out.mp4", lambda opened: np.concatenate(list(opened.blocks)))
    loud = np.flatnonzero(np.abs(sound[:, 0]) > 0.3 * np.abs(sound).max()) / RATE
    heard = [1000 * (loud[np.argmin(np.abs(loud - at))] - at) for at in clicks]
    told = ", ".join(f"{ms:+.2f}" for ms in heard)
    wrong = sum(each > 1 for each in off)
    print(f"{seconds / 60:.0f} min at {fps:.5g} frames a second: {len(off)} frames, {wrong} off by more than one; "
          f"clicks off by {told} ms; {seconds / took:.0f} x real time", flush=True)  # fmt: skip


def _large(folder: Path, size: tuple[int, int]) -> None:
    """How quickly a large picture becomes a small one."""
    path = write_moving(folder / "large.mp4", LARGE_S, fps=25, size=size)
    facts = picture_facts(path)
    assert facts is not None
    began = time.perf_counter()
    make_proxy(path, folder / "small", facts, lambda share: None)
    took = time.perf_counter() - began
    print(f"the small picture of {size[0]} x {size[1]}: {LARGE_S / took:.1f} x real time", flush=True)

"""A small stand-in for a picture: each frame a JPEG of its own, so that any moment of it is there at once."""

import io
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from pampa.core.arrays import array_in
from pampa.core.errors import UnreadableSound
from pampa.core.files.picture import PictureFile, pixels_of
from pampa.core.files.room import require_room
from pampa.core.files.whole import whole_folder
from pampa.core.picture.facts import PictureFacts

HEIGHT, WIDEST = 216, 480
THUMBNAIL = (72, 40)
MOST_FPS = 30
QUALITY = 68
FRAMES, TIMES, ABOUT = "frames.jpg", "times.npy", "about.json"


@dataclass(frozen=True)
class Proxy:
    """A folder that `make_proxy` wrote. times : of each frame, seconds. places : where each lies in the file."""

    folder: Path
    times: NDArray[np.float64]
    places: NDArray[np.int64]

    def second(self, second: int) -> bytes:
        """The frames that begin within one second, and the one before them, which is seen until the first.

        Little-endian: how many, then for each its time (float64) and size (uint32), then the JPEGs.
        """
        first = max(int(np.searchsorted(self.times, second, "left")) - 1, 0)
        last = int(np.searchsorted(self.times, second + 1, "left"))
        sizes = np.diff(self.places)[first:last]
        head = np.zeros(last - first, [("time", "<f8"), ("size", "<u4")])
        head["time"], head["size"] = self.times[first:last], sizes
        return np.uint32(last - first).tobytes() + head.tobytes() + self._bytes(first, last)

    def stills(self, start_s: float, step_s: float, count: int) -> bytes:
        """Thumbnails of what is seen at equal distances, packed as `second` packs frames."""
        packed = [self._thumbnail(start_s + n * step_s) for n in range(count)]
        head = np.zeros(count, [("time", "<f8"), ("size", "<u4")])
        head["time"] = start_s + step_s * np.arange(count)
        head["size"] = [len(each) for each in packed]
        return np.uint32(count).tobytes() + head.tobytes() + b"".join(packed)

    def _thumbnail(self, seconds: float) -> bytes:
        with Image.open(io.BytesIO(self.still(seconds))) as image:
            image.thumbnail(THUMBNAIL)
            packed = io.BytesIO()
            image.save(packed, "JPEG", quality=QUALITY)
        return packed.getvalue()

    def still(self, seconds: float) -> bytes:
        """The JPEG that is seen at a moment."""
        at = max(int(np.searchsorted(self.times, seconds, "right")) - 1, 0)
        return self._bytes(at, at + 1)

    def _bytes(self, first: int, last: int) -> bytes:
        if last <= first:
            return b""
        with (self.folder / FRAMES).open("rb") as file:
            file.seek(int(self.places[first]))
            return file.read(int(self.places[last] - self.places[first]))


def make_proxy(path: Path, folder: Path, facts: PictureFacts, progress: Callable[[float], None]) -> None:
    """Write the stand-in of a file's picture into `folder`, which appears whole or not at all.

    At most 30 frames a second are kept. Where frames cannot be read, the one before stays, and that is noted.
    """
    with whole_folder(folder) as making:
        proxy_into(path, making, facts, progress)


def proxy_into(path: Path, making: Path, facts: PictureFacts, progress: Callable[[float], None]) -> None:
    """The same into an empty folder, which is of no use if this fails."""
    high = min(HEIGHT, facts.height)
    wide = min(max(round(facts.width * high / facts.height / 2) * 2, 2), WIDEST)
    times: list[float] = []
    places = [0]
    with PictureFile(path) as picture:
        with (making / FRAMES).open("wb") as out:
            for seconds, frame in picture.frames():
                if times and seconds - times[-1] < 1 / MOST_FPS - 0.002:
                    continue
                packed = io.BytesIO()
                Image.fromarray(pixels_of(frame, wide, high)).save(packed, "JPEG", quality=QUALITY)
                out.write(packed.getbuffer())
                times.append(seconds)
                places.append(out.tell())
                if len(times) % 50 == 0:
                    require_room(making.parent)
                    progress(min(seconds / max(facts.duration_s, 0.1), 1.0))
        if not times:
            raise UnreadableSound(f"No frame of the picture in {path.name} could be read. Its sound can be used.")
        np.save(making / TIMES, np.array(times))
        np.save(making / "places.npy", np.array(places))
        (making / ABOUT).write_text(json.dumps({**asdict(facts), "broken": picture.broken, "small": [wide, high]}))


@lru_cache(32)
def proxy_in(folder: Path) -> Proxy | None:
    """The stand-in that lies in a folder; None where it was not made, or has gone."""
    try:
        return Proxy(folder, array_in(folder / TIMES), array_in(folder / "places.npy"))
    except (FileNotFoundError, NotADirectoryError):
        return None

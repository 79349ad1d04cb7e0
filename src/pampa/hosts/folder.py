"""A folder of this machine, or one that is mounted here, as a place: whatever serves it serves the show."""

import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from pampa.core.errors import HostError, is_no_room
from pampa.core.files.whole import whole
from pampa.hosts.host import FEED, PIECE, Standing, Told, moved_on, utc_now


class Folder:
    """A place that is a folder. public : the address that it has for everybody else."""

    keeps_back = False

    def __init__(self, folder: Path, public: str) -> None:
        self._folder, self._public = folder, public.rstrip("/")

    def standing(self) -> Standing:
        with self._telling():
            if not self._folder.is_dir():
                raise HostError(f"There is no folder {self._folder}. Make it, or mount it, and try again.")
            path = self._folder / FEED
            if not path.exists():
                return Standing(None, "", (), utc_now())
            feed = path.read_bytes()
            return Standing(feed, hashlib.sha256(feed).hexdigest(), (), utc_now())

    def put(self, path: Path, name: str, told: Told) -> None:
        to = self._folder / name
        size = path.stat().st_size
        with self._telling():
            if to.exists() and to.stat().st_size == size:
                told(size)
                return
            if shutil.disk_usage(self._folder).free < size:
                raise HostError(f"There is no room for {name} in {self._folder}. Nothing was published.")
            with whole(to) as making, path.open("rb") as source, making.open("wb") as target:
                sent = 0
                while piece := source.read(PIECE):
                    target.write(piece)
                    told(sent := sent + len(piece))
            os.chmod(to, 0o644)  # whoever serves the folder must be able to read it

    def put_feed(self, feed: bytes, drafts: tuple[str, ...], before: Standing) -> None:
        moved_on(before, self.standing())
        with self._telling():
            with whole(self._folder / FEED) as making:
                making.write_bytes(feed)
            os.chmod(self._folder / FEED, 0o644)

    def remove(self, name: str) -> None:
        with self._telling():
            (self._folder / name).unlink(missing_ok=True)

    def address(self, name: str) -> str:
        return f"{self._public}/{name}"

    def close(self) -> None:
        """Nothing is held."""

    @contextmanager
    def _telling(self) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            if is_no_room(error):
                raise HostError(f"There is no room in {self._folder}. Nothing was published.") from error
            why = error.strerror or "it refuses"
            raise HostError(f"{self._folder} cannot be used: {why}. Nothing was published.") from error

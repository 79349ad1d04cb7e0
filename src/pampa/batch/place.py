"""Where the data of a batch lies for whoever works on it: on this machine as it is, or in one place that all share."""

import json
import os
import shutil
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from pampa.core.errors import PampaError
from pampa.core.files.content import hash_file


@dataclass(frozen=True)
class Input:
    """A file by the hash of what is in it. path : where it lies on the machine that gives the work out."""

    name: str
    path: str
    content: str


@dataclass(frozen=True)
class Place:
    """address : a folder, or whatever else fsspec can open; inputs are read where they lie if `shared` is False.

    Inputs lie in it by the hash of what is in them, and what was made by the key of its task. It is as small as its
    name, and opened again wherever it is sent.
    """

    address: str
    shared: bool

    def offer(self, path: Path, content: str) -> None:
        """Put an input where the workers find it, once for all tasks and runs."""
        if self.shared and not self._exists(f"content/{content}"):
            self._put(path, f"content/{content}")

    def fetched(self, wanted: Input, into: Path) -> Path:
        """An input under its own name: where it lies, or brought into a folder here."""
        if not self.shared:
            return Path(wanted.path)
        local = into / wanted.name
        self._get(f"content/{wanted.content}", local)
        if hash_file(local) != wanted.content:
            raise PampaError(f"{wanted.name} did not arrive as it was sent. Nothing was made of it. Run it again.")
        return local

    def keep(self, path: Path, key: str) -> None:
        """Put a file that was made beside what else was made by its task."""
        self._put(path, f"made/{key}/{path.name}")

    def take(self, key: str, name: str, to: Path) -> None:
        """Bring a file that was made into its place, whole."""
        making = to.with_name(f".{to.name}.{uuid.uuid4().hex[:8]}.making")
        to.parent.mkdir(parents=True, exist_ok=True)
        try:
            self._get(f"made/{key}/{name}", making)
            making.replace(to)
        finally:
            making.unlink(missing_ok=True)

    def tell(self, key: str, outcome: dict[str, Any]) -> None:
        """Keep what came of a task; written last, so that what it names is there."""
        with self._reachable(), self._written(f"made/{key}/outcome.json") as path:
            path.write_text(json.dumps(outcome))

    def told(self, key: str) -> dict[str, Any] | None:
        """What came of a task that was carried out before, or None."""
        with self._reachable():
            system, root = self._opened()
            try:
                outcome: dict[str, Any] = json.loads(system.cat_file(f"{root}/made/{key}/outcome.json"))
            except (FileNotFoundError, ValueError):
                return None
            return outcome

    def forget(self, key: str) -> None:
        """Let go what was made by a task, once it has been taken."""
        with self._reachable():
            system, root = self._opened()
            if system.exists(f"{root}/made/{key}"):
                system.rm(f"{root}/made/{key}", recursive=True)

    def clear(self) -> None:
        """Let go the inputs that were offered."""
        with self._reachable():
            system, root = self._opened()
            for part in ("content", "made"):
                if system.exists(f"{root}/{part}"):
                    system.rm(f"{root}/{part}", recursive=True)

    def _exists(self, name: str) -> bool:
        with self._reachable():
            system, root = self._opened()
            return bool(system.exists(f"{root}/{name}"))

    def _put(self, path: Path, name: str) -> None:
        with self._reachable(), self._written(name) as making:
            shutil.copyfile(path, making)

    def _get(self, name: str, local: Path) -> None:
        with self._reachable():
            system, root = self._opened()
            system.get_file(f"{root}/{name}", str(local))

    @contextmanager
    def _written(self, name: str) -> Iterator[Path]:
        """A file here that becomes one there, whole or not at all."""
        system, root = self._opened()
        target = PurePosixPath(root) / name
        system.makedirs(str(target.parent), exist_ok=True)
        making = target.with_name(f".{target.name}.{uuid.uuid4().hex[:8]}.making")
        if isinstance(system, Folder):
            try:
                yield Path(making)
                os.replace(making, target)
            finally:
                Path(making).unlink(missing_ok=True)
            return
        with tempfile.TemporaryDirectory() as folder:
            local = Path(folder) / "file"
            yield local
            system.put_file(str(local), str(making))
            system.mv(str(making), str(target))

    def _opened(self) -> tuple[Any, str]:
        if "://" not in self.address:
            return Folder(), self.address
        try:
            from fsspec.core import url_to_fs
        except ImportError:
            raise PampaError(
                f"{self.address} is an address; opening it takes fsspec, which comes with the extra pampa[cluster]. "
                "Nothing was made."
            ) from None
        system, root = url_to_fs(self.address)
        return system, str(root).rstrip("/")

    @contextmanager
    def _reachable(self) -> Iterator[None]:
        try:
            yield
        except PampaError:
            raise
        except (OSError, ValueError, ImportError) as error:
            raise PlaceGone(self.address, str(error)) from error


class PlaceGone(PampaError):
    """The place that all share cannot be reached."""

    def __init__(self, address: str, why: str) -> None:
        super().__init__(
            f"{address}, where the data of the batch lies, cannot be reached ({why}). What was finished stays. "
            "Bring it back, and run the same plan again: it goes on where it stopped."
        )
        self.address, self.why = address, why

    def __reduce__(self) -> tuple[Any, ...]:
        return PlaceGone, (self.address, self.why)


class Folder:
    """A plain folder, with the few calls of fsspec that are needed here: that library is for other addresses."""

    def exists(self, name: str) -> bool:
        return Path(name).exists()

    def makedirs(self, name: str, exist_ok: bool) -> None:
        Path(name).mkdir(parents=True, exist_ok=exist_ok)

    def cat_file(self, name: str) -> bytes:
        return Path(name).read_bytes()

    def get_file(self, name: str, local: str) -> None:
        shutil.copyfile(name, local)

    def rm(self, name: str, recursive: bool) -> None:
        shutil.rmtree(name)

"""The media folder: originals by content hash, never changed; caches that may be deleted at any time."""

import os
import shutil
from pathlib import Path

from pampa.core.errors import NO_ROOM, disk_errors
from pampa.core.faults import fault_point
from pampa.core.files.content import hash_file
from pampa.core.files.room import require_room
from pampa.core.files.whole import MAKING, sync_folder, whole

FOLDERS = ("originals", "uploads", "conformed", "treated", "deliveries", "laid-up")


class Media:
    """Files under one data folder, which is for its owner alone."""

    def __init__(self, root: Path) -> None:
        self.root = root
        root.mkdir(parents=True, exist_ok=True)
        root.chmod(0o700)
        for folder in FOLDERS:
            (root / folder).mkdir(mode=0o700, exist_ok=True)

    def upload(self, upload_id: str) -> Path:
        """Where an upload gathers."""
        return self.root / "uploads" / upload_id

    def original(self, sha256: str, suffix: str) -> Path:
        """Where an original is kept."""
        return original_in(self.root, sha256, suffix)

    def conformed(self, key: str) -> Path:
        return self.root / "conformed" / key

    def treated(self, key: str) -> Path:
        return self.root / "treated" / key

    def delivery(self, episode_id: int, file: str) -> Path:
        folder = self.root / "deliveries" / str(episode_id)
        folder.mkdir(parents=True, exist_ok=True)
        return folder / file

    def append(self, upload_id: str, offset: int, data: bytes) -> None:
        """Write a piece of an upload and sync it. Bytes after `offset` that were never acknowledged go."""
        self.require_room(len(data))
        path = self.upload(upload_id)
        with disk_errors(), path.open("r+b" if path.exists() else "wb") as file:
            file.seek(offset)
            file.truncate()
            file.write(data)
            file.flush()
            os.fsync(file.fileno())

    def keep(self, path: Path, suffix: str) -> str:
        """Have a whole file among the originals too, and return its hash. The same content is kept once.

        `path` stays until `let_go`: until the database knows the original, a stop must find the file there again.
        """
        sha256 = hash_file(path)
        target = self.original(sha256, suffix)
        target.parent.mkdir(parents=True, exist_ok=True)
        if not target.exists():
            with disk_errors():
                _linked(path, target)
            sync_folder(target.parent)
            fault_point("kept")
        return sha256

    def let_go(self, upload_id: str) -> None:
        """What has gathered of an upload is not needed any more."""
        self.upload(upload_id).unlink(missing_ok=True)

    def take_in(self, path: Path) -> tuple[str, str, int]:
        """Copy a file on this machine among the originals: its hash, suffix and size."""
        self.require_room(path.stat().st_size)
        copy = self.root / "uploads" / f"copy{MAKING}-{os.getpid()}-{path.name}"
        try:
            with disk_errors():
                shutil.copyfile(path, copy)
            with copy.open("rb") as file:
                os.fsync(file.fileno())
            suffix = safe_suffix(path.name)
            return self.keep(copy, suffix), suffix, path.stat().st_size
        finally:
            copy.unlink(missing_ok=True)

    def require_room(self, size: int = 0) -> None:
        """Raise DiskFull if `size` more bytes would not leave room for the database to be written."""
        require_room(self.root, size)


def _linked(path: Path, target: Path) -> None:
    """Have a file under a second name; copied where the disk knows no such thing."""
    try:
        os.link(path, target)
    except FileExistsError:
        return  # somebody else has just kept the same content
    except OSError as error:
        if error.errno in NO_ROOM:
            raise
        with whole(target) as making:
            shutil.copyfile(path, making)


def original_in(root: Path, sha256: str, suffix: str) -> Path:
    """Where an original is kept in a data folder, or in a backup of one."""
    return root / "originals" / sha256[:2] / f"{sha256}{suffix}"


def safe_suffix(name: str) -> str:
    """The ending of a file name if it is harmless, else none."""
    suffix = Path(name).suffix.lower()
    return suffix if suffix[1:].isalnum() and suffix.isascii() and len(suffix) <= 6 else ""


def safe_name(name: str) -> str:
    """A name for showing and downloading: no folders, no control characters, at most 120 characters."""
    flat = name.replace("\\", "/").rsplit("/", 1)[-1]
    clean = "".join(c for c in flat if c.isprintable() and c not in '<>:"|?*').strip(" .")
    return clean[:120] or "recording"

"""The media folder: originals by content hash, never changed; caches that may be deleted at any time."""

import hashlib
import os
import shutil
from pathlib import Path

from pampa.core.errors import PampaError

CHUNK = 1 << 20
ROOM = 64 << 20
"""Bytes that must stay free on the disk: the database must always be able to write."""


class DiskFull(PampaError):
    """There is no room for what is to be stored."""

    def __init__(self, needed: int) -> None:
        super().__init__(
            f"The disk is full: {max(needed, 1) / 1e6:,.0f} MB more are needed. Nothing was lost. Make room, and go on."
        )


class Media:
    """Files under one data folder."""

    def __init__(self, root: Path) -> None:
        self.root = root
        for folder in ("originals", "uploads", "conformed", "treated", "deliveries"):
            (root / folder).mkdir(parents=True, exist_ok=True)

    def upload(self, upload_id: str) -> Path:
        """Where an upload gathers."""
        return self.root / "uploads" / upload_id

    def original(self, sha256: str, suffix: str) -> Path:
        """Where an original is kept."""
        return self.root / "originals" / sha256[:2] / f"{sha256}{suffix}"

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
        try:
            with path.open("r+b" if path.exists() else "wb") as file:
                file.seek(offset)
                file.truncate()
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
        except OSError as error:
            if error.errno == 28:
                raise DiskFull(len(data)) from error
            raise

    def keep(self, path: Path, suffix: str) -> str:
        """Move a whole file among the originals and return its hash. The same content is kept once."""
        sha256 = hash_file(path)
        target = self.original(sha256, suffix)
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.exists():
            path.unlink()
        else:
            path.replace(target)
            sync_folder(target.parent)
        return sha256

    def take_in(self, path: Path) -> tuple[str, str, int]:
        """Copy a file on this machine among the originals: its hash, suffix and size."""
        self.require_room(path.stat().st_size)
        copy = self.root / "uploads" / f"copy-{os.getpid()}-{path.name}"
        shutil.copyfile(path, copy)
        with copy.open("rb") as file:
            os.fsync(file.fileno())
        suffix = safe_suffix(path.name)
        return self.keep(copy, suffix), suffix, path.stat().st_size

    def require_room(self, size: int) -> None:
        """Raise DiskFull if `size` more bytes would not leave room."""
        free = shutil.disk_usage(self.root).free
        if free < size + ROOM:
            raise DiskFull(size + ROOM - free)

    def trim_cache(self, most_bytes: int) -> None:
        """Delete the treated sound used longest ago until the rest fits."""
        folders = [folder for folder in (self.root / "treated").iterdir() if folder.is_dir()]
        sizes = {folder: sum(f.stat().st_size for f in folder.iterdir()) for folder in folders}
        total = sum(sizes.values())
        for folder in sorted(folders, key=lambda f: f.stat().st_mtime):
            if total <= most_bytes:
                return
            total -= sizes[folder]
            shutil.rmtree(folder, ignore_errors=True)


def hash_file(path: Path) -> str:
    """SHA-256 of a file's bytes, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def sync_folder(folder: Path) -> None:
    """Make a rename in a folder last through a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def safe_suffix(name: str) -> str:
    """The ending of a file name if it is harmless, else none."""
    suffix = Path(name).suffix.lower()
    return suffix if suffix[1:].isalnum() and len(suffix) <= 6 else ""


def safe_name(name: str) -> str:
    """A name for showing and downloading: no folders, no control characters, at most 120 characters."""
    flat = name.replace("\\", "/").rsplit("/", 1)[-1]
    clean = "".join(c for c in flat if c.isprintable() and c not in '<>:"|?*').strip(" .")
    return clean[:120] or "recording"

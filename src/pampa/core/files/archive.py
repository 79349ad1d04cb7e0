"""One ZIP file that holds an episode whole: written so that it is there whole or not at all, and read with care.

What is in it is told by `episode.json`; every other file is named there with its SHA-256. Nothing is packed again:
sound hardly becomes smaller, and any program can take a file out.
"""

import hashlib
import json
import zipfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from pampa.core.errors import SignalError, disk_errors
from pampa.core.files.whole import whole

MANIFEST = "episode.json"
KIND, VERSION = "laid-up episode", 1
PIECE = 4 << 20
LARGEST_MANIFEST = 256 << 20
Progress = Callable[[str, float], None]


class NoArchive(SignalError):
    """A file is no episode that was laid up, or not whole any more."""

    def __init__(self, name: str, why: str) -> None:
        super().__init__(f"{name} {why}. Nothing was changed; use another copy of it.")


def write_archive(
    path: Path, told: Mapping[str, Any], texts: Mapping[str, str], files: Mapping[str, Path], progress: Progress
) -> None:
    """Write an archive. told : what the manifest says besides the files. texts, files : by their names inside.

    Raises OSError where a file is missing, DiskFull, or what `progress` raises; then nothing is left.
    """
    total = max(sum(file.stat().st_size for file in files.values()), 1)
    done = 0
    with disk_errors(), whole(path) as making, zipfile.ZipFile(making, "w", zipfile.ZIP_STORED, allowZip64=True) as out:
        hashes = {}
        for name, file in files.items():
            digest = hashlib.sha256()
            with file.open("rb") as source, out.open(name, "w", force_zip64=True) as target:
                while piece := source.read(PIECE):
                    digest.update(piece)
                    target.write(piece)
                    done += len(piece)
                    progress(f"Laying up {file.name if len(file.name) < 60 else name}", done / total)
            hashes[name] = digest.hexdigest()
        for name, text in texts.items():
            out.writestr(name, text, zipfile.ZIP_DEFLATED)
            hashes[name] = hashlib.sha256(text.encode()).hexdigest()
        manifest = {"kind": KIND, "version": VERSION, **told, "files": hashes}
        out.writestr(MANIFEST, json.dumps(manifest, ensure_ascii=False, indent=1), zipfile.ZIP_DEFLATED)


@contextmanager
def opened_archive(path: Path) -> Iterator["Archive"]:
    """An archive to read from. Raises NoArchive where it is none, or of a later release."""
    try:
        with zipfile.ZipFile(path) as packed:
            yield Archive(path.name, packed)
    except zipfile.BadZipFile as error:
        raise NoArchive(path.name, "is no archive, or was not copied whole") from error


class Archive:
    """What is in an archive. Names inside are never taken for paths of this machine."""

    def __init__(self, name: str, packed: zipfile.ZipFile) -> None:
        self._name, self._packed = name, packed
        try:
            info = packed.getinfo(MANIFEST)
            if info.file_size > LARGEST_MANIFEST:
                raise NoArchive(name, "is larger than any episode")
            self.told: dict[str, Any] = json.loads(packed.read(MANIFEST))
        except (KeyError, ValueError) as error:
            raise NoArchive(name, "is no episode that Pampa laid up") from error
        if not isinstance(self.told, dict) or self.told.get("kind") != KIND:
            raise NoArchive(name, "is no episode that Pampa laid up")
        if self.told.get("version", 0) > VERSION:
            raise NoArchive(name, "was laid up by a later Pampa; use that one")

    def text(self, name: str) -> str:
        """A small file as text, if it is as it was written."""
        data = self._packed.read(self._known(name))
        if hashlib.sha256(data).hexdigest() != self.told["files"].get(name):
            raise NoArchive(self._name, f"is damaged: {name} is not as it was written")
        return data.decode()

    def copy(self, name: str, target: BinaryIO) -> str:
        """Copy a file out; returns its hash. Raises NoArchive where it is not as it was written."""
        digest = hashlib.sha256()
        try:
            with self._packed.open(self._known(name)) as source:
                while piece := source.read(PIECE):
                    digest.update(piece)
                    target.write(piece)
        except zipfile.BadZipFile as error:
            raise NoArchive(self._name, f"is damaged: {name} is not as it was written") from error
        if digest.hexdigest() != self.told["files"].get(name):
            raise NoArchive(self._name, f"is damaged: {name} is not as it was written")
        return digest.hexdigest()

    def _known(self, name: str) -> str:
        if name not in self.told.get("files", {}) or name not in self._packed.namelist():
            raise NoArchive(self._name, f"is not whole: {name} is not in it")
        return name

    def check(self, progress: Progress) -> None:
        """Read all of it once. Raises NoArchive where anything is missing or not as it was written."""
        names = list(self.told["files"])
        with open("/dev/null", "wb") as nowhere:
            for n, name in enumerate(names):
                progress("Checking the archive", n / max(len(names), 1))
                self.copy(name, nowhere)

"""What the mooring holds: for each show a folder of files, a feed, and which of its episodes are drafts."""

import hashlib
import json
import os
import re
import secrets
import shutil
import threading
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path
from typing import Any

NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,199}")
LARGEST = 8 << 30
STATE = ".state.json"
"""Names that begin with a dot are the mooring's own: no file that is sent can have one."""


class Refused(Exception):
    """Something is not done. status : of HTTP."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status = status


@dataclass(frozen=True)
class Held:
    """How a show stands. mark : of just this state. drafts : guids of episodes that are not public."""

    feed: str
    drafts: tuple[str, ...]
    mark: str


@dataclass(frozen=True)
class Coming:
    """A file on its way in."""

    size: int
    sha256: str
    there: int


class Berths:
    """All shows of a mooring, in one folder. Everything in it is written whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._lock = threading.RLock()
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        token = folder / "token"
        if not token.exists():
            _write(token, secrets.token_urlsafe(24).encode(), private=True)
        self.token = token.read_text().strip()

    def shows(self) -> list[str]:
        return sorted(path.parent.name for path in (self._folder / "shows").glob(f"*/{STATE}"))

    def held(self, show: str) -> Held:
        path = self._show(show) / STATE
        if not path.exists():
            return Held("", (), '"0"')
        data = path.read_bytes()
        told = json.loads(data)
        return Held(told["feed"], tuple(told["drafts"]), f'"{hashlib.sha256(data).hexdigest()[:32]}"')

    def change(self, show: str, feed: str, drafts: list[str], if_match: str) -> Held:
        """Put another feed in the place of the one that stands, if that is still the one that was read."""
        with self._lock:
            if if_match != self.held(show).mark:
                raise Refused(412, "The feed is another one by now.")
            try:
                root = ET.fromstring(feed)
            except ET.ParseError as error:
                raise Refused(409, "that is no well-formed feed.") from error
            if root.find("channel") is None:
                raise Refused(409, "that is no feed of a show.")
            items = root.findall("channel/item")
            for item in items:
                self._check_sound(show, item)
            told = json.dumps({"feed": feed, "drafts": sorted(set(drafts))}, indent=1)
            _write(self._show(show) / STATE, told.encode())
            return self.held(show)

    def public(self, show: str, now: datetime) -> bytes | None:
        """The feed that anybody may read: without drafts, and without what is dated later than now."""
        held = self.held(show)
        if not held.feed:
            return None
        for prefix, _, space in re.findall(r"xmlns:(\w+)=([\"'])(.+?)\2", held.feed):
            if not re.fullmatch(r"ns\d+", prefix):  # those are ElementTree's own
                ET.register_namespace(prefix, space)  # else they would come out with names of their own
        root = ET.fromstring(held.feed)
        channel = root.find("channel")
        assert channel is not None
        for item in channel.findall("item"):
            if item.findtext("guid", "") in held.drafts or _date(item) > now:
                channel.remove(item)
        return bytes(ET.tostring(root, "utf-8", xml_declaration=True)) + b"\n"

    def drafts(self, show: str) -> list[dict[str, str]]:
        """What is there for those who know of it."""
        held = self.held(show)
        items = _items(held.feed) if held.feed else []
        return [
            {"guid": guid, "title": item.findtext("title", ""), "notes": item.findtext("description", ""),
             "url": _url(item)}
            for item in items if (guid := item.findtext("guid", "")) in held.drafts
        ]  # fmt: skip

    # -- files -------------------------------------------------------------------------------------------------

    def begin(self, show: str, name: str, size: int, sha256: str) -> None:
        """Announce a file."""
        folder = self._show(show)
        if size > LARGEST:
            raise Refused(413, "No file may be as large as this.")
        if not re.fullmatch(r"[0-9a-f]{64}", sha256) or size <= 0:
            raise Refused(400, "A file has a size and a SHA-256.")
        if shutil.disk_usage(self._folder).free < size:
            raise Refused(507, "There is no room for it.")
        with self._lock:
            there = self.file(show, name)
            if there is not None and _sha256(there) != sha256:
                raise Refused(409, f"There is another file called {name} already, and links go to it.")
            folder.mkdir(parents=True, exist_ok=True)
            if there is None:
                _coming(folder / name).write_bytes(b"")
                _write(_facts(folder / name), json.dumps({"size": size, "sha256": sha256}).encode())

    def coming(self, show: str, name: str) -> Coming | None:
        """How far a file is; None where nothing is known of it."""
        path = self._show(show) / _named(name)
        if path.exists():
            size = path.stat().st_size
            return Coming(size, "", size)
        if not _facts(path).exists():
            return None
        facts: dict[str, Any] = json.loads(_facts(path).read_text())
        return Coming(facts["size"], facts["sha256"], _coming(path).stat().st_size)

    def take(self, show: str, name: str, at: int, piece: bytes) -> int:
        """Take the next piece of a file; gives how much is there now. The last one makes it whole."""
        with self._lock:
            known = self.coming(show, name)
            if known is None:
                raise Refused(404, "Nothing is known of that file.")
            if at != known.there:
                raise Refused(409, f"{known.there} bytes are there; go on from there.")
            if at + len(piece) > known.size:
                raise Refused(413, "That is more than was announced.")
            path = self._show(show) / name
            if piece:
                with _coming(path).open("ab") as file:
                    file.write(piece)
            if at + len(piece) == known.size and not path.exists():
                self._finish(path, known)
            return at + len(piece)

    def _finish(self, path: Path, known: Coming) -> None:
        right = _sha256(_coming(path)) == known.sha256
        _facts(path).unlink()
        if not right:
            _coming(path).unlink()
            raise Refused(460, "What arrived is not what was announced.")
        _coming(path).replace(path)

    def file(self, show: str, name: str) -> Path | None:
        path = self._show(show) / _named(name)
        return path if path.is_file() else None

    def remove(self, show: str, name: str) -> None:
        with self._lock:
            path = self.file(show, name)
            if path is None:
                raise Refused(404, "There is no such file.")
            if any(_url(item).rpartition("/")[2] == name for item in _items(self.held(show).feed or "<rss/>")):
                raise Refused(409, "An episode in the feed needs it.")
            path.unlink()

    def _check_sound(self, show: str, item: ET.Element) -> None:
        """What the feed promises of a file that lies here is so."""
        found = item.find("enclosure")
        url = _url(item)
        if found is None or f"/{show}/" not in url:
            return  # it lies elsewhere
        path = self.file(show, url.rpartition("/")[2])
        title = item.findtext("title", "")
        if path is None:
            raise Refused(409, f"the sound of “{title}” is not here.")
        if found.get("length") != str(path.stat().st_size):
            raise Refused(409, f"the feed says another size of the sound of “{title}” than it has.")

    def _show(self, show: str) -> Path:
        return self._folder / "shows" / _named(show)


def _named(name: str) -> str:
    if not NAME.fullmatch(name) or ".." in name:
        raise Refused(404, "There is nothing of that name.")
    return name


def _coming(path: Path) -> Path:
    return path.with_name(f".{path.name}.coming")


def _facts(path: Path) -> Path:
    return path.with_name(f".{path.name}.facts")


def _items(feed: str) -> list[ET.Element]:
    return ET.fromstring(feed).findall("channel/item")


def _url(item: ET.Element) -> str:
    found = item.find("enclosure")
    return "" if found is None else found.get("url", "")


def _date(item: ET.Element) -> datetime:
    try:
        found = parsedate_to_datetime(item.findtext("pubDate", ""))
    except (TypeError, ValueError):
        return datetime.min.replace(tzinfo=UTC)
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _write(path: Path, data: bytes, *, private: bool = False) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    making = path.with_name(f".{path.name}.making")
    with os.fdopen(os.open(making, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600 if private else 0o644), "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    making.replace(path)

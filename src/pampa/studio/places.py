"""Where a show is published: a mooring, a folder, or a machine that takes files by SFTP."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal
from urllib.parse import urlsplit

from sqlalchemy import select

from pampa.core.errors import EditRefused, NotFound
from pampa.hosts.folder import Folder
from pampa.hosts.host import Host
from pampa.hosts.moored import Moored
from pampa.hosts.sftp import Login, Sftp, key_of
from pampa.store.database import Sessions
from pampa.store.models import PlaceRow, Show
from pampa.studio.keyring import Keyring
from pampa.studio.sending import plain_name

Kind = Literal["mooring", "folder", "sftp"]
SSH_PORT = 22


@dataclass(frozen=True)
class Details:
    """How a place is reached. address : of a mooring. folder : of this machine, or of the one behind SFTP.

    public : the address that the folder has for everybody else. key, fingerprint : what a machine is known by, in full
    and in the short form that people compare.
    """

    address: str = ""
    show: str = ""
    machine: str = ""
    port: int = SSH_PORT
    user: str = ""
    folder: str = ""
    public: str = ""
    key: str = ""
    fingerprint: str = ""


@dataclass(frozen=True)
class Place:
    """Somewhere a show is published. has_secret : whether its token, password or key is known here."""

    id: int
    show_id: int
    kind: Kind
    name: str
    details: Details = field(default_factory=Details)
    has_secret: bool = False


class Places:
    """The places of all shows."""

    def __init__(self, sessions: Sessions, keyring: Keyring) -> None:
        self._sessions, self._keyring = sessions, keyring

    def of_show(self, show_id: int) -> list[Place]:
        """Where a show is published, in the order in which it was said."""
        with self._sessions() as session:
            rows = session.scalars(select(PlaceRow).where(PlaceRow.show_id == show_id).order_by(PlaceRow.id)).all()
        return [self._told(row) for row in rows]

    def place(self, place_id: int) -> Place:
        with self._sessions() as session:
            row = session.get(PlaceRow, place_id)
        if row is None:
            raise NotFound("There is no such place any more. Choose another one.")
        return self._told(row)

    def make(self, show_id: int, kind: Kind, name: str, secret: str = "", **details: Any) -> Place:
        """Say where a show is published. A machine behind SFTP is asked for what it is known by, and held to it."""
        with self._sessions() as session:
            show = session.get(Show, show_id)
        if show is None:
            raise NotFound("There is no such show.")
        told = _checked(kind, Details(**details), plain_name(show.name))
        with self._sessions.begin() as session:
            row = PlaceRow(
                show_id=show_id, kind=kind, name=name.strip()[:120] or _called(kind, told), details=vars(told)
            )
            session.add(row)
        self._keyring.forget(row.id)  # of an earlier place, whose number may come again
        if secret:
            self._keyring.keep(row.id, secret)
        return self._told(row)

    def change(self, place_id: int, *, name: str | None = None, secret: str | None = None, **details: Any) -> Place:
        """Change what is said of a place; what is None stays as it is."""
        place = self.place(place_id)
        given = {key: value for key, value in details.items() if value is not None}
        told = _checked(place.kind, Details(**{**vars(place.details), **given}), place.details.show)
        with self._sessions.begin() as session:
            row = session.get_one(PlaceRow, place_id)
            row.details = vars(told)
            row.name = (name or "").strip()[:120] or row.name
        if secret is not None:
            self._keyring.keep(place_id, secret)
        return self._told(row)

    def forget(self, place_id: int) -> None:
        """Publish there no more. What lies there stays."""
        with self._sessions.begin() as session:
            row = session.get(PlaceRow, place_id)
            if row is None:
                raise NotFound("There is no such place any more.")
            session.delete(row)
        self._keyring.forget(place_id)

    def host(self, place: Place) -> Host:
        """The place, to be spoken with; whoever asks for it closes it."""
        told, secret = place.details, self._keyring.secret(place.id)
        if place.kind == "folder":
            return Folder(Path(told.folder), told.public)
        if not secret:
            what = "token" if place.kind == "mooring" else "password or key"
            raise EditRefused(f"The {what} of {place.name} is not known here. Set it, and try again.")
        if place.kind == "mooring":
            return Moored(told.address, told.show, secret)
        login = Login(told.machine, told.port, told.user, secret, told.key)
        return Sftp(login, told.folder, told.public)

    def _told(self, row: PlaceRow) -> Place:
        has_secret = row.kind == "folder" or bool(self._keyring.secret(row.id))
        return Place(row.id, row.show_id, row.kind, row.name, Details(**row.details), has_secret)  # type: ignore[arg-type]


def _checked(kind: Kind, told: Details, show: str) -> Details:
    """What is said of a place, if it makes one."""
    changes: dict[str, Any] = {}
    if kind == "mooring":
        changes = {"address": _web(told.address, "The mooring's address"), "show": told.show or show}
    else:
        changes = {"public": _web(told.public, "The address for everybody")}
        if not told.folder.startswith("/"):
            raise EditRefused("The folder is named in full, from / on. Nothing was changed.")
    if kind == "sftp":
        if not told.machine or not told.user:
            raise EditRefused("SFTP needs a machine and a user. Nothing was changed.")
        key, fingerprint = (told.key, told.fingerprint) if told.key else key_of(told.machine, told.port)
        changes |= {"key": key, "fingerprint": fingerprint}
    return Details(**{**vars(told), **changes})


def _web(address: str, what: str) -> str:
    try:
        parts = urlsplit(address.strip())
    except ValueError:
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not parts.hostname or parts.query or parts.fragment:
        raise EditRefused(f"{what} begins with http:// or https:// and names a machine. Nothing was changed.")
    return address.strip().rstrip("/")


def _called(kind: Kind, told: Details) -> str:
    return {"mooring": "Mooring", "folder": told.folder, "sftp": told.machine}[kind]

"""Any machine that takes files by SFTP, as a place: whatever serves its folder there serves the show.

A file grows under a name of its own and gets its name once it is whole, so a cut connection goes on where it was.
Source: the SSH file transfer protocol, version 3, with the extension that renames over what is there.
"""

import asyncio
import hashlib
from collections.abc import Coroutine
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from posixpath import join
from typing import TYPE_CHECKING, Any, TypeVar

from pampa.core.errors import HostError
from pampa.hosts.host import FEED, PIECE, Standing, Told, moved_on, utc_now
from pampa.hosts.loop import Loop

if TYPE_CHECKING:
    import asyncssh

Given = TypeVar("Given")
WAIT_S = 20.0
COMING = ".coming"


@dataclass(frozen=True)
class Login:
    """How to get in. key : what the machine itself has shown to be known by, as in a file of known hosts.

    secret : a password, or a private key as text.
    """

    machine: str
    port: int
    user: str
    secret: str
    key: str


class Sftp:
    """A place behind SFTP. folder : there. public : the address that it has for everybody else."""

    keeps_back = False

    def __init__(self, login: Login, folder: str, public: str) -> None:
        self._login, self._folder, self._public = login, folder, public.rstrip("/")
        self._loop = Loop()
        self._connection: asyncssh.SSHClientConnection | None = None
        self._sftp: asyncssh.SFTPClient | None = None

    def standing(self) -> Standing:
        return self._run(self._standing())

    def put(self, path: Path, name: str, told: Told) -> None:
        self._run(self._put(path, name, told))

    def put_feed(self, feed: bytes, drafts: tuple[str, ...], before: Standing) -> None:
        self._run(self._put_feed(feed, before))

    def remove(self, name: str) -> None:
        self._run(self._remove(name))

    def address(self, name: str) -> str:
        return f"{self._public}/{name}"

    def close(self) -> None:
        self._loop.run(self._end())
        self._loop.close()

    async def _end(self) -> None:
        if self._connection is not None:
            self._connection.abort()
            await self._connection.wait_closed()

    async def _standing(self) -> Standing:
        import asyncssh

        sftp = await self._open()
        if not await sftp.isdir(self._folder):
            told = f"There is no folder {self._folder} on {self._login.machine}. Make it there, and try again."
            raise HostError(told)
        try:
            async with sftp.open(join(self._folder, FEED), "rb") as file:
                feed = await file.read()
                assert isinstance(feed, bytes)
        except asyncssh.SFTPNoSuchFile:
            return Standing(None, "", (), utc_now())
        return Standing(feed, hashlib.sha256(feed).hexdigest(), (), utc_now())

    async def _put(self, path: Path, name: str, told: Told) -> None:
        sftp = await self._open()
        size, there, coming = path.stat().st_size, join(self._folder, name), join(self._folder, name + COMING)
        if await sftp.exists(there) and await sftp.getsize(there) == size:
            told(size)
            return
        sent = await sftp.getsize(coming) if await sftp.exists(coming) else 0
        sent = sent or 0
        if sent > size:
            sent = 0
        with path.open("rb") as source:
            source.seek(sent)
            async with sftp.open(coming, "r+b" if sent else "wb") as target:
                told(sent)
                while piece := source.read(PIECE):
                    await target.write(piece, sent)
                    told(sent := sent + len(piece))
        await sftp.posix_rename(coming, there)

    async def _put_feed(self, feed: bytes, before: Standing) -> None:
        moved_on(before, await self._standing())
        sftp = await self._open()
        coming = join(self._folder, FEED + COMING)
        async with sftp.open(coming, "wb") as file:
            await file.write(feed)
        await sftp.posix_rename(coming, join(self._folder, FEED))

    async def _remove(self, name: str) -> None:
        import asyncssh

        with suppress(asyncssh.SFTPNoSuchFile):
            await (await self._open()).remove(join(self._folder, name))

    async def _open(self) -> "asyncssh.SFTPClient":
        import asyncssh

        if self._sftp is None:
            login = self._login
            if self._connection is not None:
                self._connection.abort()
            secret: dict[str, Any] = {"password": login.secret, "client_keys": None}
            if login.secret.startswith("-----BEGIN"):
                secret = {"client_keys": [asyncssh.import_private_key(login.secret)], "password": None}
            known = asyncssh.import_known_hosts(f"{_named(login)} {login.key}\n")
            self._connection = await asyncssh.connect(
                login.machine, login.port, username=login.user, known_hosts=known, agent_path=None, config=None,
                connect_timeout=WAIT_S, **secret,
            )  # fmt: skip
            self._sftp = await self._connection.start_sftp_client()
        return self._sftp

    def _run(self, work: Coroutine[Any, Any, Given]) -> Given:
        try:
            return self._loop.run(work)
        except Exception as error:
            told = told_of(error, self._login.machine)
            if told is None:
                raise
            self._sftp = None
            raise told from error


def key_of(machine: str, port: int) -> tuple[str, str]:
    """What a machine shows to be known by, and its short form for people to compare."""
    import asyncssh

    async def ask() -> asyncssh.SSHKey | None:
        return await asyncio.wait_for(asyncssh.get_server_host_key(machine, port, config=None), WAIT_S)

    with closing(Loop()) as loop:
        try:
            key = loop.run(ask())
        except Exception as error:
            told = told_of(error, machine)
            if told is None:
                raise
            raise told from error
    if key is None:
        raise HostError(f"{machine} shows nothing by which it could be known again.")
    return key.export_public_key().decode().strip(), key.get_fingerprint()


def told_of(error: Exception, machine: str) -> HostError | None:
    """What went wrong in words; None for what is no fault of the connection."""
    import asyncssh

    match error:
        case asyncssh.HostKeyNotVerifiable():
            return HostError(
                f"{machine} is not the machine that it was: it shows another key. Nothing was sent. If it was set up "
                "anew, make this place again."
            )
        case asyncssh.PermissionDenied():
            return HostError(f"{machine} does not let this user in with this secret. Nothing was published.")
        case asyncssh.KeyImportError():
            return HostError("The private key cannot be read; one without a passphrase is needed.")
        case asyncssh.SFTPPermissionDenied():
            return HostError(f"{machine} does not let this user write there. Nothing was published.")
        case asyncssh.SFTPNoSpaceOnFilesystem() | asyncssh.SFTPQuotaExceeded():
            return HostError(f"There is no room left on {machine}. Nothing was published.")
        case asyncssh.SFTPConnectionLost() | asyncssh.ConnectionLost() | asyncssh.DisconnectError():
            return HostError(f"The connection to {machine} was cut.", again=True)
        case asyncssh.SFTPError():
            return HostError(f"{machine} refuses: {error.reason}. Nothing was published.")
        case TimeoutError():
            return HostError(f"{machine} did not answer within {WAIT_S:.0f} s.", again=True)
        case OSError():
            return HostError(f"{machine} cannot be reached: {error.strerror or error}.", again=True)
    return None


def _named(login: Login) -> str:
    return login.machine if login.port == 22 else f"[{login.machine}]:{login.port}"

"""`pampa serve` and `pampa demo`: the application on a port of this machine."""

import fcntl
import os
import shutil
import socket
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from functools import partial
from getpass import getpass
from pathlib import Path
from threading import Timer
from urllib.parse import urlsplit

import uvicorn
from rich.console import Console

from pampa.core.errors import PampaError
from pampa.mooring.serving import serve_beside, server_of, token_of
from pampa.studio.settings import Settings
from pampa.studio.studio import FOLDERS, IN_USE, InUse, Studio
from pampa.web.app import create_app
from pampa.web.patience import Patience
from pampa.web.security import is_loopback

console = Console(highlight=False)
TRIES = 50
WARM_AFTER_S = 2.0
SAMPLE_SHOW = 1
MADE = "made"
"""In a data folder of the sample: it is whole."""
MOORING, MOORING_PORT = "mooring", 8500
OURS = {MADE, "sample", "pampa.db", "pampa.db-wal", "pampa.db-shm", IN_USE, "copies", "secrets.json", MOORING, *FOLDERS}
"""What a data folder of the sample holds; one with anything else is somebody's own."""


def serve_demo(data: Path, port: int, *, fresh: bool) -> None:
    """Serve the sample, making it first where it is not there yet."""
    if fresh or not (data / MADE).exists():
        _make_demo(data)
    settings = Settings(data=data, port=_free_port("127.0.0.1", port))
    _serve(settings, tell="Slack Water, episode 12, is ready", before=partial(_moor, data))


def serve_mooring(data: Path, port: int) -> None:
    """Serve a mooring by itself, and tell what Pampa must know of it."""
    os.umask(0o077)
    port = _free_port("127.0.0.1", port)
    console.print(f"A mooring: [bold]http://127.0.0.1:{port}[/bold]   (Ctrl+C stops)\nIts token: {token_of(data)}")
    server_of(data, "127.0.0.1", port).run()


def _moor(data: Path, studio: Studio) -> None:
    """A mooring beside the sample, where its show can be published at once."""
    folder = data / MOORING
    known = next((place for place in studio.places.of_show(SAMPLE_SHOW) if place.kind == "mooring"), None)
    first = urlsplit(known.details.address).port if known else None  # what was published there keeps its address
    port = _free_port("127.0.0.1", first or MOORING_PORT)
    serve_beside(folder, "127.0.0.1", port)
    address, token = f"http://127.0.0.1:{port}", token_of(folder)
    if known is None:
        studio.places.make(SAMPLE_SHOW, "mooring", "The mooring", token, address=address)
    else:
        studio.places.change(known.id, secret=token, address=address)
    console.print(f"Its mooring, a stand-in for a host: {address}/")


def serve_studio(data: Path, host: str, port: int, *, names: Sequence[str] = (), behind_tls: bool = False,
                 scheduler: str = "") -> None:  # fmt: skip
    """Serve a person's own shows. names : by which it may be called too, as by a proxy."""
    settings = Settings(
        data=data.resolve() if scheduler else data, host=host, port=_free_port(host, port), behind_tls=behind_tls,
        scheduler=scheduler,
    )  # fmt: skip
    settings.names += names
    _serve(settings, tell="Ready")


def set_password(data: Path) -> None:
    """Ask twice and keep the hash."""
    studio = Studio(Settings(data=data))
    try:
        first, second = getpass("New password: "), getpass("Once more: ")
        if first != second:
            raise PampaError("The two were not the same. The old password is still in force.")
        studio.access.set_password(first)
        console.print("The password is set.")
    finally:
        studio.close()


def _make_demo(data: Path) -> None:
    """Make the sample beside its place, and put it there when it is whole: a stop leaves what was there before."""
    from pampa.demo.assemble import assemble
    from pampa.demo.build import build

    os.umask(0o077)
    if data.exists() and not {path.name for path in data.iterdir()} <= OURS:
        raise PampaError(f"{data} holds other things. Nothing was changed; choose another --data folder.")
    making, old = data.with_name(f".{data.name}.making"), data.with_name(f".{data.name}.old")
    with _alone(data), console.status("Assembling the recordings (about half a minute)") as status:
        for left in (making, old):
            shutil.rmtree(left, ignore_errors=True)
        truth = assemble(making / "sample")
        studio = Studio(Settings(data=making))
        try:
            build(studio, making / "sample", truth, lambda text: status.update(text))
        finally:
            studio.close()
        (making / MADE).write_text("The sample was assembled whole.\n")
        if data.exists():
            data.rename(old)
        making.rename(data)
        shutil.rmtree(old, ignore_errors=True)


@contextmanager
def _alone(data: Path) -> Iterator[None]:
    """Hold the place of a data folder, and make sure that no Pampa works in it."""
    data.parent.mkdir(parents=True, exist_ok=True)
    holds = [data.with_name(f".{data.name}.lock")]
    if data.exists():
        holds.append(data / IN_USE)
    with ExitStack() as held:
        for path in holds:
            file = held.enter_context(path.open("w"))
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                raise InUse(data) from error
        yield


def _serve(settings: Settings, *, tell: str, before: Callable[[Studio], None] = lambda studio: None) -> None:
    os.umask(0o077)  # what is kept is for its owner alone
    studio = Studio(settings)
    if not is_loopback(settings.host) and not studio.access.has_password:
        studio.close()
        raise PampaError(
            f"Listening on {settings.host} would let everybody on the network in, and no password is set. "
            f"Set one first: ./pampa password --data {settings.data}"
        )
    before(studio)
    config = uvicorn.Config(
        create_app(studio), host=settings.host, port=settings.port, log_level="warning", access_log=False,
        timeout_graceful_shutdown=1, http=Patience, proxy_headers=settings.behind_tls,
    )  # fmt: skip
    console.print(f"{tell}: [bold]http://{settings.host}:{settings.port}/[/bold]   (Ctrl+C stops)")
    warming = Timer(WARM_AFTER_S, _warm_up)
    warming.daemon = True
    warming.start()
    uvicorn.Server(config).run()


def _warm_up() -> None:
    """Have ready what only computing needs, once the first page is out, so that the first sound is not late."""
    from pampa.cli.warming import warm_up

    warm_up()


def _free_port(host: str, first: int) -> int:
    for port in range(first, min(first + TRIES, 65536)):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return port
    raise PampaError(f"No free port between {first} and {first + TRIES - 1}. Close another program, or name a --port.")

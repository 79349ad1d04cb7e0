"""`pampa serve` and `pampa demo`: the application on a port of this machine."""

import shutil
import socket
from getpass import getpass
from pathlib import Path
from threading import Timer

import uvicorn
from rich.console import Console

from pampa.core.errors import PampaError
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from pampa.web.app import create_app
from pampa.web.security import is_loopback

console = Console(highlight=False)
TRIES = 50
WARM_AFTER_S = 2.0


def serve_demo(data: Path, port: int, *, fresh: bool) -> None:
    """Serve the sample, making it first where it is not there yet."""
    made = data / "made"
    if fresh or not made.exists():
        _make_demo(data)
        made.write_text("The sample was assembled whole.\n")
    _serve(Settings(data=data, port=_free_port("127.0.0.1", port)), tell="Slack Water, episode 12, is ready")


def serve_studio(data: Path, host: str, port: int) -> None:
    """Serve a person's own shows."""
    _serve(Settings(data=data, host=host, port=_free_port(host, port)), tell="Ready")


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
    from pampa.demo.assemble import assemble
    from pampa.demo.build import build

    if data.exists():
        if not (data / "pampa.db").exists() and any(data.iterdir()):
            raise PampaError(f"{data} holds other things. Nothing was changed; choose another --data folder.")
        shutil.rmtree(data)
    with console.status("Assembling the recordings (about half a minute)") as status:
        truth = assemble(data / "sample")
        studio = Studio(Settings(data=data))
        try:
            build(studio, data / "sample", truth, lambda text: status.update(text))
        finally:
            studio.close()


def _serve(settings: Settings, *, tell: str) -> None:
    studio = Studio(settings)
    if not is_loopback(settings.host) and not studio.access.has_password:
        studio.close()
        raise PampaError(
            f"Listening on {settings.host} would let everybody on the network in, and no password is set. "
            f"Set one first: ./pampa password --data {settings.data}"
        )
    config = uvicorn.Config(
        create_app(studio), host=settings.host, port=settings.port, log_level="warning", access_log=False,
        timeout_graceful_shutdown=1,
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

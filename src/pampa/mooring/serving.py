"""A mooring that listens, by itself or beside the studio."""

import threading
from pathlib import Path

import uvicorn

from pampa.mooring.app import create_mooring
from pampa.mooring.berths import Berths


def token_of(folder: Path) -> str:
    """The token of the mooring in a folder, which is made where there is none yet."""
    return Berths(folder).token


def server_of(folder: Path, host: str, port: int) -> uvicorn.Server:
    """A server for the mooring in a folder, not yet running."""
    config = uvicorn.Config(create_mooring(folder), host=host, port=port, log_level="warning", access_log=False,
                            date_header=False, timeout_graceful_shutdown=1)  # fmt: skip
    return uvicorn.Server(config)


def serve_beside(folder: Path, host: str, port: int) -> uvicorn.Server:
    """Let a mooring listen while something else runs; it ends with the program, or when `should_exit` is set."""
    server = server_of(folder, host, port)
    threading.Thread(target=server.run, name="mooring", daemon=True).start()
    return server

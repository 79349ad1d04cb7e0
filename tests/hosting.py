"""Places to publish to, for tests: a mooring that listens, and a machine that takes files by SFTP."""

import asyncio
import socket
import threading
import time
from contextlib import contextmanager

import asyncssh
import httpx

from pampa.mooring.serving import serve_beside, token_of


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class Mooring:
    """A mooring in a folder, as it listens."""

    def __init__(self, folder, port):
        self.folder, self.port, self.token = folder, port, token_of(folder)
        self.address = f"http://127.0.0.1:{port}"
        self._server = serve_beside(folder, "127.0.0.1", port)
        while not self._server.started:
            time.sleep(0.01)

    def get(self, path, **more):
        return httpx.get(self.address + path, trust_env=False, **more)

    def mood(self, **changes):
        headers = {"Authorization": f"Bearer {self.token}"}
        assert httpx.put(f"{self.address}/api/mood", json=changes, headers=headers, trust_env=False).is_success

    def stop(self):
        self._server.should_exit = True


@contextmanager
def mooring(folder):
    served = Mooring(folder, free_port())
    try:
        yield served
    finally:
        served.stop()


class Insider(asyncssh.SSHServer):
    """Lets one user in, by one password."""

    def begin_auth(self, username):
        return True

    def password_auth_supported(self):
        return True

    def validate_password(self, username, password):
        return (username, password) == ("nola", "ebb and flow")


class Ssh:
    """An SSH server over a folder, in a thread with a loop of its own."""

    def __init__(self, folder, port=None, key=None):
        self.folder, self.port = folder, port or free_port()
        self.key = key or asyncssh.generate_private_key("ssh-ed25519")
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        assert self._ready.wait(20)

    def _run(self):
        async def listen():
            self._listener = await asyncssh.create_server(
                Insider, "127.0.0.1", self.port, server_host_keys=[self.key],
                sftp_factory=lambda channel: asyncssh.SFTPServer(channel, chroot=str(self.folder)),
            )  # fmt: skip
            self._ready.set()

        self._loop.run_until_complete(listen())
        self._loop.run_forever()

    def stop(self):
        self._loop.call_soon_threadsafe(self._listener.close)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(10)


@contextmanager
def ssh(folder, **more):
    served = Ssh(folder, **more)
    try:
        yield served
    finally:
        served.stop()

"""Who may come in: the studio's password, how often it may be guessed, and the key that signs cookies."""

import ipaddress
import secrets
import threading
import time
from dataclasses import dataclass

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from cachetools import LRUCache

from pampa.core.errors import PampaError
from pampa.store.database import Sessions
from pampa.store.models import Setting

PASSWORD, KEY = "password", "cookie key"
SHORTEST = 8
FREE_GUESSES = 5
FIRST_WAIT_S, LONGEST_WAIT_S = 30.0, 3600.0
"""After some wrong guesses from one place it waits, twice as long each time."""
PLACES_KEPT = 1000
PATIENCE_S = 5.0


class WeakPassword(PampaError):
    """A password that is too short."""

    def __init__(self) -> None:
        super().__init__(f"A password needs at least {SHORTEST} characters. The old one is still in force.")


class TooManyGuesses(PampaError):
    """The password was wrong too often, or too many try at once."""

    def __init__(self, wait_s: float) -> None:
        self.wait_s = max(round(wait_s), 1)
        super().__init__(f"The password was wrong too often. Nothing was changed. Try again in {self.wait_s} s.")


@dataclass
class _Guesses:
    wrong: int = 0
    until: float = 0.0


class Access:
    """The password is kept as an argon2 hash; without one, only this machine is listened to."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self._hasher = PasswordHasher()
        self._one_at_a_time = threading.Lock()
        self._guesses: LRUCache[str, _Guesses] = LRUCache(PLACES_KEPT)
        # Only this process changes it: another Pampa cannot work in the same folder.
        self._password = self._read(PASSWORD)

    @property
    def has_password(self) -> bool:
        return self._password is not None

    def set_password(self, password: str) -> None:
        """Set the password; everybody who is signed in must sign in again."""
        if len(password) < SHORTEST:
            raise WeakPassword
        self._password = self._hasher.hash(password)
        self._write(PASSWORD, self._password)
        self._write(KEY, secrets.token_hex(32))

    def is_right(self, password: str, *, place: str = "") -> bool:
        """Whether it is the password. Raises TooManyGuesses after some wrong ones from one `place`, an address.

        One is looked at at a time: argon2 takes 64 MB for each, by design.
        """
        if not self._one_at_a_time.acquire(timeout=PATIENCE_S):
            raise TooManyGuesses(PATIENCE_S)
        try:
            guesses = self._guesses_from(place)
            if (left := guesses.until - time.monotonic()) > 0:
                raise TooManyGuesses(left)
            if self._verified(password):
                guesses.wrong = 0
                return True
            guesses.wrong += 1
            if (over := guesses.wrong - FREE_GUESSES) >= 0:
                guesses.until = time.monotonic() + min(FIRST_WAIT_S * 2**over, LONGEST_WAIT_S)
            return False
        finally:
            self._one_at_a_time.release()

    def _verified(self, password: str) -> bool:
        try:
            return self._password is not None and self._hasher.verify(self._password, password)
        except Argon2Error:
            return False

    def _guesses_from(self, place: str) -> _Guesses:
        return self._guesses.setdefault(_network(place), _Guesses())

    def cookie_key(self) -> str:
        """The key that signs session cookies, made at first use."""
        key = self._read(KEY)
        if key is None:
            key = secrets.token_hex(32)
            self._write(KEY, key)
        return key

    def _read(self, key: str) -> str | None:
        with self._sessions() as session:
            setting = session.get(Setting, key)
            return setting.value if setting else None

    def _write(self, key: str, value: str) -> None:
        with self._sessions.begin() as session:
            session.merge(Setting(key=key, value=value))


def _network(place: str) -> str:
    """An address, or what one customer has of the newer ones: 2^64 of them."""
    try:
        address = ipaddress.ip_address(place)
    except ValueError:
        return place
    return str(ipaddress.ip_network(f"{address}/64", strict=False)) if address.version == 6 else place

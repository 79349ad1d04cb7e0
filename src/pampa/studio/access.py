"""Who may come in: the studio's password and the key that signs cookies."""

import secrets

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error

from pampa.core.errors import PampaError
from pampa.store.database import Sessions
from pampa.store.models import Setting

PASSWORD, KEY = "password", "cookie key"
SHORTEST = 8


class WeakPassword(PampaError):
    """A password that is too short."""

    def __init__(self) -> None:
        super().__init__(f"A password needs at least {SHORTEST} characters. The old one is still in force.")


class Access:
    """The password is kept as an argon2 hash; without one, only this machine is listened to."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self._hasher = PasswordHasher()

    @property
    def has_password(self) -> bool:
        return self._read(PASSWORD) is not None

    def set_password(self, password: str) -> None:
        """Set the password; everybody who is signed in must sign in again."""
        if len(password) < SHORTEST:
            raise WeakPassword
        self._write(PASSWORD, self._hasher.hash(password))
        self._write(KEY, secrets.token_hex(32))

    def is_right(self, password: str) -> bool:
        kept = self._read(PASSWORD)
        try:
            return kept is not None and self._hasher.verify(kept, password)
        except Argon2Error:
            return False

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

"""Secrets: tokens and passwords of places, in a file that only its owner can read; never in the database or on a page.

One that stands in the environment, as PAMPA_SECRET_3 for place 3, comes before one in the file.
"""

import json
import os
import threading
from pathlib import Path

from pampa.core.errors import PampaError, disk_errors
from pampa.core.files.whole import whole

FILE = "secrets.json"
VARIABLE = "PAMPA_SECRET_{}"


class Keyring:
    """The secrets of one data folder. They are no part of a backup: a place asks for its secret again after one."""

    def __init__(self, data: Path) -> None:
        self._path = data / FILE
        self._lock = threading.Lock()

    def secret(self, place_id: int) -> str | None:
        """The secret of a place; None where there is none."""
        told = os.environ.get(VARIABLE.format(place_id))
        return told if told else self._read().get(str(place_id))

    def keep(self, place_id: int, secret: str) -> None:
        """Keep the secret of a place, in the place of an earlier one."""
        with self._lock:
            self._write({**self._read(), str(place_id): secret})

    def forget(self, place_id: int) -> None:
        """Let a secret go."""
        with self._lock:
            known = self._read()
            if known.pop(str(place_id), None) is not None:
                self._write(known)

    def _read(self) -> dict[str, str]:
        if not self._path.exists():
            return {}
        try:
            return dict(json.loads(self._path.read_text()))
        except (OSError, ValueError) as error:
            raise PampaError(
                f"{self._path} cannot be read. Nothing was lost; set the secrets of the places again, or mend the file."
            ) from error

    def _write(self, known: dict[str, str]) -> None:
        with disk_errors(), whole(self._path) as making:
            making.touch(mode=0o600)
            making.write_text(json.dumps(known))

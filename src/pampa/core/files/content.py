"""Files by what is in them: the same content has the same name wherever it lies."""

import hashlib
from pathlib import Path


def hash_file(path: Path) -> str:
    """SHA-256 of a file's bytes, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()

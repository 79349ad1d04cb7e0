"""Fonts, styles and scripts under an address that holds their content: a browser keeps them for ever, and asks for the
new ones as soon as anything in them has changed."""

import hashlib
import os
from functools import cache
from pathlib import Path
from typing import Any

from fastapi.staticfiles import StaticFiles
from starlette.responses import Response

STATIC = Path(__file__).parent / "static"
FOR_EVER = "public, max-age=31536000, immutable"


@cache
def version() -> str:
    """A name for all static files as they are now."""
    told = hashlib.sha256()
    for path in sorted(path for path in STATIC.rglob("*") if path.is_file()):
        told.update(f"{path.relative_to(STATIC)}\0".encode())
        told.update(path.read_bytes())
    return told.hexdigest()[:12]


def address() -> str:
    """Where the static files are found."""
    return f"/static/{version()}"


class KeptForEver(StaticFiles):
    """Files whose address changes when they do."""

    def file_response(self, full_path: Any, stat_result: os.stat_result, *more: Any, **named: Any) -> Response:
        response = super().file_response(full_path, stat_result, *more, **named)
        response.headers["Cache-Control"] = FOR_EVER
        return response

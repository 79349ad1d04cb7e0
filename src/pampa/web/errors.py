"""One table from kinds of error to statuses; every error has the same shape."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from starlette.exceptions import HTTPException

from pampa.core.errors import (
    DiskFull,
    EditRefused,
    HostError,
    NotFound,
    PampaError,
    SignalError,
    UnreadableSound,
    is_no_room,
)
from pampa.studio.access import TooManyGuesses, WeakPassword
from pampa.studio.editing import RevisionConflict
from pampa.studio.uploads import UploadOutOfStep
from pampa.web.pages import page

UNFORESEEN = "Something failed inside Pampa. Nothing was lost. Try again; the log says more."

log = logging.getLogger(__name__)

STATUS: dict[type[PampaError], int] = {
    NotFound: 404,
    RevisionConflict: 409,
    UploadOutOfStep: 409,
    EditRefused: 422,
    SignalError: 422,
    UnreadableSound: 422,
    WeakPassword: 422,
    HostError: 502,
    TooManyGuesses: 429,
    DiskFull: 507,
}


def install(app: FastAPI) -> None:
    """Make the application answer errors."""
    app.add_exception_handler(PampaError, _told)
    app.add_exception_handler(RequestValidationError, _unclear)
    app.add_exception_handler(HTTPException, _plain)
    app.add_exception_handler(OverflowError, _too_large)
    app.add_exception_handler(OSError, _disk)
    app.add_exception_handler(Exception, _unforeseen)


async def _told(request: Request, error: Exception) -> Response:
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 500)
    return _answer(request, status, type(error).__name__, str(error), received=getattr(error, "received", None))


async def _unclear(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query"))
    return _answer(request, 422, "Unclear", f"{where or 'The request'}: {first['msg']}. Nothing was changed.")


async def _plain(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    message = "There is nothing at this address." if error.status_code == 404 else str(error.detail)
    return _answer(request, error.status_code, "NotFound" if error.status_code == 404 else "Refused", message)


async def _too_large(request: Request, error: Exception) -> Response:
    return _answer(request, 422, "Unclear", "A number in the request is larger than any here. Nothing was changed.")


async def _disk(request: Request, error: Exception) -> Response:
    """A full disk, told as such wherever it shows itself; any other trouble of the system is unforeseen."""
    assert isinstance(error, OSError)
    return await (_told(request, DiskFull()) if is_no_room(error) else _unforeseen(request, error))


async def _unforeseen(request: Request, error: Exception) -> Response:
    log.exception("request %s failed", request.url.path, exc_info=error)
    return _answer(request, 500, "Unforeseen", UNFORESEEN)


def _answer(request: Request, status: int, kind: str, message: str, received: int | None = None) -> Response:
    if not request.url.path.startswith("/api/") and "text/html" in request.headers.get("accept", ""):
        return HTMLResponse(page(request, "error.html", message=message).body, status)
    body: dict[str, object] = {"kind": kind, "message": message}
    if received is not None:
        body["received"] = received
    return JSONResponse({"error": body}, status)

"""Who is let in: Host and Origin checks, a token against forged requests, the sign-in, and what pages may load."""

import ipaddress
import secrets

from fastapi import Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from pampa.studio.studio import Studio

SAFE = ("GET", "HEAD", "OPTIONS")
OPEN_PATHS = ("/sign-in", "/static/")
TOKEN_HEADER = "x-pampa-token"
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; media-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def is_loopback(host: str) -> bool:
    """Whether a host name or address means this machine alone."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def token_of(request: Request) -> str:
    """The token that this session's pages send with every change."""
    if "token" not in request.session:
        request.session["token"] = secrets.token_urlsafe(24)
    return str(request.session["token"])


class Guard:
    """The checks before every request, and the headers after it."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.app(scope, receive, send)
        request = Request(scope)

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if not request.url.path.startswith("/static/"):
                    headers.setdefault("Cache-Control", "no-store")
            await send(message)

        await (_refusal(request) or self.app)(scope, receive, with_headers)


def _refusal(request: Request) -> Response | None:
    studio: Studio = request.app.state.studio
    if not _known_host(request, studio):
        return _no(400, "UnknownHost", "Pampa does not know this name. Open it by the address that it printed.")
    origin = request.headers.get("origin")
    if request.method not in SAFE:
        if origin and origin.split("://")[-1] != request.headers.get("host"):
            return _no(403, "OtherOrigin", "The request came from another page than Pampa's own. Nothing was changed.")
        expected = request.session.get("token", "")
        given = request.headers.get(TOKEN_HEADER, "")
        if request.url.path != "/sign-in" and not (expected and secrets.compare_digest(given, expected)):
            return _no(403, "NoToken", "This page is older than the running Pampa. Nothing was lost. Reload it.")
    if studio.access.has_password and not request.session.get("in") and not request.url.path.startswith(OPEN_PATHS):
        if request.url.path.startswith("/api/"):
            return _no(401, "SignedOut", "You are signed out. Nothing was lost. Sign in again.")
        return RedirectResponse("/sign-in", 303)
    return None


def _known_host(request: Request, studio: Studio) -> bool:
    name = request.url.hostname or ""
    if is_loopback(name) or name == studio.settings.host:
        return True
    # Behind a password, addresses are fine: only names can be pointed here by somebody else.
    try:
        ipaddress.ip_address(name)
        return studio.access.has_password
    except ValueError:
        return name in studio.settings.names and studio.access.has_password


def _no(status: int, kind: str, message: str) -> Response:
    return JSONResponse({"error": {"kind": kind, "message": message}}, status)

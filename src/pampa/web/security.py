"""Who is let in: Host and Origin checks, a token against forged requests, the sign-in, and what pages may load."""

import ipaddress
import re
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
    "Cross-Origin-Resource-Policy": "same-origin",
}
LOOPBACK = ("127.0.0.1", "localhost", "[::1]")
HOST = re.compile(r"(?P<name>[a-z0-9.-]{1,253}|\[[0-9a-f:.]{2,45}\])(?::\d{1,5})?")
"""A name or address and a port, in small letters, and nothing else (RFC 9110, section 7.2)."""


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


def same_token(given: str, expected: str) -> bool:
    """Whether a token is the expected one, told in a time that does not tell how much of it is right."""
    return bool(expected) and secrets.compare_digest(given.encode(), expected.encode())


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
                if not scope["path"].startswith("/static/"):
                    headers.setdefault("Cache-Control", "no-store")
            await send(message)

        await (_refusal(request) or self.app)(scope, receive, with_headers)


def _refusal(request: Request) -> Response | None:
    studio: Studio = request.app.state.studio
    path = request.scope["path"]
    host = _host(request, studio)
    if host is None:
        return _no(400, "UnknownHost", "Pampa does not know this name. Open it by the address that it printed.")
    if _from_elsewhere(request, path):
        return _no(403, "OtherSite", "Another page asked for this. Nothing was changed. Open Pampa by itself.")
    if request.method not in SAFE:
        origin = request.headers.get("origin")
        if origin and origin.split("://")[-1].lower() != host:
            return _no(403, "OtherOrigin", "The request came from another page than Pampa's own. Nothing was changed.")
        given = request.headers.get(TOKEN_HEADER, "")
        if path != "/sign-in" and not same_token(given, request.session.get("token", "")):
            return _no(403, "NoToken", "This page is older than the running Pampa. Nothing was lost. Reload it.")
    if studio.access.has_password and not request.session.get("in") and not path.startswith(OPEN_PATHS):
        if path.startswith("/api/"):
            return _no(401, "SignedOut", "You are signed out. Nothing was lost. Sign in again.")
        return RedirectResponse("/sign-in", 303)
    return None


def _host(request: Request, studio: Studio) -> str | None:
    """The Host header as it was sent, if Pampa answers to it; None for any other, for none, and for several.

    It is compared as it is: what only looks like an address is completed from elsewhere by whoever parses it.
    """
    sent = [value for name, value in request.scope["headers"] if name == b"host"]
    if len(sent) != 1:
        return None
    host = sent[0].decode("latin-1").lower()
    form = HOST.fullmatch(host)
    if form is None:
        return None
    name = form["name"]
    if name in (*LOOPBACK, studio.settings.host.lower(), f"[{studio.settings.host.lower()}]"):
        return host
    if not studio.access.has_password:
        return None
    # Behind a password, addresses are fine: only names can be pointed here by somebody else.
    return host if _is_address(name) or name in [known.lower() for known in studio.settings.names] else None


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True


def _from_elsewhere(request: Request, path: str) -> bool:
    """Whether a page of another site asks, so that it can neither play deliveries nor have heavy work done.

    Following a link to a page of ours is fine. Browsers tell (Fetch Metadata, W3C); other programs need not.
    """
    site = request.headers.get("sec-fetch-site", "none")
    if site in ("none", "same-origin"):
        return False
    goes_to_a_page = request.headers.get("sec-fetch-mode") == "navigate" and not path.startswith("/api/")
    return not (goes_to_a_page and request.method in SAFE and request.headers.get("sec-fetch-dest") == "document")


def _no(status: int, kind: str, message: str) -> Response:
    return JSONResponse({"error": {"kind": kind, "message": message}}, status)

"""How much may be sent in one request: looked at before it is read, and counted while it is."""

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LARGEST_PIECE = 32 << 20
"""Of an upload: it is held in memory until it is on disk."""
LARGEST_FILE, LARGEST = 40 << 20, 8 << 20
"""Of a cut or of markers, which are small files; and of everything else."""


def largest_body(method: str, path: str) -> int:
    """How many bytes a request may carry."""
    if path == "/api/artworks":
        return LARGEST_PIECE
    if method == "PUT" and path.startswith(("/api/uploads/", "/api/laid-up/")):
        return LARGEST_PIECE
    return LARGEST_FILE if path.endswith(("/cut", "/markers")) else LARGEST


class Bounds:
    """Refuses a body that is larger than its path has any use for."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.app(scope, receive, send)
        most = largest_body(scope["method"], scope["path"])
        told = f"At most {most >> 20} MB are taken at once. Nothing was changed. Send less, or in pieces."
        announced = Headers(scope=scope).get("content-length", "")
        if announced.isdigit() and int(announced) > most:
            refusal = JSONResponse(
                {"error": {"kind": "TooLarge", "message": told}}, 413, headers={"Connection": "close"}
            )
            return await refusal(scope, receive, send)
        arrived = 0

        async def counted() -> Message:
            nonlocal arrived
            message = await receive()
            arrived += len(message.get("body", b""))
            if arrived > most:
                raise HTTPException(413, told)
            return message

        await self.app(scope, counted, send)

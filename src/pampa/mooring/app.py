"""The mooring over HTTP: files by the open protocol tus 1.0.0, a show's state in one request, what anybody reads."""

import base64
import hmac
from html import escape
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, FastAPI, Header, HTTPException, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.types import ASGIApp

from pampa.mooring.berths import Berths, Refused
from pampa.mooring.mood import Moody

TUS = {"Tus-Resumable": "1.0.0", "Tus-Version": "1.0.0", "Tus-Extension": "creation,termination"}
LARGEST_PIECE = 64 << 20
FOR_EVER = {"Cache-Control": "public, max-age=31536000, immutable"}


class State(BaseModel):
    """A show as it is to stand. drafts : guids of episodes in the feed that are not public."""

    model_config = ConfigDict(extra="forbid")
    feed: str = Field(max_length=20_000_000)
    drafts: list[str] = Field(default=[], max_length=10_000)


class MoodSchema(BaseModel):
    """What is to go wrong from now on; what is left out stays as it is."""

    model_config = ConfigDict(extra="forbid")
    slow_s: float | None = Field(None, ge=0, le=60)
    fails: int | None = Field(None, ge=0, le=1000)
    cut_at: float | None = Field(None, ge=0, le=1)
    expired: bool | None = None
    full: bool | None = None
    clock_s: float | None = Field(None, ge=-1e9, le=1e9)


def create_mooring(folder: Path) -> ASGIApp:
    """The mooring over a folder."""
    berths = Berths(folder)
    app = FastAPI(title="Mooring", docs_url=None, redoc_url=None)
    moody = Moody(app, berths)

    @app.exception_handler(Refused)
    def refused(request: Request, error: Refused) -> JSONResponse:
        return JSONResponse({"detail": str(error)}, error.status)

    def holder(authorization: Annotated[str, Header()] = "") -> None:
        if not hmac.compare_digest(authorization.encode(), f"Bearer {berths.token}".encode()):
            raise HTTPException(401, "That token is not taken here.")

    held = [Depends(holder)]

    @app.get("/api/shows/{show}", dependencies=held)
    def state_of(show: str, response: Response) -> dict[str, Any]:
        found = berths.held(show)
        response.headers["ETag"] = found.mark
        return {"feed": found.feed, "drafts": found.drafts}

    @app.put("/api/shows/{show}", dependencies=held, status_code=204)
    def change(show: str, state: State, if_match: Annotated[str, Header()] = "") -> Response:
        found = berths.change(show, state.feed, state.drafts, if_match)
        return Response(status_code=204, headers={"ETag": found.mark})

    @app.post("/api/shows/{show}/files", dependencies=held, status_code=201)
    def announce(show: str, upload_length: Annotated[int, Header()], upload_metadata: Annotated[str, Header()]
                 ) -> Response:  # fmt: skip
        facts = _metadata(upload_metadata)
        name = facts.get("filename", "")
        berths.begin(show, name, upload_length, facts.get("sha256", ""))
        return Response(status_code=201, headers={**TUS, "Location": f"/api/shows/{show}/files/{name}"})

    @app.head("/api/shows/{show}/files/{name}", dependencies=held)
    def how_far(show: str, name: str) -> Response:
        coming = berths.coming(show, name)
        if coming is None:
            return Response(status_code=404, headers=TUS)
        known = {"Upload-Offset": str(coming.there), "Upload-Length": str(coming.size), "Cache-Control": "no-store"}
        return Response(headers={**TUS, **known})

    @app.patch("/api/shows/{show}/files/{name}", dependencies=held, status_code=204)
    async def take(show: str, name: str, request: Request, upload_offset: Annotated[int, Header()]) -> Response:
        if int(request.headers.get("content-length", 0)) > LARGEST_PIECE:
            raise Refused(413, "Send it in smaller pieces.")
        there = await run_in_threadpool(berths.take, show, name, upload_offset, await request.body())
        return Response(status_code=204, headers={**TUS, "Upload-Offset": str(there)})

    @app.delete("/api/shows/{show}/files/{name}", dependencies=held, status_code=204)
    def remove(show: str, name: str) -> None:
        berths.remove(show, name)

    @app.put("/api/mood", dependencies=held)
    def change_mood(mood: MoodSchema) -> dict[str, Any]:
        moody.change(**mood.model_dump(exclude_none=True))
        return moody.told()

    @app.get("/")
    def front() -> HTMLResponse:
        shows = "".join(f'<li><a href="/{escape(s)}/feed.xml">{escape(s)}</a></li>' for s in berths.shows())
        return _page("Mooring", f"<ul>{shows}</ul>" if shows else "<p>No show lies here yet.</p>")

    @app.get("/{show}/feed.xml")
    def feed(show: str) -> Response:
        found = berths.public(show, moody.now())
        if found is None:
            raise HTTPException(404, "No feed lies there.")
        return Response(found, media_type="application/rss+xml", headers={"Cache-Control": "no-cache"})

    @app.get("/{show}/drafts/{guid}")
    def draft(show: str, guid: str) -> HTMLResponse:
        found = next((each for each in berths.drafts(show) if each["guid"] == guid), None)
        if found is None:
            raise HTTPException(404, "No draft lies there.")
        sound = f'<audio controls preload="none" src="{escape(found["url"])}"></audio>'
        return _page(found["title"], f"<p>{escape(found['notes'])}</p>{sound}")

    @app.get("/{show}/{name}")
    def file(show: str, name: str) -> FileResponse:
        found = berths.file(show, name)
        if found is None:
            raise HTTPException(404, "Nothing lies there.")
        kinds = {".m4a": "audio/mp4", ".mp3": "audio/mpeg", ".json": "application/json+chapters"}
        return FileResponse(found, media_type=kinds.get(found.suffix), headers=FOR_EVER)

    return moody


def _metadata(header: str) -> dict[str, str]:
    """Of the tus protocol: names and values in base 64."""
    try:
        pairs = [pair.split(" ") for pair in header.split(",")]
        return {name.strip(): base64.b64decode(value, validate=True).decode() for name, value in pairs}
    except ValueError:
        raise Refused(400, "Upload-Metadata cannot be read.") from None


def _page(title: str, body: str) -> HTMLResponse:
    return HTMLResponse(
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<body><h1>{escape(title)}</h1>{body}</body></html>",
        headers={"Content-Security-Policy": "default-src 'self'; style-src 'unsafe-inline'"},
    )

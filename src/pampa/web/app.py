"""The web application over one studio."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import APIRouter, FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.sessions import SessionMiddleware

from pampa import __version__
from pampa.studio.studio import Studio
from pampa.web import errors
from pampa.web.bounds import Bounds
from pampa.web.description import REFUSALS, Described
from pampa.web.joined import script
from pampa.web.routes import (
    comparing,
    cutting,
    episodes,
    events,
    exchange,
    finding,
    larder,
    lining_up,
    listeners,
    listening,
    mending,
    music,
    pages,
    patterns,
    pictures,
    publishing,
    recordings,
    sending,
    series,
    shows,
    space,
    straight_through,
    voices,
)
from pampa.web.security import Guard
from pampa.web.static_files import STATIC, KeptForEver, address

PARTS = (
    shows, episodes, comparing, cutting, exchange, recordings, larder, listeners, patterns, pictures, publishing,
    lining_up, mending, music, finding, listening, voices, sending, series, space, straight_through, events,
)  # fmt: skip


def _routes() -> APIRouter:
    """All that is answered. A route is made ready when one after it is first asked for: so pages come first."""
    routes = APIRouter()
    routes.include_router(pages.router, include_in_schema=False)
    for part in PARTS:
        routes.include_router(part.router, prefix="/api", responses=REFUSALS)
    return routes


ROUTES = _routes()
"""Shared by all applications of a process, since making routes ready takes as long as starting."""


def create_app(studio: Studio) -> FastAPI:
    """The application; it closes the studio when it ends."""

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        yield
        studio.close()

    app = Described(
        title="Pampa", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json",
    )  # fmt: skip
    app.state.studio = studio
    errors.install(app)
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=1)
    app.add_middleware(Guard)
    app.add_middleware(
        SessionMiddleware, secret_key=studio.access.cookie_key(), session_cookie=f"pampa-{studio.settings.port}",
        same_site="strict", max_age=30 * 24 * 3600, https_only=studio.settings.behind_tls,
    )  # fmt: skip
    app.add_middleware(Bounds)
    app.add_route(f"{address()}/joined/{{page}}.js", script)
    app.mount(address(), KeptForEver(directory=STATIC), "kept")
    app.mount("/static", StaticFiles(directory=STATIC), "static")
    app.router.routes += ROUTES.routes
    return app

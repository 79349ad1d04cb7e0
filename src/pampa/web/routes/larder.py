"""The larder of a show: what is in it, what comes in, and its use in an episode."""

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import Field

from pampa.web.change_schemas import EpisodeChange
from pampa.web.larder_schemas import (
    IdentOut,
    Keep,
    Kept,
    LarderOut,
    NewIdent,
    NewPiece,
    PieceChange,
    PieceKind,
    PieceOut,
    Use,
)
from pampa.web.recording_schemas import UploadOut
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.routes.episodes import change_of
from pampa.web.schemas import JobStarted

router = APIRouter(tags=["larder"])

Seconds = Annotated[float, Field(ge=0, le=1_000_000)]


@router.get("/shows/{show_id}/larder")
def search(
    show_id: Id, studio: WithStudio, words: Annotated[str, Query(max_length=200)] = "", kind: PieceKind | None = None,
    shortest_s: Seconds = 0.0, longest_s: Seconds | None = None,
) -> LarderOut:  # fmt: skip
    """Pieces whose name, tags and kind hold all the words; what an episode used last comes first."""
    found = studio.larder.search(show_id, words, kind=kind, shortest_s=shortest_s, longest_s=longest_s)
    return LarderOut.of(found)


@router.post("/shows/{show_id}/larder/uploads", status_code=201)
def begin_upload(show_id: Id, body: NewPiece, studio: WithStudio) -> UploadOut:
    """Announce a file for the larder; its bytes follow in pieces, as for an episode."""
    return UploadOut.of(studio.larder.begin_upload(show_id, body.name, body.size, body.kind, body.tags))


@router.post("/recordings/{recording_id}/keep", status_code=202)
def keep(recording_id: Id, body: Keep, studio: WithStudio) -> Kept:
    """Keep a recording, or a stretch of it, in the larder of its show."""
    piece = studio.larder.keep(
        recording_id, kind=body.kind, name=body.name, tags=body.tags, start=body.start, length=body.length
    )
    return Kept(piece=piece)


@router.get("/shows/{show_id}/idents")
def idents(show_id: Id, studio: WithStudio) -> list[IdentOut]:
    """The small sheets of a show."""
    return [IdentOut.model_validate(ident) for ident in studio.idents.of_show(show_id)]


@router.post("/shows/{show_id}/idents/renew", status_code=202)
def renew_idents(show_id: Id, studio: WithStudio) -> list[JobStarted]:
    """Begin to make those small sheets again that have changed since their piece was made."""
    return [JobStarted(job=job) for job in studio.idents.renew(show_id)]


@router.post("/shows/{show_id}/idents", status_code=201)
def begin_ident(show_id: Id, body: NewIdent, studio: WithStudio) -> IdentOut:
    """A new small sheet, empty: an episode of its own that is not listed with the others."""
    made = studio.idents.begin(show_id, body.name)
    return IdentOut(episode=made.id, name=made.title, piece=None, current=False)


@router.post("/episodes/{episode_id}/ident", status_code=202)
def make_ident(episode_id: Id, studio: WithStudio) -> JobStarted:
    """Make the piece of a small sheet as it is now. An event tells when it is in the larder."""
    return JobStarted(job=studio.idents.make(episode_id))


@router.patch("/larder/{piece_id}")
def change(piece_id: Id, body: PieceChange, studio: WithStudio) -> PieceOut:
    """Rename or tag a piece, say what it is, remove it or bring it back. Episodes that use it keep it."""
    changed = studio.larder.change(piece_id, name=body.name, kind=body.kind, tags=body.tags, removed=body.removed)
    return PieceOut.of(*changed)


@router.post("/episodes/{episode_id}/larder/{piece_id}", response_model=EpisodeChange)
def use(episode_id: Id, piece_id: Id, body: Use, studio: WithStudio) -> Response:
    """Lay a piece into an episode: on the first track of its kind with room there, else on a new one."""
    return change_of(
        studio.larder.use(piece_id, episode_id, body.start, revision=body.revision, open_time=body.open_time)
    )

"""The cut, markers and stems for other programs, and the cut and markers from them."""

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse

from pampa.web.cutting_schemas import BroughtIn, MarkerFile, StemsBody
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import EpisodeState, JobStarted

router = APIRouter(prefix="/episodes/{episode_id}", tags=["exchange"])
MARKER_TYPES = {"csv": "text/csv; charset=utf-8", "vtt": "text/vtt; charset=utf-8"}


@router.get("/cut.otio", response_class=Response)
def export_cut(episode_id: Id, studio: WithStudio) -> Response:
    """The cut as OpenTimelineIO."""
    name = studio.exchange.file_name(episode_id, ".otio")
    return _file(studio.exchange.cut(episode_id), "application/json", name)


@router.post("/cut", response_model=EpisodeState)
def import_cut(episode_id: Id, body: BroughtIn, studio: WithStudio) -> Response:
    """Cut the episode as an OpenTimelineIO file tells; undone like any edit."""
    state = studio.exchange.bring_in_cut(episode_id, body.name, body.text, revision=body.revision)
    return Response(EpisodeState.of(state).model_dump_json(), media_type="application/json")


@router.get("/markers.{kind}", response_class=Response)
def export_markers(episode_id: Id, kind: MarkerFile, studio: WithStudio) -> Response:
    """The markers as CSV or WebVTT."""
    name = studio.exchange.file_name(episode_id, f"-markers.{kind}")
    return _file(studio.exchange.markers(episode_id, kind), MARKER_TYPES[kind], name)


@router.post("/markers", response_model=EpisodeState)
def import_markers(episode_id: Id, body: BroughtIn, studio: WithStudio) -> Response:
    """Add the markers in a CSV or WebVTT file."""
    state = studio.exchange.bring_in_markers(episode_id, body.name, body.text, revision=body.revision)
    return Response(EpisodeState.of(state).model_dump_json(), media_type="application/json")


@router.post("/stems", status_code=202)
def start_stems(episode_id: Id, body: StemsBody, studio: WithStudio) -> JobStarted:
    """Begin to write everybody's sound as a file of its own, each as long as the episode."""
    return JobStarted(job=studio.exchange.start_stems(episode_id, treated=body.treated))


@router.get("/stems")
def list_stems(episode_id: Id, studio: WithStudio) -> list[str]:
    """Stems that were made, newest first."""
    return studio.exchange.stems(episode_id)


@router.get("/stems/{name}", response_class=FileResponse)
def download_stems(episode_id: Id, name: str, studio: WithStudio) -> FileResponse:
    """A ZIP file with a WAV file for everybody."""
    path = studio.exchange.stems_file(episode_id, name)
    return FileResponse(path, filename=studio.exchange.file_name(episode_id, f"-{name}"))


def _file(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})

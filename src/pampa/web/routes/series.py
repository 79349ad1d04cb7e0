"""The series sheet of a show: read, written out, brought up to date, and a voice made as it was."""

from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, ConfigDict, Field

from pampa.studio.sending import plain_name
from pampa.studio.series import as_csv, as_rows
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import EpisodeState, Number

router = APIRouter(tags=["series"])


class ListeningOut(BaseModel):
    """The jobs that listen to voices, one for each episode that stands otherwise than what is known of it."""

    jobs: list[int]


class AlikeInSeries(BaseModel):
    """Who, in which episode, is to sound as in which other one."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"episode": 12, "person": "Anders Quill", "likeness": 3}]}
    )

    episode: Number
    person: Annotated[str, Field(max_length=200)]
    likeness: Number = Field(description="The number of what is known of that person in another episode.")


@router.get("/shows/{show_id}/series")
def series(show_id: Id, studio: WithStudio) -> list[dict[str, Any]]:
    """A row for each person in each episode: figures, how far from their usual, what was delivered, the spectrum."""
    return as_rows(studio.series.sheet(show_id))


@router.get("/shows/{show_id}/series.csv")
def series_as_csv(show_id: Id, studio: WithStudio) -> Response:
    """The same as a table for a spreadsheet."""
    sheet = studio.series.sheet(show_id)
    name = f"{plain_name(sheet.show.name) or 'show'}-series.csv"
    attached = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(as_csv(as_rows(sheet)), media_type="text/csv", headers=attached)


@router.post("/shows/{show_id}/series/listen", status_code=202)
def listen(show_id: Id, studio: WithStudio) -> ListeningOut:
    """Listen to the voices of episodes as they stand, where that is not known yet."""
    return ListeningOut(jobs=studio.series.listen(show_id))


@router.post("/shows/{show_id}/series/alike")
def make_alike(show_id: Id, body: AlikeInSeries, studio: WithStudio) -> EpisodeState:
    """Correct tone and gain of a person in an episode towards another one, by 3 dB at most. One edit there."""
    return EpisodeState.of(studio.series.make_alike(show_id, body.episode, body.person, body.likeness))

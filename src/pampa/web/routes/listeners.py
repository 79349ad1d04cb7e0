"""What listeners get besides the sound: words, notes, chapters and artwork."""

from typing import Annotated, Literal

from fastapi import APIRouter, Body, Response

from pampa.core.deliver import chapters as chapter_files
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.sending_schemas import ArtworkOut, SeenOut, ShowWordsChange, ShowWordsOut, WordsChange

router = APIRouter(tags=["for listeners"])
LARGEST_ARTWORK = 20 << 20


@router.get("/episodes/{episode_id}/listeners")
def seen(episode_id: Id, studio: WithStudio) -> SeenOut:
    """An episode as listeners will see it: titles, notes filled in, chapters, artwork."""
    _, episode = studio.shows.episode(episode_id)
    return SeenOut.of(episode.title, episode.number, studio.about.seen(episode_id))


@router.patch("/episodes/{episode_id}/listeners")
def change(episode_id: Id, body: WordsChange, studio: WithStudio) -> SeenOut:
    """Change what is written about an episode."""
    told = body.model_dump(exclude={"title", "number"})
    studio.about.change_episode(episode_id, **told)
    if body.title is not None or body.number is not None:
        studio.shows.change_episode(episode_id, title=body.title, number=body.number)
    return seen(episode_id, studio)


@router.get("/shows/{show_id}/listeners")
def of_show(show_id: Id, studio: WithStudio) -> ShowWordsOut:
    """What is written about all episodes of a show, and which files are wanted of each."""
    return ShowWordsOut.of(studio.about.of_show(show_id))


@router.patch("/shows/{show_id}/listeners")
def change_of_show(show_id: Id, body: ShowWordsChange, studio: WithStudio) -> ShowWordsOut:
    """Change the pattern of a show's notes, its artwork, or the files that are wanted."""
    return ShowWordsOut.of(studio.about.change_show(show_id, **body.model_dump()))


@router.get("/episodes/{episode_id}/chapters.{kind}", response_class=Response)
def export_chapters(episode_id: Id, kind: Literal["json", "vtt"], studio: WithStudio) -> Response:
    """The chapters as the JSON that feeds point to, or as WebVTT."""
    found = studio.about.seen(episode_id).chapters
    name = studio.exchange.file_name(episode_id, f"-chapters.{kind}")
    text, media = (
        (chapter_files.to_json(found), "application/json+chapters") if kind == "json"
        else (chapter_files.to_vtt(found), "text/vtt; charset=utf-8")
    )  # fmt: skip
    return Response(text, media_type=media, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.post("/artworks", status_code=201)
def keep_artwork(
    studio: WithStudio,
    data: Annotated[bytes, Body(media_type="application/octet-stream", max_length=LARGEST_ARTWORK)],
) -> ArtworkOut:
    """Keep a picture (JPEG, PNG or WebP). It is kept by its hash, and used once an episode, show or chapter has it."""
    sha256 = studio.about.keep_artwork(data)
    return ArtworkOut(sha256=sha256, findings=studio.about.findings(sha256))


@router.get("/artworks/{sha256}", response_class=Response)
def artwork(sha256: str, studio: WithStudio) -> Response:
    """A kept picture, its middle square as a JPEG."""
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(studio.about.artwork(sha256), media_type="image/jpeg", headers=headers)

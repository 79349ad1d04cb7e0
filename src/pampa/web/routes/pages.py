"""The pages: shows, one episode at a stage, signing in."""

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from pampa.core.deliver.chapters import short_clock
from pampa.core.deliver.targets import TARGETS
from pampa.core.errors import NotFound
from pampa.core.files.stalks import CELL, COARSER, LEVELS
from pampa.core.finds.deciding import POLICY
from pampa.core.mend.amounts import USUAL
from pampa.core.publish.rules import CATEGORIES
from pampa.core.purpose.kind import SURE
from pampa.core.sound import RATE
from pampa.core.special.kinds import KINDS
from pampa.core.speech.level import COMMON_LEVEL_LUFS
from pampa.core.timeline.limits import bounds_of
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import STAGES as VOICE_STAGES
from pampa.core.voice.starts import STARTS
from pampa.studio.access import TooManyGuesses
from pampa.studio.sending import plain_name
from pampa.studio.shows import IDENT
from pampa.studio.voice_curves import COLUMN, COLUMNS, LOWEST_LUFS, RESTING, STEPS_PER_DB
from pampa.web.larder_schemas import PatternOut
from pampa.web.lining_schemas import LiningOut
from pampa.web.pages import page
from pampa.web.recording_schemas import RecordingOut
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import EpisodeOut, EpisodeState, ShowOut, StepOut
from pampa.web.security import same_token
from pampa.web.sending_schemas import DeliveryOut, ShowWordsOut

router = APIRouter()
CONSTANTS = {
    "rate": RATE, "cells": [CELL * COARSER**level for level in range(LEVELS)], "common_level": COMMON_LEVEL_LUFS,
    "curves": {"column": COLUMN, "columns": COLUMNS, "lowest_lufs": LOWEST_LUFS, "steps": STEPS_PER_DB,
               "resting": RESTING},
}  # fmt: skip
"""What a page reckons with too."""

STAGES = {
    "gather": "Gather", "line-up": "Line up", "mend": "Mend", "prune": "Prune", "balance": "Balance",
    "send-out": "Send out",
}  # fmt: skip


@router.get("/")
def shows(request: Request, studio: WithStudio, archived: bool = False) -> HTMLResponse:
    """All shows with their episodes."""
    listed = [
        {**ShowOut.of(show).model_dump(), "episodes": [
            EpisodeOut.of(episode).model_dump() for episode in studio.shows.episodes(show.id, archived=False)
        ], "patterns": [PatternOut.of(pattern).model_dump() for pattern in studio.patterns.of_show(show.id)]}
        for show in studio.shows.all_shows(archived=archived)
    ]  # fmt: skip
    put_away = {
        "shows": [ShowOut.of(show).model_dump() for show in studio.shows.all_shows(archived=True)],
        "episodes": [
            {**EpisodeOut.of(episode).model_dump(), "show": show.name}
            for show in studio.shows.all_shows() for episode in studio.shows.episodes(show.id, archived=True)
        ],
    }  # fmt: skip
    guarded = studio.access.has_password
    data = {
        "shows": listed,
        "archived": put_away,
        "guarded": guarded,
        "stages": STAGES,
        "constants": CONSTANTS,
    }
    return page(request, "shows.html", data=data)


@router.get("/shows/{show_id}/series")
def series_page(request: Request, show_id: Id, studio: WithStudio) -> HTMLResponse:
    """A show over time: how each person sounded from episode to episode."""
    sheet = studio.series.sheet(show_id)
    data = {
        "show": {"id": sheet.show.id, "name": sheet.show.name},
        "episodes": [asdict(each) for each in sheet.episodes],
        "people": [
            {"name": person, "points": [{**asdict(point), "told": list(point.told)} for point in points]}
            for person, points in sheet.people
        ],
        "hz": BANDS_HZ.round(1).tolist(),
    }
    plain = plain_name(sheet.show.name) or "show"
    return page(request, "series.html", data=data, show=sheet.show, episodes=sheet.episodes, plain=plain)


@router.get("/episodes/{episode_id}")
def episode_start(episode_id: Id) -> Response:
    """An episode opens where most of the work is."""
    return RedirectResponse(f"/episodes/{episode_id}/prune", 303)


@router.get("/episodes/{episode_id}/{stage}")
def episode_page(request: Request, episode_id: Id, stage: str, studio: WithStudio) -> HTMLResponse:
    """An episode at one of its stages."""
    if stage not in STAGES:
        raise NotFound("There is no such stage.")
    show, episode = studio.shows.episode(episode_id)
    data = {
        "show": ShowOut.of(show).model_dump(),
        "episode": EpisodeOut.of(episode).model_dump(),
        "choices": episode.choices,
        "stage": stage,
        "constants": CONSTANTS,
        "state": EpisodeState.of(studio.editing.state(episode_id)).model_dump(),
        "recordings": [RecordingOut.of(r).model_dump() for r in studio.recordings.of_episode(episode_id)],
        "removed": [RecordingOut.of(r).model_dump() for r in studio.recordings.of_episode(episode_id, removed=True)],
        "linings": [LiningOut.of(p).model_dump() for p in studio.lining_up.proposals(episode_id)],
        "deliveries": [DeliveryOut.of(d).model_dump(mode="json") for d in studio.sending.of_episode(episode_id)],
        "jobs": studio.jobs.open_jobs(episode_id),
        "targets": [asdict(target) for target in TARGETS],
        "ofShow": ShowWordsOut.of(studio.about.of_show(show.id)).model_dump(),
        "categories": CATEGORIES,
        "usual": asdict(USUAL),
        "sure": SURE,
        "policy": asdict(POLICY),
        "stages": STAGES,
        "next": StepOut.model_validate(studio.desk.step(episode_id)).model_dump(),
        "specials": list(KINDS),
        "isIdent": IDENT in episode.choices,
        "usualVoice": asdict(Recipe()),
        "starts": {name: asdict(recipe) for name, recipe in STARTS.items()},
        "voice": [
            {
                "name": part.name,
                "settings": [{**asdict(each), "bounds": bounds_of(Recipe, each.name)} for each in part.settings],
            }
            for part in VOICE_STAGES
        ],
    }
    return page(request, "episode.html", data=data, show=show, episode=episode, stages=STAGES, stage=stage)


@router.get("/deliveries/{delivery_id}/sheet")
def sheet_page(request: Request, delivery_id: Id, studio: WithStudio) -> HTMLResponse:
    """The delivery sheet of a file by itself, to be printed."""
    delivery = studio.sending.delivery(delivery_id)
    show, episode = studio.shows.episode(delivery.episode_id)
    length = short_clock(delivery.sheet["duration_s"])
    return page(
        request, "sheet.html", delivery=delivery, sheet=delivery.sheet, show=show, episode=episode, length=length
    )


@router.get("/sign-in")
def sign_in_page(request: Request) -> HTMLResponse:
    """Ask for the password."""
    return page(request, "sign_in.html", problem="")


@router.post("/sign-in")
def sign_in(
    request: Request, studio: WithStudio, password: Annotated[str, Form()], token: Annotated[str, Form()]
) -> Response:
    """Let somebody in who knows the password."""
    place = request.client.host if request.client else ""
    try:
        known = same_token(token, request.session.get("token", "")) and studio.access.is_right(password, place=place)
    except TooManyGuesses as error:
        told = page(request, "sign_in.html", problem=str(error))
        return HTMLResponse(told.body, 429, headers={"Retry-After": str(error.wait_s)})
    if known:
        request.session.clear()
        request.session["in"] = True
        return RedirectResponse("/", 303)
    problem = "That is not the password. Try again; it is set with ./pampa password."
    return HTMLResponse(page(request, "sign_in.html", problem=problem).body, 403)


@router.post("/sign-out", status_code=204)
def sign_out(request: Request) -> None:
    """Forget who is signed in here."""
    request.session.clear()

"""Mending as an edit: amounts for recordings, undone like any cut."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.mend.amounts import Amounts, Other, amounts_of
from pampa.core.timeline.document import Document, Mending
from pampa.core.timeline.in_step import recordings_of
from pampa.core.timeline.lining import distance
from pampa.core.voice.recipe import Recipe

SHORTEST_REGION_S = 0.2


def amounts_in(document: Document, recording: int) -> Amounts:
    """How a recording is mended in an episode: with the others in it, where that hangs on them."""
    amounts = document.amounts(recording)
    hangs_on_them = amounts.bleed or amounts.sharing
    people = [number for number in recordings_of(document, "person") if number != recording] if hangs_on_them else []
    if not people or not any(clip.recording == recording for t in document.linked_tracks() for clip in t.clips):
        return amounts
    own = document.drift_ppm(recording)
    others = [
        Other(number, distance(document, number, recording), document.drift_ppm(number) - own) for number in people
    ]
    return replace(amounts, among=tuple(others))


def frame_heard(document: Document, recording: int, at: int) -> int:
    """The frame of a recording that is heard at frame `at` of the episode, or nearest to it; 0 where it lies nowhere.

    Clocks that run apart are left out of account: in ten hours they come to seconds.
    """
    clips = [clip for track in document.tracks for clip in track.clips if clip.recording == recording]
    if not clips:
        return 0
    nearest = min(clips, key=lambda clip: max(clip.start - at, at - clip.end, 0))
    return nearest.source + min(max(at - nearest.start, 0), nearest.length)


def mend(document: Document, *, recordings: Sequence[int], amounts: Mapping[str, Any], sibilance: float | None = None
         ) -> Document:  # fmt: skip
    """Mend recordings with these amounts from now on, all of them alike; what is not named is 0.

    sibilance : of edits from when Mend softened a sharp s: it goes to the voices on the tracks where they lie.
    """
    if sibilance is not None:
        document = _with_sibilance(document, recordings, sibilance)
    wanted = amounts_of(amounts)
    region = wanted.region
    if region and region[1] - region[0] < SHORTEST_REGION_S:
        raise EditRefused("The place to learn the noise from is too short. Mark at least 0.2 s. Nothing was changed.")
    if any(spot.stop_s <= spot.start_s or spot.high_hz <= spot.low_hz for spot in wanted.spots):
        raise EditRefused("A place to work on is empty. Mark it in the picture first. Nothing was changed.")
    others = tuple(mending for mending in document.mendings if mending.recording not in recordings)
    if wanted == Amounts():
        return replace(document, mendings=others)
    return replace(document, mendings=(*others, *(Mending(number, wanted) for number in recordings)))


def apply_recipe(document: Document, *, voices: Sequence[tuple[int, Mapping[str, Any]]],
                 mendings: Sequence[tuple[int, Mapping[str, Any]]], gains: Sequence[tuple[int, float]] | None = None
                 ) -> Document:  # fmt: skip
    """Treat the voices on tracks, mend recordings, and set the gains of tracks, each as it is told, in one edit."""
    for track_id, gain_db in gains or ():
        document = document.with_track(replace(document.track(track_id), gain_db=gain_db))
    for track_id, recipe in voices:
        track = document.track(track_id)
        document = document.with_track(replace(track, treated=True, recipe=Recipe(**recipe)))
    for recording, amounts in mendings:
        document = mend(document, recordings=[recording], amounts=amounts)
    return document


def _with_sibilance(document: Document, recordings: Sequence[int], amount: float) -> Document:
    for track in document.tracks:
        if any(clip.recording in recordings for clip in track.clips) and track.recipe.sibilance != amount:
            document = document.with_track(replace(track, recipe=replace(track.recipe, sibilance=amount)))
    return document

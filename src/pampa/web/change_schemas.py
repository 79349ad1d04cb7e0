"""What an edit changed, for a page that knows the state before it: with hundreds of pieces that is a hundredth."""

from collections.abc import Callable, Sequence
from dataclasses import fields
from operator import attrgetter
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, Field

from pampa.core.mix.tails import sounds_until
from pampa.core.timeline.document import Clip, Document, Marker, Seam
from pampa.studio.editing import State
from pampa.web.schemas import BusOut, ClipOut, ClockOut, DuckingOut, LeftOut, MarkerOut, MendingOut, SeamOut, TrackFacts

T = TypeVar("T")
Thing = TypeVar("Thing", Clip, Seam, Marker)


class Changed(BaseModel, Generic[T]):
    """A list told by what it was before: its first `kept`, then `new`, then its last `moved`, later by `by`."""

    kept: int
    new: list[T]
    moved: int
    by: int = Field(description="Frames, less than 0 where they came nearer to the beginning.")


class TrackChange(TrackFacts):
    clips: Changed[ClipOut]


class EpisodeChange(BaseModel):
    """An episode after an edit, told by its state at the revision that the edit was sent against."""

    revision: int
    length: int
    sounds_until: int = Field(description="Where the last of it has died away.")
    undo: str | None
    redo: str | None
    tracks: list[TrackChange]
    seams: Changed[SeamOut]
    markers: Changed[MarkerOut]
    ducking: DuckingOut
    clocks: list[ClockOut]
    mendings: list[MendingOut]
    left: list[LeftOut]
    added: list[LeftOut]
    buses: list[BusOut]

    @classmethod
    def of(cls, before: Document, state: State) -> "EpisodeChange":
        document = state.document
        old = {track.id: track.clips for track in before.tracks}
        return cls(
            revision=state.revision, length=document.length, sounds_until=sounds_until(document), undo=state.undo,
            redo=state.redo,
            tracks=[
                TrackChange(
                    **TrackFacts.model_validate(track).model_dump(),
                    clips=changed(old.get(track.id, ()), track.clips, ClipOut.model_validate),
                )
                for track in document.tracks
            ],
            seams=changed(before.seams, document.seams, SeamOut.model_validate),
            markers=changed(before.markers, document.markers, MarkerOut.model_validate),
            ducking=DuckingOut.model_validate(document.ducking),
            clocks=[ClockOut.model_validate(clock) for clock in document.clocks],
            mendings=[MendingOut.model_validate(mending) for mending in document.mendings],
            left=[LeftOut.model_validate(left) for left in document.left],
            added=[LeftOut.model_validate(added) for added in document.added],
            buses=[BusOut.model_validate(bus) for bus in document.buses],
        )  # fmt: skip


def changed(before: Sequence[Thing], after: Sequence[Thing], told: Callable[[Thing], Any]) -> Changed[Any]:
    """How `after` differs from `before`. What is the same value is mostly the same object, so this is quick."""
    kept = 0
    for old, new in zip(before, after, strict=False):
        if old is not new and old != new:
            break
        kept += 1
    moved, by = 0, 0
    if kept < min(len(before), len(after)):
        place, rest = _place_and_rest(after[-1])
        by = place(after[-1]) - place(before[-1])
        for old, new in zip(reversed(before[kept:]), reversed(after[kept:]), strict=False):
            if place(new) - place(old) != by or rest(new) != rest(old):
                break
            moved += 1
    return Changed(kept=kept, new=[told(item) for item in after[kept : len(after) - moved]], moved=moved, by=by)


def _place_and_rest(item: Clip | Seam | Marker) -> tuple[Callable[[Any], int], Callable[[Any], Any]]:
    place = "start" if isinstance(item, Clip) else "at"
    return attrgetter(place), attrgetter(*(field.name for field in fields(item) if field.name != place))

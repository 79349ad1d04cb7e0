"""The document as plain data and back, for the journal's snapshots and for the page."""

from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

from pampa.core.mend.amounts import amounts_of
from pampa.core.timeline.document import (
    Clip,
    Document,
    Ducking,
    Left,
    Marker,
    Mending,
    Piece,
    RunningClock,
    Seam,
    Track,
)
from pampa.core.voice.recipe import Recipe

FORM = 1
"""Of what `encode` gives. Whoever changes a field raises it, and adds a way from the old form to `UPCASTS`."""
Plain = dict[str, Any]
UPCASTS: dict[int, Callable[[Plain], Plain]] = {}


def encode(document: Document) -> Plain:
    """Plain dictionaries, lists, numbers and strings."""
    return {"form": FORM, **asdict(document)}


def brought_up(data: Plain, form: int, upcasts: Mapping[int, Callable[[Plain], Plain]]) -> Plain:
    """Plain data of an older form as it would be written today, at `form`. Without a form it is of the first."""
    for old in range(data.get("form", 1), form):
        data = upcasts[old](data)
    return {name: value for name, value in data.items() if name != "form"}


def decode(data: Plain) -> Document:
    """The document that `encode` was given, by this release or an older one."""
    data = brought_up(data, FORM, UPCASTS)
    return Document(
        tracks=tuple(
            Track(**{**track, "clips": _clips(track["clips"]), "recipe": Recipe(**track["recipe"])})
            for track in data["tracks"]
        ),
        seams=tuple(map(_seam, data["seams"])),
        markers=tuple(Marker(**marker) for marker in data["markers"]),
        ducking=Ducking(**data["ducking"]),
        clocks=tuple(RunningClock(**clock) for clock in data["clocks"]),
        # Snapshots from before there were mendings or finds do not have them.
        mendings=tuple(Mending(m["recording"], amounts_of(m["amounts"])) for m in data.get("mendings", ())),
        left=tuple(Left(**left) for left in data.get("left", ())),
        added=tuple(Left(**added) for added in data.get("added", ())),
    )


def _clips(data: list[dict[str, Any]]) -> tuple[Clip, ...]:
    return tuple(Clip(**clip) for clip in data)


def _seam(data: dict[str, Any]) -> Seam:
    pieces = tuple(Piece(p["track"], _clips(p["clips"]), _clips(p["divided"])) for p in data["pieces"])
    return Seam(
        **{
            **data,
            "pieces": pieces,
            "seams": tuple(map(_seam, data["seams"])),
            "markers": tuple(Marker(**marker) for marker in data["markers"]),
            "shifts": tuple((key, by) for key, by in data["shifts"]),
            "laid": tuple(data.get("laid", ())),
        }
    )

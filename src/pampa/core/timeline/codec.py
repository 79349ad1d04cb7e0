"""The document as plain data and back, for the journal's snapshots and for the page."""

import json
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.mend.amounts import amounts_of
from pampa.core.special.kinds import Special
from pampa.core.timeline.document import (
    Bus,
    Clip,
    Document,
    Ducking,
    Envelope,
    Held,
    Left,
    Marker,
    Mending,
    RunningClock,
    Seam,
    Send,
    Track,
    Under,
)
from pampa.core.timeline.limits import LOUDEST_DB, MOST_FRAMES, SOFTEST_DB
from pampa.core.voice.recipe import Recipe

FORM = 4
"""Of what `encode` gives. Whoever changes a field raises it, and adds a way from the old form to `UPCASTS`."""
Plain = dict[str, Any]


def _with_sibilance_in_recipes(old: Plain) -> Plain:
    """A sharp s was softened by Mend, for a recording; now it is for the voice on the tracks where that lies."""
    asked = {m["recording"]: m["amounts"]["sibilance"] for m in old.get("mendings", ()) if "sibilance" in m["amounts"]}

    def softened(track: Plain) -> Plain:
        most = max((asked.get(clip["recording"], 0.0) for clip in track["clips"]), default=0.0)
        return {**track, "recipe": {**track["recipe"], "sibilance": most}} if most else track

    mendings = [{**m, "amounts": without_sibilance(m["amounts"])} for m in old.get("mendings", ())]
    return {**old, "tracks": [softened(track) for track in old["tracks"]], "mendings": mendings}


def without_sibilance(amounts: Plain) -> Plain:
    """Amounts from when Mend softened a sharp s, as they are told today."""
    return {name: value for name, value in amounts.items() if name != "sibilance"}


UPCASTS: dict[int, Callable[[Plain], Plain]] = {
    1: lambda old: {**old, "buses": [], "tracks": [{**track, "sends": []} for track in old["tracks"]]},
    2: _with_sibilance_in_recipes,
    3: lambda old: old,  # what came with the fourth is at rest where it is not told
}


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
            Track(
                **{
                    **track,
                    "clips": _clips(track["clips"]),
                    "recipe": Recipe(**track["recipe"]),
                    "sends": _sends(track),
                    "under": Under(**track["under"]) if track.get("under") else None,
                    "special": _special(track),
                }
            )
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
        buses=tuple(Bus(**bus) for bus in data["buses"]),
    )


def packed_document(document: Document) -> bytes:
    """A document as compressed JSON, as it is kept with versions, jobs and files."""
    return zlib.compress(json.dumps(encode(document)).encode())


def plain_document(packed: bytes) -> dict[str, Any]:
    """What `packed_document` packed, as plain data for `decode`."""
    plain: dict[str, Any] = json.loads(zlib.decompress(packed))
    return plain


def _clips(data: list[dict[str, Any]]) -> tuple[Clip, ...]:
    return tuple(clip_of(clip) for clip in data)


def clip_of(data: Mapping[str, Any]) -> Clip:
    """A clip as plain data; what it does not tell is at rest."""
    return Clip(**{**data, "envelope": envelope_of(data.get("envelope", ())), "sends": _sends(data),
                    "special": _special(data)})  # fmt: skip


def _special(data: Mapping[str, Any]) -> Special | None:
    told = data.get("special")
    return Special(**told) if told else None


def _sends(data: Mapping[str, Any]) -> tuple[Send, ...]:
    return tuple(Send(**send) for send in data.get("sends", ()))


def envelope_of(points: Sequence[Sequence[float]]) -> Envelope:
    """An envelope from pairs of frame and gain in dB. Raises EditRefused where one is something else."""
    for point in points:
        if len(point) != 2 or not 0 <= point[0] <= MOST_FRAMES or not SOFTEST_DB <= point[1] <= LOUDEST_DB:
            raise EditRefused(
                "A point of an envelope is a frame of the recording and a gain between "
                f"{SOFTEST_DB:.0f} and +{LOUDEST_DB:.0f} dB. Nothing was changed."
            )
    return tuple((round(at), float(db)) for at, db in points)


def _seam(data: dict[str, Any]) -> Seam:
    pieces = tuple(Held(p["track"], _clips(p["clips"]), _clips(p["divided"])) for p in data["pieces"])
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

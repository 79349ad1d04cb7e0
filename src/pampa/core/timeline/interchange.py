"""The cut as an OpenTimelineIO document, and back: tracks, clips, gaps, joins and markers.

OpenTimelineIO is the open interchange format of the Academy Software Foundation. What it has no word for, gains and
fades, stands in the metadata of its items under `pampa`, so that our own files lose nothing of a clip.
"""

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, replace
from itertools import count
from typing import Any, cast, get_args

import opentimelineio as otio

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.special.kinds import Special, SpecialKind
from pampa.core.timeline.arranging import checked_gain
from pampa.core.timeline.codec import envelope_of
from pampa.core.timeline.document import (
    BusName,
    Clip,
    Document,
    Fade,
    Kind,
    Marker,
    Send,
    Track,
    check,
    next_id,
)
from pampa.core.timeline.limits import hold

OWN = "pampa"
CLIP_FACTS = (
    "gain_db", "fade_in", "fade_out", "muted", "envelope", "shape_in", "shape_out", "sends", "special",
)  # fmt: skip
MOST_TEXT, MOST_DEPTH, MOST_FRAMES = 16 << 20, 64, 1 << 40
BRACKETS = re.compile(r'(?s)"(?:[^"\\]|\\.)*(?:"|\Z)|[\[\]{}]')
"""Brackets, and strings, in which brackets are none."""


@dataclass(frozen=True)
class Media:
    """A recording as another program finds it: a file name, its length in frames, and the hash of its content."""

    name: str
    frames: int
    sha256: str


def to_otio(document: Document, media: Mapping[int, Media], title: str) -> str:
    """The cut of an episode, as JSON."""
    timeline = otio.schema.Timeline(name=title)
    for track in document.tracks:
        timeline.tracks.append(_track(track, document, media))
    timeline.tracks.markers.extend(
        otio.schema.Marker(name=m.name, marked_range=_range(m.at, 0), metadata={OWN: _told_of(m)})
        for m in document.markers
    )
    return str(timeline.to_json_string(indent=2))


def _track(track: Track, document: Document, media: Mapping[int, Media]) -> otio.schema.Track:
    made = otio.schema.Track(name=track.name, kind=otio.schema.TrackKind.Audio, metadata={OWN: {"kind": track.kind}})
    joins = {seam.at: seam.crossfade for seam in document.seams}
    place = 0
    for clip in track.clips:
        if clip.start > place:
            made.append(otio.schema.Gap(source_range=_range(0, clip.start - place)))
        elif made and clip.start in joins:
            half = otio.opentime.RationalTime(min(joins[clip.start] // 2, clip.length // 2), RATE)
            kind = otio.schema.TransitionTypes.SMPTE_Dissolve
            made.append(otio.schema.Transition(transition_type=kind, in_offset=half, out_offset=half))
        about = media[clip.recording]
        reference = otio.schema.ExternalReference(
            target_url=about.name, available_range=_range(0, about.frames), metadata={OWN: {"sha256": about.sha256}}
        )
        plain = asdict(clip)
        facts = {name: plain[name] for name in CLIP_FACTS}
        made.append(
            otio.schema.Clip(
                name=about.name, media_reference=reference, source_range=_range(clip.source, clip.length),
                metadata={OWN: facts},
            )
        )  # fmt: skip
        place = clip.end
    return made


def read_otio(text: str) -> dict[str, Any]:
    """What a cut tells, as plain data: for `from_cut`, which knows the episode.

    Parsing is the library's, in C, without a limit on depth: call it where it may crash, after `check_size`.
    Raises EditRefused where it is no such file.
    """
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises whatever its parser happened to be doing
        raise EditRefused("This is no OpenTimelineIO file that can be read. Nothing was changed.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise EditRefused("This file holds no timeline. Nothing was changed.")
    return {
        "tracks": [
            {"name": track.name, "kind": _own(track).get("kind"), "clips": list(_told_clips(track))}
            for track in timeline.audio_tracks()
        ],
        "markers": [
            {"at": _frames(marker.marked_range.start_time), "name": marker.name, "tint": _own(marker).get("tint"),
             "chapter": _own(marker).get("chapter"), "link": _own(marker).get("link")}
            for marker in timeline.tracks.markers
        ],
    }  # fmt: skip


def _told_clips(track: otio.schema.Track) -> Iterator[dict[str, Any]]:
    for item in track:
        if not isinstance(item, otio.schema.Clip):
            continue
        source, start = item.trimmed_range(), item.trimmed_range_in_parent()
        own = _own(item)
        yield {
            "url": getattr(item.media_reference, "target_url", "") or item.name,
            "sha256": str(_own(item.media_reference).get("sha256", "")), "source": _frames(source.start_time),
            "start": _frames(start.start_time), "length": _frames(source.duration),
            "facts": {name: _plain(own[name]) for name in CLIP_FACTS if name in own},
        }  # fmt: skip


def check_size(text: str) -> None:
    """Refuse what is too large or too deep to be a cut, before anything parses it. Raises EditRefused."""
    depth = 0
    if len(text) > MOST_TEXT:
        raise EditRefused(
            f"This file is larger than the {MOST_TEXT >> 20} MB that a cut may have. Nothing was changed."
        )
    for token in BRACKETS.finditer(text):
        depth += {"[": 1, "{": 1, "]": -1, "}": -1}.get(token[0], 0)
        if depth > MOST_DEPTH:
            raise EditRefused("This file is nested deeper than a cut is. Nothing was changed.")


def from_cut(cut: Mapping[str, Any], document: Document, media: Mapping[int, Media]) -> Document:
    """The episode with the cut that `read_otio` told of: its tracks' clips and its markers. All else stays.

    Recordings are known by the hash of their content, else by name. Tracks are known by name; others are added.
    Raises EditRefused where it speaks of recordings that the episode does not have.
    """
    by_hash = {about.sha256: number for number, about in media.items()}
    by_name = {about.name: number for number, about in media.items()}
    ids = count(next_id(document))
    named = {track.name: track for track in document.tracks}
    told: dict[str, Track] = {}
    for item in cut["tracks"]:
        known = named.get(item["name"])
        kind = cast(Kind, item["kind"] if item["kind"] in get_args(Kind) else "music")
        track = known or Track(next(ids), item["name"][:200] or "Track", kind)
        clips = tuple(_clip(clip, by_hash, by_name, media, next(ids)) for clip in item["clips"])
        told[track.name] = replace(track, clips=clips)
    if not told:
        raise EditRefused("This timeline has no track of sound. Nothing was changed.")
    tracks = [told.pop(track.name, replace(track, clips=())) for track in document.tracks]
    markers = sorted(
        (
            Marker(next(ids), m["at"], m["name"][:200], _tint(m["tint"]), m["chapter"] is not False, _link(m["link"]))
            for m in cut["markers"]
        ),
        key=lambda m: m.at,
    )
    return check(replace(document, tracks=(*tracks, *told.values()), seams=(), markers=tuple(markers)))


def _clip(told: Mapping[str, Any], by_hash: Mapping[str, int], by_name: Mapping[str, int],
          media: Mapping[int, Media], number: int) -> Clip:  # fmt: skip
    url = told["url"]
    recording = by_hash.get(told["sha256"], by_name.get(url.rsplit("/", 1)[-1]))
    if recording is None:
        raise EditRefused(f"This cut uses {url[:200] or 'a file'}, which is not in the episode. Bring it in first.")
    if told["source"] + told["length"] > media[recording].frames:
        raise EditRefused(f"This cut uses more of {url[:200]} than there is. Nothing was changed.")
    return Clip(number, recording, told["source"], told["start"], told["length"], **_facts(told["facts"]))


def _facts(own: Mapping[str, Any]) -> dict[str, Any]:
    """Gain and fades from our own metadata, whatever another program may have made of them."""
    try:
        return {
            "gain_db": checked_gain(float(own.get("gain_db", 0.0))), "muted": bool(own.get("muted", False)),
            "fade_in": int(own.get("fade_in", 0)), "fade_out": int(own.get("fade_out", 0)),
            "shape_in": _one_of(Fade, own.get("shape_in", "natural")),
            "shape_out": _one_of(Fade, own.get("shape_out", "natural")),
            "envelope": envelope_of(own.get("envelope", ())), "special": _special(own.get("special")),
            "sends": tuple(map(_send, own.get("sends", ()))),
        }  # fmt: skip
    except (TypeError, ValueError, KeyError, OverflowError) as error:
        raise EditRefused("This cut has gains, fades or envelopes that make no sense. Nothing was changed.") from error


def _send(told: Mapping[str, Any]) -> Send:
    return Send(_one_of(BusName, told["bus"]), checked_gain(float(told["level_db"])))


def _special(told: Any) -> Special | None:
    if not told:
        return None
    special = {"kind": _one_of(SpecialKind, told["kind"]), "amount": float(told["amount"])}
    hold(Special, special)
    return Special(**special)


def _one_of(choices: Any, value: Any) -> Any:
    if value not in get_args(choices):
        raise ValueError(value)
    return value


def _plain(value: Any) -> Any:
    """What the library holds in types of its own, as lists and dictionaries."""
    if isinstance(value, str | int | float | None):
        return value
    return {key: _plain(value[key]) for key in value} if hasattr(value, "keys") else [_plain(each) for each in value]


def _told_of(marker: Marker) -> dict[str, Any]:
    return {"tint": marker.tint, "chapter": marker.chapter, "link": marker.link}


def _link(told: Any) -> str:
    return told[:500] if isinstance(told, str) and told.startswith(("https://", "http://")) else ""


def _tint(tint: Any) -> int:
    return tint if isinstance(tint, int) and 0 <= tint <= 5 else 0


def _own(item: Any) -> dict[str, Any]:
    return dict(item.metadata.get(OWN, {}))


def _range(start: int, length: int) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, RATE), otio.opentime.RationalTime(length, RATE))


def _frames(time: otio.opentime.RationalTime) -> int:
    value = time.rescaled_to(RATE).value if time.rate > 0 else math.nan
    if not 0 <= value <= MOST_FRAMES:  # false for what is no number, too
        raise EditRefused("This cut has times that are no numbers, or lie before the beginning. Nothing was changed.")
    return round(value)

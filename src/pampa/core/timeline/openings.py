"""Edits that set music around the talk: an opening, an ending, a sting between two sections, a bed under a stretch."""

from dataclasses import replace
from itertools import count

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline.document import Clip, Document, check, next_id
from pampa.core.timeline.inserting import opened
from pampa.core.timeline.laying import free_track

SHORT_FADE = round(0.05 * RATE)
LEAST = RATE // 2
USUAL_S = {
    "opening": {"alone": 4.0, "gone": 12.0}, "ending": {"before": 8.0, "alone": 6.0}, "sting": {"rest": 2.5},
    "bed": {"lead": 1.5},
}  # fmt: skip
"""What is usual of each way to set music, in seconds."""


def open_with(
    document: Document, *, name: str, recording: int, source: int, length: int, word: int, alone: int, gone: int,
    under_lu: float,
) -> Document:  # fmt: skip
    """Music from the beginning: `alone` frames by itself, and `gone` frames after the first word it has faded away.

    source, length : the stretch of the recording that may be played. word : where the first word is now; talk moves so
    that it comes `alone` frames after the music begins.
    """
    if alone > word:
        document = opened(document, 0, alone - word, count(next_id(document)))
        word = alone
    lasts = min(alone + gone, length)
    if lasts < LEAST:
        raise EditRefused("That leaves nothing of the music. Let it be alone for longer. Nothing was changed.")
    fade = 0 if lasts == length else min(max(gone // 2, SHORT_FADE), lasts)
    clip = Clip(0, recording, source, word - alone, lasts, fade_out=fade)
    return _laid(document, name, clip, under_lu)


def end_with(
    document: Document, *, name: str, recording: int, source: int, length: int, word: int, before: int, alone: int,
    under_lu: float,
) -> Document:  # fmt: skip
    """Music that comes in `before` frames before the last word ends, and whose own end falls `alone` frames after it.

    word : where the last word ends. A piece too short for that comes in later, and still ends when it is asked to.
    """
    lasts = min(before + alone, length, word + alone)
    if lasts < LEAST:
        raise EditRefused("That leaves nothing of the music. Let it last longer. Nothing was changed.")
    fade = 0 if lasts == length else min(max(before // 2, SHORT_FADE), lasts)
    clip = Clip(0, recording, source + length - lasts, word + alone - lasts, lasts, fade_in=fade)
    return _laid(document, name, clip, under_lu)


def sting_at(
    document: Document, *, name: str, recording: int, source: int, length: int, at: int, rest: int, under_lu: float
) -> Document:
    """A sting between two sections: time opens for it at a place, and talk goes on `rest` frames after it began."""
    document = opened(document, at, min(rest, 60 * RATE), count(next_id(document))) if rest else document
    return _laid(document, name, Clip(0, recording, source, at, length), under_lu)


def bed_under(
    document: Document, *, name: str, recording: int, source: int, length: int, start: int, stop: int, lead: int,
    under_lu: float,
) -> Document:  # fmt: skip
    """Music under a stretch: it comes in `lead` frames before and goes as long after it, faded at both ends."""
    begin = max(start - lead, 0)
    lasts = min(stop + lead - begin, length)
    if lasts < LEAST:
        raise EditRefused("That stretch is too short for a bed. Nothing was changed.")
    fade = min(max(lead, SHORT_FADE), lasts // 2)
    return _laid(document, name, Clip(0, recording, source, begin, lasts, fade_in=fade, fade_out=fade), under_lu)


def _laid(document: Document, name: str, clip: Clip, under_lu: float) -> Document:
    """With a piece on a track of music that lies so far under the talk and has room, or on a new one."""
    document, track = free_track(document, clip, "music", name, under_lu=under_lu)
    new = replace(clip, id=next_id(document))
    clips = tuple(sorted([*track.clips, new], key=lambda each: each.start))
    return check(document.with_track(replace(track, clips=clips)))

"""Chapters as listeners get them: where each begins, what it is called, and what it points to.

Sources: the JSON chapters of the open podcast name space, version 1.2; W3C WebVTT.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass

MOST_TITLE = 200
"""Letters of a title; players cut off what is longer anyway."""
SHORTEST_S = 1.0
"""What begins sooner after another one than this cannot be chosen in a player; the last of them counts."""


@dataclass(frozen=True)
class Chapter:
    """One chapter. picture : a JPEG file, small; picture_url : where the same lies for those who read JSON."""

    start_s: float
    title: str
    link: str = ""
    picture: bytes = b""
    picture_url: str = ""


@dataclass(frozen=True)
class Timed(Chapter):
    """A chapter with its end, in seconds."""

    end_s: float = 0.0


def timed(chapters: Sequence[Chapter], duration_s: float) -> tuple[Timed, ...]:
    """Chapters in order, each until the next, without those that begin after the end; the first begins at 0."""
    inside = sorted((each for each in chapters if 0 <= each.start_s < duration_s), key=lambda each: each.start_s)
    kept: list[Chapter] = []
    for each in inside:
        if kept and each.start_s - kept[-1].start_s < SHORTEST_S:
            kept.pop()
        kept.append(each)
    starts = [0.0 if n == 0 and each.start_s < SHORTEST_S else each.start_s for n, each in enumerate(kept)]
    ends = [*starts[1:], duration_s][: len(starts)]
    return tuple(
        Timed(start, _plain(each.title) or f"Chapter {n + 1}", each.link, each.picture, each.picture_url, end)
        for n, (each, start, end) in enumerate(zip(kept, starts, ends, strict=True))
    )


def _plain(title: str) -> str:
    return " ".join(title.split())[:MOST_TITLE]


def to_json(chapters: Sequence[Timed]) -> str:
    """The JSON that a feed points to as `application/json+chapters`."""
    told = []
    for each in chapters:
        one: dict[str, float | str] = {"startTime": round(each.start_s, 3), "title": each.title}
        if each.picture_url:
            one["img"] = each.picture_url
        if each.link:
            one["url"] = each.link
        told.append(one)
    return json.dumps({"version": "1.2.0", "chapters": told}, ensure_ascii=False, indent=1)


def to_vtt(chapters: Sequence[Timed]) -> str:
    """One cue a chapter."""
    cues = [
        f"{clock(each.start_s)} --> {clock(max(each.end_s, each.start_s + 0.001))}\n{_escaped(each.title)}\n"
        for each in chapters
    ]
    return "\n".join(["WEBVTT\n", *cues])


def to_lines(chapters: Sequence[Timed]) -> str:
    """As people read them in notes: `4:20 Title`, one a line."""
    return "\n".join(f"{short_clock(each.start_s)} {each.title}" for each in chapters)


def clock(seconds: float) -> str:
    """00:04:20.500."""
    ms = round(seconds * 1000)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}.{ms % 1000:03d}"


def short_clock(seconds: float) -> str:
    """4:20 or 1:04:20."""
    whole = int(seconds)
    hours, minutes = whole // 3600, whole // 60 % 60
    return f"{hours}:{minutes:02d}:{whole % 60:02d}" if hours else f"{minutes}:{whole % 60:02d}"


def _escaped(title: str) -> str:
    return title.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")

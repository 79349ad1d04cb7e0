"""Markers as files that other programs read: CSV with a header (RFC 4180), and WebVTT cues (W3C WebVTT)."""

import csv
import io
import re
from collections.abc import Sequence

from pampa.core.errors import EditRefused
from pampa.core.sound import RATE
from pampa.core.timeline.document import Document, Marker

Places = list[tuple[int, str]]
"""Frames and names."""
CUE = re.compile(r"^((?:\d+:)?\d{1,2}:\d{2}\.\d{3})[ \t]+-->")
MOST_S = 1_000_000.0
UNREADABLE = (
    "No markers are in this file. It should be CSV with the columns start and name, or WebVTT. Nothing was lost."
)


def to_csv(document: Document) -> str:
    """`start,name` in seconds with milliseconds, one marker a row."""
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(["start", "name"])
    rows.writerows([f"{marker.at / RATE:.3f}", marker.name] for marker in document.markers)
    return out.getvalue()


def to_vtt(document: Document) -> str:
    """One cue a marker, lasting until the next one or the end."""
    markers = document.markers
    ends = [*(marker.at for marker in markers[1:]), document.length][: len(markers)]
    cues = [
        f"{_stamp(marker.at)} --> {_stamp(max(end, marker.at + RATE // 1000))}\n{_plain(marker)}\n"
        for marker, end in zip(markers, ends, strict=True)
    ]
    return "\n".join(["WEBVTT\n", *cues])


def read_markers(text: str) -> Places:
    """The markers in a file of either kind. Raises EditRefused where it has none."""
    text = "\n".join(text.removeprefix("\ufeff").splitlines())  # a lone carriage return ends a line too
    try:
        found = _cues(text) if text.startswith("WEBVTT") else _rows(text)
    except csv.Error as error:
        raise EditRefused(UNREADABLE) from error
    if not found:
        raise EditRefused(UNREADABLE)
    return sorted(found)


def _cues(text: str) -> Places:
    found: Places = []
    lines: Sequence[str] = text.splitlines()
    for line, name in zip(lines, [*lines[1:], ""], strict=True):
        if cue := CUE.match(line):
            found.append((round(min(_seconds(cue[1]), MOST_S) * RATE), _unescaped(name.strip())))
    return found


def _rows(text: str) -> Places:
    found: Places = []
    rows = csv.reader(io.StringIO(text), delimiter=_delimiter(text))
    for row in rows:
        try:
            place = _seconds(row[0])
        except (ValueError, IndexError):
            continue  # the header, or a line that is none of ours
        if 0 <= place <= MOST_S:
            found.append((round(place * RATE), row[1].strip() if len(row) > 1 else ""))
    return found


def _delimiter(text: str) -> str:
    first = text.split("\n", 1)[0]
    return max(",;\t", key=first.count)


def _seconds(text: str) -> float:
    """1:02:03.4, 62:03.4 or 3723.4, as seconds."""
    seconds = 0.0
    for part in text.strip().split(":"):
        seconds = seconds * 60 + float(part)
    return seconds


def _stamp(frames: int) -> str:
    ms = round(frames * 1000 / RATE)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}.{ms % 1000:03d}"


def _plain(marker: Marker) -> str:
    name = " ".join(marker.name.split()) or "marker"
    return name.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _unescaped(name: str) -> str:
    return name.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&")

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
    ends = [marker.at for marker in markers[1:]] + [document.length]
    cues = [
        f"{_stamp(marker.at)} --> {_stamp(max(end, marker.at + RATE // 1000))}\n{_plain(marker)}\n"
        for marker, end in zip(markers, ends, strict=True)
    ]
    return "\n".join(["WEBVTT\n", *cues])


def read_markers(text: str) -> Places:
    """The markers in a file of either kind. Raises EditRefused where it has none."""
    text = text.removeprefix("\ufeff")
    found = _cues(text) if text.startswith("WEBVTT") else _rows(text)
    if not found:
        raise EditRefused(UNREADABLE)
    return sorted(found)


def _cues(text: str) -> Places:
    found: Places = []
    lines: Sequence[str] = text.splitlines()
    for line, name in zip(lines, [*lines[1:], ""], strict=True):
        if cue := CUE.match(line):
            found.append((round(_seconds(cue[1]) * RATE), _unescaped(name.strip())))
    return found


def _rows(text: str) -> Places:
    found: Places = []
    rows = csv.reader(io.StringIO(text), delimiter=_delimiter(text))
    for row in rows:
        try:
            found.append((round(_seconds(row[0]) * RATE), row[1].strip() if len(row) > 1 else ""))
        except (ValueError, IndexError):
            continue  # the header, or a line that is none of ours
    return [(at, name) for at, name in found if at >= 0]


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

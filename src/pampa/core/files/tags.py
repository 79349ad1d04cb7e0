"""Title, show, number and date in a file's tags, in the open form of each format."""

from dataclasses import dataclass
from pathlib import Path
from typing import cast

from mutagen.flac import FLAC
from mutagen.id3 import ID3, TALB, TDRC, TIT2, TPE1, TRCK
from mutagen.wave import WAVE


@dataclass(frozen=True)
class Tags:
    """What a listener's player shows. Empty text is left out."""

    title: str = ""
    show: str = ""
    host: str = ""
    number: int | None = None
    date: str = ""


def write_tags(path: Path, tags: Tags) -> None:
    """Write tags into a finished file: ID3v2.4 for MP3 and WAV, Vorbis comments for FLAC."""
    if path.suffix == ".flac":
        flac = FLAC(path)
        named = {"title": tags.title, "album": tags.show, "artist": tags.host, "date": tags.date}
        for name, text in {**named, "tracknumber": str(tags.number or "")}.items():
            if text:
                flac[name] = text
        flac.save()
        return
    if path.suffix == ".wav":
        wave = WAVE(path)
        if wave.tags is None:
            wave.add_tags()
        _fill(cast(ID3, wave.tags), tags)
        wave.save()
        return
    id3 = ID3()
    _fill(id3, tags)
    id3.save(path, v2_version=4)


def _fill(id3: ID3, tags: Tags) -> None:
    frames = {TIT2: tags.title, TALB: tags.show, TPE1: tags.host, TRCK: str(tags.number or ""), TDRC: tags.date}
    for frame, text in frames.items():
        if text:
            id3.add(frame(encoding=3, text=text))

"""What a listener's player shows, in the open form of each container: titles, notes, artwork, chapters.

Sources: ID3v2.4 with its chapter addendum (CHAP, CTOC); Vorbis comments with CHAPTERxxx and METADATA_BLOCK_PICTURE; the
tags of MP4. Chapters of MP4 are written together with its sound.
"""

import base64
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mutagen import id3 as of_id3
from mutagen.flac import FLAC, Picture
from mutagen.mp4 import MP4, MP4Cover
from mutagen.oggopus import OggOpus
from mutagen.oggvorbis import OggVorbis
from mutagen.wave import WAVE

from pampa.core.deliver.chapters import Chapter, Timed, clock

GENRE = "Podcast"
RIFF_MOST = 0xFFFF_FFFF
UNUSED = 0xFFFF_FFFF
"""Of a chapter's place in bytes, which nobody needs beside its time."""


@dataclass(frozen=True)
class Tags:
    """What a listener's player shows. Empty text is left out.

    notes : as plain text. artwork : a JPEG file, square. link : where the episode has its page.
    """

    title: str = ""
    show: str = ""
    host: str = ""
    number: int | None = None
    date: str = ""
    season: int | None = None
    notes: str = ""
    link: str = ""
    artwork: bytes = b""
    chapters: tuple[Chapter, ...] = ()


def write_tags(path: Path, tags: Tags, chapters: Sequence[Timed] = ()) -> None:
    """Write tags into a finished file, of which the ending tells what it is."""
    _WRITERS[path.suffix.lower()](path, tags, chapters)


def _write_mp3(path: Path, tags: Tags, chapters: Sequence[Timed]) -> None:
    id3 = of_id3.ID3()
    _fill(id3, tags, chapters)
    id3.save(path, v2_version=4)


def _write_wave(path: Path, tags: Tags, _chapters: Sequence[Timed]) -> None:
    if path.stat().st_size > RIFF_MOST:
        return  # ID3 has no place in RF64; what is to be known of such a file stands in its other chunks
    wave = WAVE(path)
    if wave.tags is None:
        wave.add_tags()
    _fill(wave.tags, tags, ())  # its chapters are its cues
    wave.save()


def _fill(id3: Any, tags: Tags, chapters: Sequence[Timed]) -> None:
    texts = {
        of_id3.TIT2: tags.title, of_id3.TALB: tags.show, of_id3.TPE1: tags.host, of_id3.TDRC: tags.date,
        of_id3.TRCK: str(tags.number or ""), of_id3.TCON: GENRE if tags.show else "",
    }  # fmt: skip
    for frame, text in texts.items():
        if text:
            id3.add(frame(encoding=3, text=text))
    if tags.season:
        id3.add(of_id3.TXXX(encoding=3, desc="SEASON", text=str(tags.season)))
    if tags.notes:
        id3.add(of_id3.COMM(encoding=3, lang="und", desc="", text=tags.notes))
    if tags.link:
        id3.add(of_id3.WOAF(url=tags.link))
    if tags.artwork:
        id3.add(_cover(tags.artwork))
    if chapters:
        names = [f"chp{n}" for n in range(len(chapters))]
        flags = of_id3.CTOCFlags.TOP_LEVEL | of_id3.CTOCFlags.ORDERED
        id3.add(of_id3.CTOC(element_id="toc", flags=flags, child_element_ids=names, sub_frames=[]))
        for name, chapter in zip(names, chapters, strict=True):
            id3.add(_chap(name, chapter))


def _chap(name: str, chapter: Timed) -> Any:
    inside: list[Any] = [of_id3.TIT2(encoding=3, text=chapter.title)]
    if chapter.link:
        inside.append(of_id3.WXXX(encoding=3, desc="chapter url", url=chapter.link))
    if chapter.picture:
        inside.append(_cover(chapter.picture))
    return of_id3.CHAP(
        element_id=name, start_time=round(chapter.start_s * 1000), end_time=round(chapter.end_s * 1000),
        start_offset=UNUSED, end_offset=UNUSED, sub_frames=inside,
    )  # fmt: skip


def _cover(jpeg: bytes) -> Any:
    return of_id3.APIC(encoding=3, mime="image/jpeg", type=of_id3.PictureType.COVER_FRONT, desc="", data=jpeg)


def _write_m4a(path: Path, tags: Tags, chapters: Sequence[Timed]) -> None:
    mp4 = MP4(path)
    if mp4.tags is None:
        mp4.add_tags()
    told = {"\xa9nam": tags.title, "\xa9alb": tags.show, "\xa9ART": tags.host, "\xa9day": tags.date,
            "\xa9gen": GENRE if tags.show else "", "\xa9cmt": tags.notes, "desc": tags.notes[:255], "ldes": tags.notes,
            "purl": tags.link}  # fmt: skip
    for name, text in told.items():
        if text:
            mp4[name] = text
    if tags.number:
        mp4["trkn"] = [(tags.number, 0)]
    if tags.season:
        mp4["disk"] = [(tags.season, 0)]
    if tags.artwork:
        mp4["covr"] = [MP4Cover(tags.artwork, MP4Cover.FORMAT_JPEG)]
    mp4.save()


def _write_comments(path: Path, tags: Tags, chapters: Sequence[Timed]) -> None:
    file: Any = {".flac": FLAC, ".ogg": OggVorbis, ".opus": OggOpus}[path.suffix.lower()](path)
    told = {"title": tags.title, "album": tags.show, "artist": tags.host, "date": tags.date, "comment": tags.notes,
            "genre": GENRE if tags.show else "", "tracknumber": str(tags.number or ""),
            "discnumber": str(tags.season or ""), "contact": tags.link}  # fmt: skip
    for name, text in told.items():
        if text:
            file[name] = text
    for n, chapter in enumerate(chapters):
        file[f"CHAPTER{n:03d}"] = clock(chapter.start_s)
        file[f"CHAPTER{n:03d}NAME"] = chapter.title
        if chapter.link:
            file[f"CHAPTER{n:03d}URL"] = chapter.link
    if tags.artwork:
        picture = Picture()
        picture.type, picture.mime, picture.data = of_id3.PictureType.COVER_FRONT, "image/jpeg", tags.artwork
        if isinstance(file, FLAC):
            file.add_picture(picture)
        else:
            file["metadata_block_picture"] = base64.b64encode(picture.write()).decode()
    file.save()


_WRITERS = {
    ".mp3": _write_mp3, ".wav": _write_wave, ".m4a": _write_m4a, ".flac": _write_comments, ".ogg": _write_comments,
    ".opus": _write_comments,
}  # fmt: skip

"""A show's feed: read as it stands, changed in one place, and written again; what somebody else put there stays.

Sources: RSS 2.0; RFC 4287 for the link to itself; RFC 5322 dates; the content module; the tags of the podcast
directories' name space; the open podcast name space (guid, locked, person, chapters, season, episode).
"""

import copy
import re
import uuid
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import format_datetime, parsedate_to_datetime

from pampa.core.errors import PampaError

ATOM = "http://www.w3.org/2005/Atom"
CONTENT = "http://purl.org/rss/1.0/modules/content/"
DIRECTORY = "http://www.itunes.com/dtds/podcast-1.0.dtd"
OPEN = "https://podcastindex.org/namespace/1.0"
SPACES = {"atom": ATOM, "content": CONTENT, "itunes": DIRECTORY, "podcast": OPEN}
GUID_SPACE = uuid.UUID("ead4c236-bf58-58c6-a2c6-a6b28d128cb6")
"""Of the open name space, for the guid of a feed by its address."""
MOST_BYTES = 20_000_000


class FeedError(PampaError):
    """What is there cannot be read as a feed."""


@dataclass(frozen=True)
class Person:
    """Somebody who is heard. role : host or guest."""

    name: str
    role: str


@dataclass(frozen=True)
class Channel:
    """What a feed says of its show. address : where the feed lies. kind : episodic, or serial for a story in order.

    guid : of the show, a UUID, the same for ever and in every place.
    """

    title: str
    address: str
    guid: str
    description: str = ""
    link: str = ""
    language: str = ""
    category: str = ""
    author: str = ""
    email: str = ""
    copyright: str = ""
    artwork: str = ""
    kind: str = "episodic"
    explicit: bool = False


@dataclass(frozen=True)
class Item:
    """What a feed says of an episode. url, length, mime : of its sound; length in bytes, as it lies there.

    date : with a zone. html : notes for players that show them; summary : the same in a few plain words.
    """

    guid: str
    title: str
    date: datetime
    url: str
    length: int
    mime: str
    duration_s: float
    html: str = ""
    summary: str = ""
    number: int | None = None
    season: int | None = None
    kind: str = "full"
    explicit: bool = False
    link: str = ""
    artwork: str = ""
    chapters: str = ""
    people: tuple[Person, ...] = ()


def guid_of(address: str) -> str:
    """The guid that a feed has by its address, for a show that has none yet."""
    return str(uuid.uuid5(GUID_SPACE, address.partition("://")[2].rstrip("/")))


def read(data: bytes) -> ET.Element:
    """A feed as a tree. Raises FeedError for what is none."""
    if len(data) > MOST_BYTES:
        raise FeedError(f"What is there is larger than {MOST_BYTES // 1_000_000} MB, which no feed is.")
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise FeedError("What is there defines things of its own (a DOCTYPE), which no feed needs; it is not read.")
    try:
        root = ET.fromstring(data)
    except ET.ParseError as error:
        raise FeedError(f"What is there is no well-formed XML (line {error.position[0]}).") from error
    if root.tag != "rss" or root.find("channel") is None:
        raise FeedError(f"What is there is no RSS feed: it begins with “{root.tag.rpartition('}')[2][:40]}”.")
    return root


def empty() -> ET.Element:
    """A feed that says nothing yet."""
    root = ET.Element("rss", {"version": "2.0"})
    ET.SubElement(root, "channel")
    return root


def written(root: ET.Element) -> bytes:
    """The bytes of a feed."""
    for prefix, space in SPACES.items():
        ET.register_namespace(prefix, space)
    tidy = copy.deepcopy(root)
    ET.indent(tidy)
    return bytes(ET.tostring(tidy, "utf-8", xml_declaration=True)) + b"\n"


def shown(item: ET.Element) -> str:
    """An episode's part of a feed, for people to read: names by their usual prefixes, without where those are told."""
    text = written(item).decode().partition("\n")[2]
    return re.sub(r' xmlns:\w+="[^"]*"', "", text).strip()


def with_channel(root: ET.Element, channel: Channel, built: datetime) -> ET.Element:
    """A feed that says this of its show; what Pampa knows nothing of stays."""
    root = copy.deepcopy(root)
    top = _channel(root)
    own: list[ET.Element] = [
        _text("title", channel.title), _text("link", channel.link or channel.address),
        _text("description", channel.description), _text("language", channel.language),
        _text("copyright", channel.copyright), _text("generator", "Pampa"),
        _text("lastBuildDate", format_datetime(built.astimezone(UTC))),
        ET.Element(f"{{{ATOM}}}link", {"href": channel.address, "rel": "self", "type": "application/rss+xml"}),
        _directory("author", channel.author), _directory("type", channel.kind),
        _directory("explicit", _yes(channel.explicit)),
        *([ET.Element(f"{{{DIRECTORY}}}category", {"text": channel.category})] if channel.category else []),
        *_picture(channel.artwork), _owner(channel), _open("guid", channel.guid),
        _open("locked", "yes", owner=channel.email) if channel.email else _open("locked", "no"),
    ]  # fmt: skip
    kept = [element for element in own if element.text or element.attrib or len(element)]
    names = {element.tag for element in kept}
    for old in list(top):
        if old.tag in names and not (old.tag == f"{{{ATOM}}}link" and old.get("rel") != "self"):
            top.remove(old)
    for at, element in enumerate(kept):
        top.insert(at, element)
    return root


def with_item(root: ET.Element, item: Item) -> ET.Element:
    """A feed with an episode, in the place of one with the same guid; the latest come first."""
    root = without_item(root, item.guid)
    top = _channel(root)
    others = list(top)
    for at, other in enumerate(others):
        if other.tag == "item" and (date_of(other) or item.date) <= item.date:
            top.insert(at, _item(item))
            return root
    top.append(_item(item))
    return root


def without_item(root: ET.Element, guid: str) -> ET.Element:
    """A feed without an episode."""
    root = copy.deepcopy(root)
    top = _channel(root)
    for item in top.findall("item"):
        if text_of(item, "guid") == guid:
            top.remove(item)
    return root


def items_of(root: ET.Element) -> list[ET.Element]:
    """The episodes of a feed, as they stand in it."""
    return _channel(root).findall("item")


def text_of(element: ET.Element, name: str, space: str = "") -> str:
    """The text of what stands in an element under a name."""
    found = element.find(f"{{{space}}}{name}" if space else name)
    return (found.text or "").strip() if found is not None else ""


def channel_text(root: ET.Element, name: str, space: str = "") -> str:
    """The same for the channel of a feed."""
    return text_of(_channel(root), name, space)


def date_of(item: ET.Element) -> datetime | None:
    """When an episode says that it was published; None where it says nothing that can be read."""
    try:
        found = parsedate_to_datetime(text_of(item, "pubDate"))
    except (TypeError, ValueError):
        return None
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _channel(root: ET.Element) -> ET.Element:
    found = root.find("channel")
    assert found is not None
    return found


def _item(item: Item) -> ET.Element:
    made = ET.Element("item")
    numbers = [
        (name, value) for name, value in (("season", item.season), ("episode", item.number)) if value is not None
    ]
    told = [
        _text("title", item.title), _text("link", item.link), _guid(item.guid),
        _text("pubDate", format_datetime(item.date.astimezone(UTC))), _text("description", item.summary or item.title),
        ET.Element("enclosure", {"url": item.url, "length": str(item.length), "type": item.mime}),
        _of(CONTENT, "encoded", item.html), _directory("title", item.title),
        _directory("duration", str(round(item.duration_s))), _directory("episodeType", item.kind),
        _directory("explicit", _yes(item.explicit)), *(_directory(name, str(value)) for name, value in numbers),
        *(_open(name, str(value)) for name, value in numbers), *_picture(item.artwork),
        *(_open("person", each.name, role=each.role) for each in item.people),
    ]  # fmt: skip
    if item.chapters:
        told.append(_open("chapters", "", url=item.chapters, type="application/json+chapters"))
    made.extend(element for element in told if element.text or element.attrib)
    return made


def _text(name: str, text: str) -> ET.Element:
    made = ET.Element(name)
    made.text = _plain(text)
    return made


def _of(space: str, name: str, text: str, **attributes: str) -> ET.Element:
    made = ET.Element(f"{{{space}}}{name}", {key: _plain(value) for key, value in attributes.items()})
    made.text = _plain(text) or None
    return made


def _directory(name: str, text: str) -> ET.Element:
    return _of(DIRECTORY, name, text)


def _open(name: str, text: str, **attributes: str) -> ET.Element:
    return _of(OPEN, name, text, **attributes)


def _guid(guid: str) -> ET.Element:
    made = ET.Element("guid", {"isPermaLink": "false"})
    made.text = guid
    return made


def _picture(url: str) -> list[ET.Element]:
    return [ET.Element(f"{{{DIRECTORY}}}image", {"href": url})] if url else []


def _owner(channel: Channel) -> ET.Element:
    made = ET.Element(f"{{{DIRECTORY}}}owner")
    if channel.email:
        made.extend([_directory("name", channel.author or channel.title), _directory("email", channel.email)])
    return made


def _yes(value: bool) -> str:
    return "true" if value else "false"


def _plain(text: str) -> str:
    """Without what XML 1.0 cannot hold."""
    return "".join(c for c in text if c in "\t\n\r" or (ord(c) >= 32 and c not in "\ufffe\uffff"))

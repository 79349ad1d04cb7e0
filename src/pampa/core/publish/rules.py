"""What directories and players ask of a feed: each rule one entry, with its sentence and where it is written."""

import re
import xml.etree.ElementTree as ET
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from pampa.core.publish.feed import ATOM, DIRECTORY, OPEN, channel_text, date_of, items_of, text_of

RSS = "RSS 2.0"
DIRECTORIES = "directories' tags"
OPEN_SPACE = "open podcast name space"
HEARD_EVERYWHERE = ("audio/mpeg", "audio/mp4", "audio/x-m4a")
CATEGORIES = (
    "Arts", "Business", "Comedy", "Education", "Fiction", "Government", "Health & Fitness", "History", "Kids & Family",
    "Leisure", "Music", "News", "Religion & Spirituality", "Science", "Society & Culture", "Sports", "Technology",
    "True Crime", "TV & Film",
)  # fmt: skip
CLOCKS_S = 300


@dataclass(frozen=True)
class Read:
    """A feed as it would be read. now : by the clock of the place where it lies."""

    root: ET.Element
    now: datetime


@dataclass(frozen=True)
class Rule:
    """One thing that is asked of a feed. grave : without it, players cannot read the feed or get the sound.

    looks : gives a sentence for each fault, and the guid of the episode that it is about.
    """

    name: str
    source: str
    grave: bool
    looks: Callable[[Read], Iterable[tuple[str, str]]]


@dataclass(frozen=True)
class Fault:
    """A rule that is broken. guid : of the episode, empty for the show."""

    rule: str
    source: str
    grave: bool
    told: str
    guid: str = ""


def faults_of(feed: Read) -> list[Fault]:
    """What is not as it should be, the grave first."""
    found = [Fault(rule.name, rule.source, rule.grave, told, guid) for rule in RULES for told, guid in rule.looks(feed)]
    return sorted(found, key=lambda fault: not fault.grave)


def _says(name: str, sentence: str, space: str = "") -> Callable[[Read], Iterable[tuple[str, str]]]:
    def looks(feed: Read) -> Iterable[tuple[str, str]]:
        if not channel_text(feed.root, name, space):
            yield sentence, ""

    return looks


def _attribute(name: str, attribute: str, sentence: str, space: str) -> Callable[[Read], Iterable[tuple[str, str]]]:
    def looks(feed: Read) -> Iterable[tuple[str, str]]:
        if not any(found.get(attribute) for found in feed.root.findall(f"channel/{{{space}}}{name}")):
            yield sentence, ""

    return looks


def _each(check: Callable[[ET.Element, Read], str | None]) -> Callable[[Read], Iterable[tuple[str, str]]]:
    def looks(feed: Read) -> Iterable[tuple[str, str]]:
        for item in items_of(feed.root):
            told = check(item, feed)
            if told:
                yield told, text_of(item, "guid")

    return looks


def _titled(item: ET.Element, feed: Read) -> str | None:
    return None if text_of(item, "title") else "An episode has no title."


def _sound(item: ET.Element, feed: Read) -> str | None:
    found = item.find("enclosure")
    title = text_of(item, "title")
    if found is None or not found.get("url"):
        return f"“{title}” has no sound to load."
    if not re.fullmatch(r"https?://\S+", found.get("url", "")):
        return f"The address of the sound of “{title}” is none that a player can load."
    if not (found.get("length") or "").isdigit() or found.get("length") == "0":
        return f"The size of the sound of “{title}” is not said in bytes."
    return None if found.get("type") else f"It is not said what kind of file the sound of “{title}” is."


def _heard(item: ET.Element, feed: Read) -> str | None:
    found = item.find("enclosure")
    kind = "" if found is None else found.get("type") or ""
    if not kind or kind in HEARD_EVERYWHERE or kind.startswith("video/"):
        return None
    return f"“{text_of(item, 'title')}” is {kind}, which some players do not play. Send an MP3 or AAC there."


def _dated(item: ET.Element, feed: Read) -> str | None:
    return None if date_of(item) else f"“{text_of(item, 'title')}” has no date that can be read."


def _not_ahead(item: ET.Element, feed: Read) -> str | None:
    date = date_of(item)
    if date is None or date <= feed.now + timedelta(seconds=CLOCKS_S):
        return None
    return f"“{text_of(item, 'title')}” is dated {date:%Y-%m-%d %H:%M}, which is still to come: most players hide it."


def _season_with_number(item: ET.Element, feed: Read) -> str | None:
    number, season = text_of(item, "episode", DIRECTORY), text_of(item, "season", DIRECTORY)
    return f"“{text_of(item, 'title')}” has a season, and no number in it." if season and not number else None


def _guids(feed: Read) -> Iterable[tuple[str, str]]:
    guids = Counter(text_of(item, "guid") for item in items_of(feed.root))
    if guids.get(""):
        yield "An episode has no guid, so players cannot tell it from others.", ""
    for guid, count in guids.items():
        if guid and count > 1:
            yield f"{count} episodes have the same guid: players show one of them.", guid


def _numbers(feed: Read) -> Iterable[tuple[str, str]]:
    told: dict[tuple[str, str], str] = {}
    for item in items_of(feed.root):
        number, season = text_of(item, "episode", DIRECTORY), text_of(item, "season", DIRECTORY)
        title = text_of(item, "title")
        if number and (other := told.setdefault((season, number), title)) is not title:
            yield f"“{title}” and “{other}” have the same number {number}.", text_of(item, "guid")


def _category(feed: Read) -> Iterable[tuple[str, str]]:
    found = [each.get("text", "") for each in feed.root.findall(f"channel/{{{DIRECTORY}}}category")]
    if not any(found):
        yield "The show has no category, and directories refuse it.", ""
    for each in found:
        if each and each not in CATEGORIES:
            yield f"Directories know no category “{each}”.", ""


def _itself(feed: Read) -> Iterable[tuple[str, str]]:
    if not any(link.get("rel") == "self" and link.get("href") for link in feed.root.findall(f"channel/{{{ATOM}}}link")):
        yield "The feed does not say where it lies itself.", ""


def _language(feed: Read) -> Iterable[tuple[str, str]]:
    told = channel_text(feed.root, "language")
    if not told:
        yield "The show's language is not said, and directories refuse it.", ""
    elif not re.fullmatch(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*", told):
        yield f"“{told}” is no language code, such as en or pt-br.", ""


RULES: tuple[Rule, ...] = (
    Rule("title", RSS, True, _says("title", "The show has no name.")),
    Rule("guid", RSS, True, _guids),
    Rule("item-title", RSS, True, _each(_titled)),
    Rule("enclosure", RSS, True, _each(_sound)),
    Rule("date", f"{RSS}, RFC 5322", True, _each(_dated)),
    Rule("self", "RFC 4287", True, _itself),
    Rule("description", RSS, False, _says("description", "The show has no description, and directories refuse it.")),
    Rule("artwork", DIRECTORIES, False,
         _attribute("image", "href", "The show has no artwork, and directories refuse it.", DIRECTORY)),
    Rule("category", DIRECTORIES, False, _category),
    Rule("language", f"{RSS}, BCP 47", False, _language),
    Rule("explicit", DIRECTORIES, False, _says("explicit", "It is not said whether the show is explicit.", DIRECTORY)),
    Rule("owner", DIRECTORIES, False,
         lambda feed: [] if feed.root.find(f"channel/{{{DIRECTORY}}}owner") is not None
         else [("No mail address is given, by which directories make sure whose show it is.", "")]),
    Rule("show-guid", OPEN_SPACE, False, _says("guid", "The show has no guid of its own.", OPEN)),
    Rule("played", DIRECTORIES, False, _each(_heard)),
    Rule("ahead", RSS, False, _each(_not_ahead)),
    Rule("numbers", DIRECTORIES, False, _numbers),
    Rule("season", OPEN_SPACE, False, _each(_season_with_number)),
)  # fmt: skip
"""In order of the harm that it does to break them."""

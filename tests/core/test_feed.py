"""A feed is read as it stands, changed in one place, and held to its rules."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import feedparser
import pytest

from pampa.core.publish import feed as feeds
from pampa.core.publish.feed import Channel, FeedError, Item, Person
from pampa.core.publish.rules import CATEGORIES, RULES, Read, faults_of

NOW = datetime(2026, 11, 23, 21, 30, tzinfo=UTC)
CHANNEL = Channel(
    "Slack Water", "https://slackwater.example/feed.xml", "0d1a9c2e-7c3c-5a64-9d3c-0c7c2b7e2f10",
    "Conversations with people whose work follows the tide.", "https://slackwater.example", "en", CATEGORIES[0],
    "Marisol Vey", "marisol@slackwater.example", "Slack Water", "https://slackwater.example/art.jpg",
)  # fmt: skip
PILOT = Item(
    "guid-12", "The Pilot Ladder & the tide", NOW, "https://slackwater.example/12.mp3", 123456, "audio/mpeg", 345.4,
    "<p>With <em>Anders Quill</em>.</p>", "With Anders Quill.", 12, 2, link="https://slackwater.example/12",
    chapters="https://slackwater.example/12.json",
    people=(Person("Marisol Vey", "host"), Person("Anders Quill", "guest")),
)  # fmt: skip
SOMEBODYS = b"""<?xml version="1.0"?>
<rss version="2.0" xmlns:own="https://own.example/ns"><channel><title>Slack Water</title><own:mood>calm</own:mood>
<description>Before.</description><item><guid>guid-3</guid><title>Old</title><own:depth>7</own:depth>
<pubDate>Mon, 02 Feb 2026 08:00:00 GMT</pubDate><enclosure url="https://slackwater.example/3.mp3" length="9"
type="audio/mpeg"/></item></channel></rss>"""


def made(*items, root=None, channel=CHANNEL):
    root = feeds.with_channel(feeds.empty() if root is None else root, channel, NOW)
    for item in items:
        root = feeds.with_item(root, item)
    return root


def rules_broken(root, now=NOW):
    return {fault.rule for fault in faults_of(Read(root, now))}


def test_another_reader_finds_all_that_was_written():
    told = feedparser.parse(feeds.written(made(PILOT)))
    assert not told.bozo
    assert told.feed.title == "Slack Water"
    assert told.feed.image.href == "https://slackwater.example/art.jpg"
    assert told.feed.podcast_guid == CHANNEL.guid
    [entry] = told.entries
    assert (entry.title, entry.id, entry.guidislink) == ("The Pilot Ladder & the tide", "guid-12", False)
    assert entry.enclosures[0] == {"href": PILOT.url, "length": "123456", "type": "audio/mpeg"}
    assert datetime(*entry.published_parsed[:6], tzinfo=UTC) == NOW
    assert (entry.itunes_episode, entry.itunes_season, entry.itunes_duration) == ("12", "2", "345")
    assert entry.content[0].value == PILOT.html
    assert entry.podcast_chapters["url"] == PILOT.chapters


def test_a_whole_feed_breaks_no_rule():
    assert rules_broken(feeds.read(feeds.written(made(PILOT)))) == set()


@pytest.mark.parametrize(
    ("rule", "channel", "items"),
    [
        ("title", replace(CHANNEL, title=""), [PILOT]),
        ("description", replace(CHANNEL, description=""), [PILOT]),
        ("artwork", replace(CHANNEL, artwork=""), [PILOT]),
        ("category", replace(CHANNEL, category=""), [PILOT]),
        ("category", replace(CHANNEL, category="Pilots"), [PILOT]),
        ("language", replace(CHANNEL, language="english please"), [PILOT]),
        ("owner", replace(CHANNEL, email=""), [PILOT]),
        ("show-guid", replace(CHANNEL, guid=""), [PILOT]),
        ("item-title", CHANNEL, [replace(PILOT, title="")]),
        ("guid", CHANNEL, [replace(PILOT, guid="")]),
        ("enclosure", CHANNEL, [replace(PILOT, url="")]),
        ("enclosure", CHANNEL, [replace(PILOT, length=0)]),
        ("enclosure", CHANNEL, [replace(PILOT, mime="")]),
        ("played", CHANNEL, [replace(PILOT, mime="audio/flac")]),
        ("ahead", CHANNEL, [replace(PILOT, date=NOW + timedelta(days=1))]),
        ("numbers", CHANNEL, [PILOT, replace(PILOT, guid="guid-13", title="Another")]),
        ("season", CHANNEL, [replace(PILOT, number=None)]),
    ],
)
def test_each_rule_finds_its_fault(rule, channel, items):
    assert rules_broken(made(*items, channel=channel)) == {rule}


def test_every_rule_has_a_source_and_the_grave_come_first():
    assert all(rule.source for rule in RULES)
    faults = faults_of(Read(made(replace(PILOT, url=""), channel=replace(CHANNEL, description="")), NOW))
    assert [fault.grave for fault in faults] == [True, False]


def test_what_somebody_else_wrote_stays():
    root = made(PILOT, root=feeds.read(SOMEBODYS))
    text = feeds.written(root).decode()
    told = feedparser.parse(text)
    assert [entry.id for entry in told.entries] == ["guid-12", "guid-3"]
    assert "calm" in text
    assert ">7<" in text
    assert told.feed.subtitle == CHANNEL.description


def test_an_episode_again_takes_its_own_place_and_others_keep_theirs():
    root = made(PILOT, root=feeds.read(SOMEBODYS))
    again = feeds.with_item(root, replace(PILOT, title="The Pilot Ladder, mended"))
    assert [feeds.text_of(item, "guid") for item in feeds.items_of(again)] == ["guid-12", "guid-3"]
    assert feeds.text_of(feeds.items_of(again)[0], "title") == "The Pilot Ladder, mended"
    late = feeds.with_item(again, replace(PILOT, guid="guid-2", date=NOW - timedelta(days=300)))
    assert [feeds.text_of(item, "guid") for item in feeds.items_of(late)] == ["guid-12", "guid-3", "guid-2"]
    assert [feeds.text_of(item, "guid") for item in feeds.items_of(feeds.without_item(late, "guid-12"))] == [
        "guid-3", "guid-2"
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "well-formed"),
        (b"<rss><channel>", "well-formed"),
        (b"<html><body/></html>", "no RSS feed"),
        (b"<rss/>", "no RSS feed"),
        (b'<!DOCTYPE rss [<!ENTITY a "b">]><rss><channel/></rss>', "DOCTYPE"),
    ],
)
def test_what_is_no_feed_is_told(data, says):
    with pytest.raises(FeedError, match=says):
        feeds.read(data)


def test_letters_that_xml_cannot_hold_are_left_out():
    root = feeds.read(feeds.written(made(replace(PILOT, title="Ebb\x00 and\x0b flow"))))
    assert feeds.text_of(feeds.items_of(root)[0], "title") == "Ebb and flow"


def test_the_guid_of_a_feed_hangs_on_its_address_and_on_nothing_else():
    guid = feeds.guid_of("https://slackwater.example/feed.xml")
    assert guid == feeds.guid_of("http://slackwater.example/feed.xml/")
    assert guid != feeds.guid_of("https://slackwater.example/feed")
    assert guid[14] == "5"  # a name-based UUID

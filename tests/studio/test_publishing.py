"""Publishing: to a mooring, a folder and by SFTP; whole or not at all, and what is there stays known by its guid."""

import hashlib
import stat
import time
from dataclasses import asdict, replace
from datetime import UTC, datetime, timedelta

import feedparser
import numpy as np
import pytest
import soundfile

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, HostError
from pampa.core.publish import feed as feeds
from pampa.hosts.host import PIECE
from pampa.hosts.moored import Moored
from pampa.studio import publishing
from pampa.studio.publishing import Wish
from pampa.studio.sending import Wanted
from tests.hosting import mooring, ssh


@pytest.fixture
def berth(tmp_path):
    with mooring(tmp_path / "mooring") as served:
        yield served


@pytest.fixture
def place(studio, two_people, berth, monkeypatch):
    """The mooring as a place of the show of two people."""
    monkeypatch.setattr(publishing, "PAUSES_S", (0.05, 0.1))
    studio.about.change_show(1, description="Of the tide.", category="Arts", email="marisol@slackwater.example")
    return studio.places.make(1, "mooring", "The mooring", berth.token, address=berth.address).id


def delivered(studio, kind="opus"):
    """A file that is made quickly: what it is told to be is looked at where it is MP3 and M4A."""
    studio.sending.start(1, [Wanted(Format(kind), Aim(-16.0, -1.0))])
    studio.jobs.wait()
    return studio.sending.of_episode(1)[0].id


def published(studio, wish):
    return ended(studio, studio.publishing.publish(1, wish))


def ended(studio, job):
    studio.jobs.wait()
    return studio.jobs.told(job)


def read(berth):
    return feedparser.parse(berth.get("/slack-water/feed.xml").content)


def test_an_episode_is_published_read_by_another_program_and_loaded_byte_for_byte(studio, place, berth):
    studio.editing.edit(1, "add_marker", {"at": 48000, "name": "The bar"})
    file = delivered(studio, "mp3")
    assert published(studio, Wish(place, file))["state"] == "done"
    told = read(berth)
    [entry] = told.entries
    path, _ = studio.sending.file(file)
    sound = entry.enclosures[0]
    assert sound["length"] == str(path.stat().st_size)
    got = berth.get(sound["href"].removeprefix(berth.address))
    assert got.content == path.read_bytes()
    assert got.headers["content-type"] == sound["type"] == "audio/mpeg"
    part = berth.get(sound["href"].removeprefix(berth.address), headers={"Range": "bytes=100-199"})
    assert (part.status_code, part.content) == (206, path.read_bytes()[100:200])
    chapters = berth.get(entry.podcast_chapters["url"].removeprefix(berth.address)).json()
    assert chapters["chapters"][0]["title"] == "The bar"
    assert studio.publishing.of_episode(1)[0].state == "public"
    assert [listed.episode for listed in studio.publishing.there(place)] == [1]


def test_a_change_keeps_guid_date_and_old_links(studio, place, berth):
    first = delivered(studio)
    published(studio, Wish(place, first))
    [before] = read(berth).entries
    studio.shows.change_episode(1, title="The Pilot Ladder, mended")
    studio.editing.edit(1, "take_out", {"start": 0, "stop": 48000})
    second = delivered(studio)
    assert studio.publishing.look(1, Wish(place, second)).again
    assert published(studio, Wish(place, second))["state"] == "done"
    [after] = read(berth).entries
    assert (after.id, after.published) == (before.id, before.published)
    assert after.title == "The Pilot Ladder, mended"
    assert after.enclosures[0]["href"] != before.enclosures[0]["href"]
    for entry in (before, after):
        assert berth.get(entry.enclosures[0]["href"].removeprefix(berth.address)).status_code == 200
    assert published(studio, Wish(place, second))["state"] == "done"
    assert len(read(berth).entries) == 1


def test_drafts_and_later_dates_are_kept_back(studio, place, berth):
    file = delivered(studio)
    published(studio, Wish(place, file, draft=True))
    assert read(berth).entries == []
    guid = studio.about.of_episode(1).guid
    assert "The Pilot Ladder" in berth.get(f"/slack-water/drafts/{guid}").text
    assert studio.publishing.there(place)[0].state == "draft"
    later = datetime.now(UTC) + timedelta(hours=2)
    published(studio, Wish(place, file, when=later))
    assert read(berth).entries == []
    assert studio.publishing.there(place)[0].state == "waiting"
    berth.mood(clock_s=3 * 3600)
    assert len(read(berth).entries) == 1


def test_an_episode_is_withdrawn_with_its_sound(studio, place, berth):
    published(studio, Wish(place, delivered(studio)))
    [entry] = read(berth).entries
    assert ended(studio, studio.publishing.withdraw(1, place))["state"] == "done"
    assert read(berth).entries == []
    assert berth.get(entry.enclosures[0]["href"].removeprefix(berth.address)).status_code == 404
    assert studio.publishing.of_episode(1)[0].state == "withdrawn"
    assert "not at" in ended(studio, studio.publishing.withdraw(1, place))["error"]


@pytest.mark.parametrize(
    ("mood", "says"),
    [({"expired": True}, "token"), ({"full": True}, "no room left"), ({"fails": 100}, "failed")],
)
def test_what_goes_wrong_there_is_told_and_changes_nothing(studio, place, berth, mood, says):
    berth.mood(**mood)
    job = published(studio, Wish(place, delivered(studio)))
    assert job["state"] == "failed"
    assert says in job["error"]
    assert berth.get("/slack-water/feed.xml").status_code == 404
    assert studio.publishing.of_episode(1) == []


def test_publishing_is_stopped_and_nothing_is_public(studio, place, berth):
    berth.mood(slow_s=0.3)
    job = studio.publishing.publish(1, Wish(place, delivered(studio)))
    time.sleep(0.5)
    studio.jobs.cancel(job)
    assert ended(studio, job)["state"] == "cancelled"
    assert berth.get("/slack-water/feed.xml").status_code == 404
    berth.mood(slow_s=0)
    assert published(studio, Wish(place, studio.sending.of_episode(1)[0].id))["state"] == "done"


def test_nothing_outside_of_a_place_is_ever_taken_away(studio, two_people, tmp_path):
    served, precious = tmp_path / "served", tmp_path / "precious.txt"
    served.mkdir()
    precious.write_text("ebb")
    place = studio.places.make(1, "folder", "", folder=str(served), public="https://slackwater.example").id
    published(studio, Wish(place, delivered(studio)))
    feed = (served / "feed.xml").read_text()
    [entry] = feedparser.parse(feed).entries
    evil = feed.replace(entry.enclosures[0]["href"], "https://slackwater.example/%2e%2e/precious.txt")
    (served / "feed.xml").write_text(evil)
    ended(studio, studio.publishing.withdraw(1, place))
    assert precious.exists()


def test_a_moment_of_failure_is_tried_again(studio, place, berth):
    berth.mood(fails=2)
    assert published(studio, Wish(place, delivered(studio)))["state"] == "done"


def test_a_cut_connection_goes_on_where_it_was(tmp_path, berth):
    path = tmp_path / "long.wav"
    soundfile.write(path, np.random.default_rng(5).uniform(-0.5, 0.5, (5 * PIECE // 2, 1)), 48000, "PCM_16")
    host = Moored(berth.address, "slack-water", berth.token)
    berth.mood(cut_at=0.75)
    there = []
    with pytest.raises(HostError, match="cut") as failed:
        host.put(path, "long.wav", there.append)
    assert failed.value.again
    host.put(path, "long.wav", there.append)
    assert there == sorted(there)  # nothing was sent twice
    assert berth.get("/slack-water/long.wav").content == path.read_bytes()
    host.close()


def test_a_file_that_arrives_damaged_is_not_kept(tmp_path, berth):
    from pampa.mooring.berths import Berths, Refused

    berths = Berths(berth.folder)
    berths.begin("slack-water", "a.mp3", 3, hashlib.sha256(b"abc").hexdigest())
    with pytest.raises(Refused, match="not what was announced"):
        berths.take("slack-water", "a.mp3", 0, b"abd")
    assert berths.coming("slack-water", "a.mp3") is None
    for feed in ("<rss", "<rss/>", "<html/>"):
        with pytest.raises(Refused):
            berths.change("slack-water", feed, [], berths.held("slack-water").mark)
    strange = '<rss xmlns:ns0="urn:tide"><channel><title>Slack Water</title><ns0:ebb/></channel></rss>'
    berths.change("slack-water", strange, [], berths.held("slack-water").mark)
    assert "Slack Water" in berth.get("/slack-water/feed.xml").text
    for name in ("../a", ".state.json", "a/b", ""):
        with pytest.raises(Refused):
            berths.begin("slack-water", name, 3, "0" * 64)


def test_a_wrong_token_and_nobody_there(studio, place, berth):
    file = delivered(studio)
    studio.places.change(place, secret="another")
    with pytest.raises(HostError, match="token"):
        studio.publishing.look(1, Wish(place, file))
    studio.places.change(place, secret=berth.token, address="http://127.0.0.1:9")
    with pytest.raises(HostError, match="Nobody answers"):
        studio.publishing.look(1, Wish(place, file))


def test_a_wrong_clock_is_told_and_the_place_s_own_counts(studio, place, berth):
    file = delivered(studio)
    assert studio.publishing.look(1, Wish(place, file)).clock == ""
    berth.mood(clock_s=-7200)
    outlook = studio.publishing.look(1, Wish(place, file))
    assert "2 h 0 min behind" in outlook.clock
    published(studio, Wish(place, file))
    assert len(read(berth).entries) == 1  # dated by the clock that decides what is public


def test_somebody_elses_feed_is_left_alone_until_it_is_taken_over(studio, place, berth):
    other = feeds.with_channel(
        feeds.empty(), feeds.Channel("The Lock Keeper", "http://lock.example/feed.xml", "another"), datetime.now(UTC)
    )  # fmt: skip
    host = Moored(berth.address, "slack-water", berth.token)
    host.put_feed(feeds.written(other), (), host.standing())
    file = delivered(studio)
    assert studio.publishing.look(1, Wish(place, file)).strange == "The Lock Keeper"
    assert "The Lock Keeper" in published(studio, Wish(place, file))["error"]
    assert read(berth).feed.title == "The Lock Keeper"
    assert published(studio, Wish(place, file, take_over=True))["state"] == "done"
    assert read(berth).feed.title == "Slack Water"
    stale = replace(host.standing(), mark='"of before"')
    with pytest.raises(HostError, match="meanwhile"):
        host.put_feed(feeds.written(other), (), stale)
    host.close()


def test_a_feed_that_players_could_not_read_is_not_published(studio, place, berth):
    file = delivered(studio)
    broken = feeds.written(feeds.empty()).replace(b"<channel />", b"<channel><item><title>x</title></item></channel>")
    host = Moored(berth.address, "slack-water", berth.token)
    host.put_feed(broken, (), host.standing())
    assert "nothing was published" in published(studio, Wish(place, file))["error"]
    host.close()


def test_secrets_are_in_a_file_of_their_own_and_nowhere_else(studio, place, berth, tmp_path, monkeypatch):
    file = tmp_path / "data" / "secrets.json"
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert berth.token not in str(asdict(studio.places.place(place)))
    for path in (tmp_path / "data").glob("pampa.db*"):
        assert berth.token.encode() not in path.read_bytes()
    studio.places.forget(place)
    assert berth.token not in file.read_text()
    again = studio.places.make(1, "mooring", "", address=berth.address)
    assert not again.has_secret
    monkeypatch.setenv(f"PAMPA_SECRET_{again.id}", berth.token)
    assert studio.places.place(again.id).has_secret


def test_a_folder_is_a_place_and_keeps_nothing_back(studio, two_people, tmp_path):
    served = tmp_path / "served"
    place = studio.places.make(1, "folder", "", folder=str(served), public="https://slackwater.example/shows").id
    file = delivered(studio, "m4a")
    with pytest.raises(HostError, match="no folder"):
        studio.publishing.look(1, Wish(place, file))
    served.mkdir()
    with pytest.raises(EditRefused, match="keeps nothing back"):
        studio.publishing.look(1, Wish(place, file, draft=True))
    assert published(studio, Wish(place, file))["state"] == "done"
    [entry] = feedparser.parse((served / "feed.xml").read_bytes()).entries
    name = entry.enclosures[0]["href"].removeprefix("https://slackwater.example/shows/")
    assert (served / name).read_bytes() == studio.sending.file(file)[0].read_bytes()
    assert not [path for path in served.iterdir() if path.name.startswith(".")]
    assert ended(studio, studio.publishing.withdraw(1, place))["state"] == "done"
    assert not (served / name).exists()


def test_a_machine_behind_sftp_is_a_place_and_is_known_again(studio, two_people, tmp_path, monkeypatch):
    monkeypatch.setattr(publishing, "PAUSES_S", (0.05,))
    served = tmp_path / "served"
    (served / "shows").mkdir(parents=True)
    file = delivered(studio)
    with ssh(served) as machine:
        told = {"machine": "127.0.0.1", "port": machine.port, "user": "nola", "folder": "/shows",
                "public": "https://slackwater.example"}  # fmt: skip
        place = studio.places.make(1, "sftp", "", "wrong", **told)
        assert place.details.fingerprint == machine.key.get_fingerprint()
        with pytest.raises(HostError, match="does not let this user in"):
            studio.publishing.look(1, Wish(place.id, file))
        studio.places.change(place.id, secret="ebb and flow")
        assert published(studio, Wish(place.id, file))["state"] == "done"
        [entry] = feedparser.parse((served / "shows" / "feed.xml").read_bytes()).entries
        sound = served / "shows" / entry.enclosures[0]["href"].rpartition("/")[2]
        assert sound.read_bytes() == studio.sending.file(file)[0].read_bytes()
        half = sound.with_name(sound.name + ".coming")
        half.write_bytes(sound.read_bytes()[:1000])
        sound.unlink()
        assert published(studio, Wish(place.id, file))["state"] == "done"
        assert sound.read_bytes() == studio.sending.file(file)[0].read_bytes()
        assert not half.exists()
        assert ended(studio, studio.publishing.withdraw(1, place.id))["state"] == "done"
        assert not sound.exists()
    with ssh(served, port=machine.port), pytest.raises(HostError, match="another key"):  # another machine there
        studio.publishing.look(1, Wish(place.id, file))


@pytest.mark.parametrize(
    ("kind", "told", "says"),
    [
        ("mooring", {"address": "slackwater.example"}, "begins with http"),
        ("mooring", {"address": "http://[::1"}, "begins with http"),
        ("folder", {"folder": "shows", "public": "https://slackwater.example"}, "in full"),
        ("folder", {"folder": "/shows", "public": ""}, "begins with http"),
        ("sftp", {"folder": "/shows", "public": "https://slackwater.example"}, "machine and a user"),
    ],
)
def test_a_place_that_makes_none_is_refused(studio, episode, kind, told, says):
    with pytest.raises(EditRefused, match=says):
        studio.places.make(1, kind, "", **told)
    assert studio.places.of_show(1) == []

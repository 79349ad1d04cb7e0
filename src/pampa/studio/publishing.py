"""Publishing: what a show's feed is to say is put together and checked; sound goes first, then the feed.

The feed as it lies at its place is the truth: every change is made on what stands there now.
"""

import hashlib
import time
import uuid
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, TypeVar
from urllib.parse import unquote
from xml.etree.ElementTree import Element

from sqlalchemy import select

from pampa.core.deliver.artwork import as_jpeg
from pampa.core.deliver.chapters import to_json
from pampa.core.deliver.formats import MIME
from pampa.core.deliver.notes import to_summary
from pampa.core.errors import EditRefused, HostError, NotFound, PampaError
from pampa.core.files.content import hash_file
from pampa.core.publish import feed as feeds
from pampa.core.publish.feed import Channel, FeedError, Item, Person
from pampa.core.publish.rules import Fault, Read, faults_of
from pampa.hosts.host import FEED, Host, Standing, utc_now
from pampa.store.database import Sessions
from pampa.store.models import Episode, Publication, Show
from pampa.studio.about import About
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.places import Place, Places
from pampa.studio.sending import Sending, plain_name

ARTWORK_PX = 3000
__all__ = ["Listed", "Outlook", "Publication", "Publishing", "Wish"]

PAUSES_S = (0.5, 2.0, 5.0)
"""Before each new try, where a place may do at another time what it did not do now."""
CLOCKS_S = 120
Given = TypeVar("Given")


@dataclass(frozen=True)
class Wish:
    """What is to become of an episode at a place. delivery : the file to send. when : None for now, or as it was.

    draft : it lies there and is not public. take_over : the feed that lies there is changed, whoever wrote it.
    """

    place: int
    delivery: int
    when: datetime | None = None
    draft: bool = False
    take_over: bool = False


@dataclass(frozen=True)
class Listed:
    """An episode as a feed has it. state : public, draft, or waiting for its date. episode : here, if it is ours."""

    guid: str
    title: str
    date: datetime | None
    state: str
    episode: int | None


@dataclass(frozen=True)
class Outlook:
    """What would be published: the feed, its faults, and what is there now. preview : the episode's part of the feed.

    strange : whose feed lies there, where it is not this show's. clock : what is wrong with a clock.
    """

    address: str
    item: Item
    preview: str
    faults: list[Fault]
    there: list[Listed]
    strange: str
    clock: str
    again: bool


@dataclass(frozen=True)
class _Plan:
    """All that is decided before anything is sent."""

    root: Element
    channel: Channel
    item: Item
    standing: Standing
    drafts: tuple[str, ...]
    files: dict[str, Path | bytes]
    sha256: str
    strange: str


class Publishing:
    """Publishes the episodes of all shows."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, about: About, sending: Sending, places: Places
                 ) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._about, self._sending, self._places = about, sending, places
        jobs.register("publish", self.bring)
        jobs.register("withdraw", self._withdraw)

    # -- looking ----------------------------------------------------------------------------------------------

    def there(self, place_id: int) -> list[Listed]:
        """What is at a place now."""
        place = self._places.place(place_id)
        with closing(self._places.host(place)) as host:
            return self._listed(place.show_id, host.standing())

    def look(self, episode_id: int, wish: Wish) -> Outlook:
        """What publishing would come to, without doing any of it."""
        place = self._of(episode_id, wish.place)
        with closing(self._places.host(place)) as host:
            plan = self._planned(episode_id, place, host, wish)
            now = plan.standing.now
            own = next(each for each in feeds.items_of(plan.root) if feeds.text_of(each, "guid") == plan.item.guid)
            there = self._listed(place.show_id, plan.standing)
            return Outlook(
                plan.channel.address, plan.item, feeds.shown(own), faults_of(Read(plan.root, now)), there,
                plan.strange, _clock(now), any(each.guid == plan.item.guid for each in there),
            )  # fmt: skip

    def of_episode(self, episode_id: int) -> list[Publication]:
        """Where an episode was brought, and how it stands there."""
        with self._sessions() as session:
            return list(session.scalars(select(Publication).where(Publication.episode_id == episode_id)))

    # -- doing ------------------------------------------------------------------------------------------------

    def publish(self, episode_id: int, wish: Wish) -> int:
        """Begin to publish; returns the job's number."""
        place = self._of(episode_id, wish.place)
        told = self.ordered_wish(episode_id, wish)
        return self._jobs.start("publish", episode_id, f"Publishing to {place.name}", key=_key(place), **told)

    def ordered_wish(self, episode_id: int, wish: Wish) -> dict[str, Any]:
        """What the job is told."""
        delivery = self._sending.delivery(wish.delivery)
        if delivery.episode_id != episode_id:
            raise EditRefused("That file is of another episode. Nothing was published.")
        return {**vars(wish), "when": wish.when.isoformat() if wish.when else None}

    def withdraw(self, episode_id: int, place_id: int) -> int:
        """Begin to take an episode out of a feed, and its files away; returns the job's number."""
        place = self._of(episode_id, place_id)
        return self._jobs.start("withdraw", episode_id, f"Taking it away from {place.name}", key=_key(place),
                                place=place_id)  # fmt: skip

    def bring(self, told: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job, told as `ordered_wish` says."""
        episode_id = self._jobs.episode_of(job_id)
        when = datetime.fromisoformat(told["when"]) if told["when"] else None
        wish = Wish(told["place"], told["delivery"], when, told["draft"], told["take_over"])
        place = self._of(episode_id, wish.place)
        with closing(self._places.host(place)) as host:
            plan = _patiently(lambda: self._planned(episode_id, place, host, wish), progress)
            if plan.strange and not wish.take_over:
                raise PampaError(
                    f"At {place.name} lies the feed of {plan.strange}, not of this show. Nothing was published. Take "
                    "it over if it is meant to be this show's, or choose another place."
                )
            grave = [fault.told for fault in faults_of(Read(plan.root, plan.standing.now)) if fault.grave]
            if grave:
                raise PampaError(f"{grave[0]} Players could not read such a feed, so nothing was published.")
            self._remember(place.show_id, episode_id, plan)
            self._send(host, plan, progress)
            progress("Publishing the feed", 0.97)
            _patiently(lambda: _change(host, feeds.written(plan.root), plan.drafts, plan.standing), progress)
        state = "draft" if plan.item.guid in plan.drafts else "public"
        self._stands(episode_id, place.id, state, plan.item.url, plan.sha256)

    def _send(self, host: Host, plan: _Plan, progress: Progress) -> None:
        """Bring every file there; what is public changes by the feed alone."""
        with TemporaryDirectory() as folder:
            files: list[tuple[str, Path]] = []
            for name, content in plan.files.items():
                path = Path(folder) / name
                if isinstance(content, bytes):
                    path.write_bytes(content)
                files.append((name, path if isinstance(content, bytes) else content))
            total, before = sum(path.stat().st_size for _, path in files) or 1, 0
            for name, path in files:

                def told(there: int, name: str = name, before: int = before) -> None:
                    progress(f"Sending {name}", 0.05 + 0.9 * (before + there) / total)

                def put(name: str = name, path: Path = path, told: Callable[[int], None] = told) -> None:
                    host.put(path, name, told)

                _patiently(put, progress)
                before += path.stat().st_size

    def _withdraw(self, told: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        place = self._of(episode_id, told["place"])
        guid = self._about.of_episode(episode_id).guid
        with closing(self._places.host(place)) as host:
            standing = _patiently(host.standing, progress)
            root = feeds.read(standing.feed) if standing.feed else feeds.empty()
            own = [each for each in feeds.items_of(root) if feeds.text_of(each, "guid") == guid]
            if not guid or not own:
                raise PampaError(f"The episode is not at {place.name}. Nothing was changed.")
            left = tuple(draft for draft in standing.drafts if draft != guid)
            feed = feeds.written(feeds.without_item(root, guid))
            _patiently(lambda: _change(host, feed, left, standing), progress)
            for name in _names_of(own[0], host.address("")):
                progress(f"Taking {name} away", 0.8)
                _patiently(lambda name=name: host.remove(name), progress)  # type: ignore[misc]
        self._stands(episode_id, place.id, "withdrawn", "", "")

    # -- putting together -------------------------------------------------------------------------------------

    def _planned(self, episode_id: int, place: Place, host: Host, wish: Wish) -> _Plan:
        standing = host.standing()
        now = standing.now
        if (wish.draft or (wish.when and wish.when > now + timedelta(seconds=CLOCKS_S))) and not host.keeps_back:
            raise EditRefused(
                f"{place.name} keeps nothing back: what is there is public. Publish it now, or when its time has come."
            )
        try:
            root = feeds.read(standing.feed) if standing.feed else feeds.empty()
        except FeedError as error:
            raise HostError(f"{error} Nothing was published; look at {host.address(FEED)}.") from error
        channel, strange, artwork = self._channel(place, host, root)
        item, files, sha256 = self._item(episode_id, host, channel, wish)
        there = next((each for each in feeds.items_of(root) if feeds.text_of(each, "guid") == item.guid), None)
        was_draft = item.guid in standing.drafts
        had = feeds.date_of(there) if there is not None and not was_draft else None
        item = replace(item, date=wish.when or had or now)
        drafts = {draft for draft in standing.drafts if draft != item.guid} | ({item.guid} if wish.draft else set())
        root = feeds.with_item(feeds.with_channel(root, channel, now), item)
        return _Plan(root, channel, item, standing, tuple(sorted(drafts)), artwork | files, sha256, strange)

    def _channel(self, place: Place, host: Host, root: Element) -> tuple[Channel, str, dict[str, Path | bytes]]:
        """What the feed says of the show, whose feed lies there if it is another's, and the show's picture."""
        with self._sessions() as session:
            show = session.get_one(Show, place.show_id)
        words = self._about.of_show(show.id)
        address = host.address(FEED)
        name, guid = feeds.channel_text(root, "title"), feeds.channel_text(root, "guid", feeds.OPEN)
        is_other = guid != words.guid if guid and words.guid else bool(name) and name != show.name
        picture, files = self._picture(words.artwork, host)
        channel = Channel(
            show.name, address, words.guid or ("" if is_other else guid) or feeds.guid_of(address), words.description,
            words.link, words.language, words.category, show.host, words.email, words.copyright, picture, words.kind,
            words.explicit,
        )  # fmt: skip
        return channel, (name or "somebody else") if is_other else "", files

    def _item(self, episode_id: int, host: Host, channel: Channel, wish: Wish
              ) -> tuple[Item, dict[str, Path | bytes], str]:  # fmt: skip
        delivery = self._sending.delivery(wish.delivery)
        path, name = self._sending.file(wish.delivery)
        sha256 = hash_file(path)
        with self._sessions() as session:
            episode = session.get_one(Episode, episode_id)
            show = session.get_one(Show, episode.show_id)
        seen = self._about.seen(episode_id, self._sending.document(wish.delivery))
        stem, _, kind = name.rpartition(".")
        sound = f"{stem}-{sha256[:12]}.{kind}"
        files: dict[str, Path | bytes] = {sound: path}
        chapters = ""
        if seen.chapters:
            told = to_json(self._with_pictures(seen.chapters, host, files)).encode()
            chapters = f"{plain_name(stem)}-chapters-{_short(told)}.json"
            files[chapters] = told
        own = seen.words.artwork
        picture, more = self._picture(own, host) if own else ("", {})
        people = tuple(Person(each, "host" if each == show.host else "guest") for each in seen.people)
        item = Item(
            seen.words.guid or _guid(channel.guid, episode), episode.title, utc_now(), host.address(sound),
            path.stat().st_size, MIME[kind], delivery.sheet["duration_s"], seen.html, to_summary(seen.text),
            episode.number, seen.words.season or None, seen.words.kind, seen.words.explicit, seen.words.link, picture,
            host.address(chapters) if chapters else "", people,
        )  # fmt: skip
        return item, files | more, sha256

    def _picture(self, sha256: str, host: Host) -> tuple[str, dict[str, Path | bytes]]:
        try:
            jpeg = as_jpeg(self._about.artwork(sha256), ARTWORK_PX) if sha256 else b""
        except NotFound:
            jpeg = b""
        name = f"artwork-{_short(jpeg)}.jpg"
        return (host.address(name), {name: jpeg}) if jpeg else ("", {})

    def _with_pictures(self, chapters: Any, host: Host, files: dict[str, Path | bytes]) -> Any:
        """Chapters that point to their pictures as they will lie at the place."""
        made = []
        for chapter in chapters:
            url, more = self._picture(chapter.picture_url, host)
            files |= more
            made.append(replace(chapter, picture_url=url))
        return made

    # -- what is known here -----------------------------------------------------------------------------------

    def _remember(self, show_id: int, episode_id: int, plan: _Plan) -> None:
        """The guids stay for ever: kept before the first byte goes out, so that a second try means the same."""
        self._about.change_show(show_id, guid=plan.channel.guid)
        self._about.change_episode(episode_id, guid=plan.item.guid)

    def _stands(self, episode_id: int, place_id: int, state: str, url: str, sha256: str) -> None:
        with self._sessions.begin() as session:
            session.merge(Publication(episode_id=episode_id, place_id=place_id, state=state, url=url, sha256=sha256))
        self._events.post(Event("published", episode_id))

    def _listed(self, show_id: int, standing: Standing) -> list[Listed]:
        if not standing.feed:
            return []
        try:
            items = feeds.items_of(feeds.read(standing.feed))
        except FeedError:
            return []
        with self._sessions() as session:
            known = session.scalars(select(Episode).where(Episode.show_id == show_id)).all()
        ours = {guid: episode.id for episode in known if (guid := episode.about.get("guid"))}
        return [
            Listed(guid := feeds.text_of(each, "guid"), feeds.text_of(each, "title"), date := feeds.date_of(each),
                   "draft" if guid in standing.drafts else "waiting" if date and date > standing.now else "public",
                   ours.get(guid))
            for each in items
        ]  # fmt: skip

    def _of(self, episode_id: int, place_id: int) -> Place:
        """A place, if it is one of the episode's show."""
        place = self._places.place(place_id)
        with self._sessions() as session:
            episode = session.get(Episode, episode_id)
        if episode is None or episode.larder or episode.show_id != place.show_id:
            raise NotFound("That place is not one of this episode's show.")
        return place


def _patiently(work: Callable[[], Given], progress: Progress) -> Given:
    """Try again, a little later each time, where that may help."""
    for pause in PAUSES_S:
        try:
            return work()
        except HostError as error:
            if not error.again:
                raise
            until = time.monotonic() + pause
            while time.monotonic() < until:
                progress(f"{error} Trying again", 0.05)  # raises when it is to stop
                time.sleep(0.1)
    return work()


def _names_of(item: Element, base: str) -> list[str]:
    """Files of an episode that lie at a place, by what the feed says of it; none outside of its folder."""
    chapters = item.find(f"{{{feeds.OPEN}}}chapters")
    enclosure = item.find("enclosure")
    urls = [found.get("url", "") for found in (enclosure, chapters) if found is not None]
    names = [unquote(url.removeprefix(base)) for url in urls if url.startswith(base)]
    return [name for name in names if name and "/" not in name and not name.startswith(".")]


def _change(host: Host, feed: bytes, drafts: tuple[str, ...], before: Standing) -> None:
    """Change a feed. Where the answer was lost on its way, what stands there tells whether it was done."""
    try:
        host.put_feed(feed, drafts, before)
    except HostError:
        now = host.standing()
        if (now.feed, now.drafts) != (feed, drafts):
            raise


def _clock(there: datetime) -> str:
    off = round((there - utc_now()).total_seconds())
    if abs(off) <= CLOCKS_S:
        return ""
    told = f"{abs(off) // 3600} h {abs(off) % 3600 // 60} min" if abs(off) >= 3600 else f"{abs(off) // 60} min"
    way = "ahead of" if off > 0 else "behind"
    return f"The place's clock is {told} {way} this machine's. Its own counts there: one of both is wrong."


def _guid(show: str, episode: Episode) -> str:
    """Of an episode that has none yet; it stays the same while somebody looks at what it would be."""
    return str(uuid.uuid5(feeds.GUID_SPACE, f"{show} {episode.id} {episode.created.isoformat()}"))


def _short(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()[:12]


def _key(place: Place) -> str:
    return f"publish {place.id}"

"""The studio: all use cases over one data folder, put together."""

import fcntl
from pathlib import Path

from pampa.core.errors import PampaError
from pampa.core.executor import Threads
from pampa.store.database import close_database, open_database
from pampa.store.media import FOLDERS, Media
from pampa.studio.about import About
from pampa.studio.access import Access
from pampa.studio.bringing_back import BringingBack
from pampa.studio.checking_up import CheckingUp
from pampa.studio.comparing import Comparing
from pampa.studio.desk import Desk
from pampa.studio.editing import Editing
from pampa.studio.events import Events
from pampa.studio.exchange import Exchange
from pampa.studio.finding import Finding
from pampa.studio.idents import Idents
from pampa.studio.jobs import Jobs
from pampa.studio.joins import Joins
from pampa.studio.keyring import Keyring
from pampa.studio.larder import Larder
from pampa.studio.last_look import LastLook
from pampa.studio.laying_up import LayingUp
from pampa.studio.likenesses import Likenesses
from pampa.studio.lining_up import LiningUp
from pampa.studio.listening import Listening
from pampa.studio.mending import Mending
from pampa.studio.music import Music
from pampa.studio.one_room import OneRoom
from pampa.studio.patterns import Patterns
from pampa.studio.pictures import Pictures
from pampa.studio.places import Places
from pampa.studio.publishing import Publishing
from pampa.studio.purposes import Purposes
from pampa.studio.recipes import Recipes
from pampa.studio.recordings import Recordings
from pampa.studio.rendering import Rendering
from pampa.studio.sending import Sending
from pampa.studio.series import Series
from pampa.studio.settings import Settings
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds
from pampa.studio.space import Space
from pampa.studio.straight_steps import Steps, Tools
from pampa.studio.straight_through import StraightThrough
from pampa.studio.uploads import Uploads
from pampa.studio.versions import Versions
from pampa.studio.voice_curves import VoiceCurves
from pampa.studio.voices import Voices

__all__ = ["FOLDERS", "IN_USE", "InUse", "Studio"]

IN_USE = "in-use"
"""The file in a data folder that a running Pampa holds."""


class InUse(PampaError):
    """Another Pampa works in the same data folder."""

    def __init__(self, data: Path) -> None:
        super().__init__(f"Another Pampa is already working in {data}. Use that one, or choose another --data folder.")


class Studio:
    """Everything a page or a command may ask for."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        settings.data.mkdir(mode=0o700, parents=True, exist_ok=True)
        self._hold = (settings.data / IN_USE).open("w")
        try:
            fcntl.flock(self._hold, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            self._hold.close()
            raise InUse(settings.data) from error
        try:
            self.media = Media(settings.data)
            self._sessions = sessions = open_database(settings.data / "pampa.db")
        except BaseException:
            self._hold.close()
            raise
        try:
            self.executor = executor = _executor(settings)
        except BaseException:
            close_database(sessions)
            self._hold.close()
            raise
        self.events = Events()
        self.access = Access(sessions)
        self.shows = Shows(sessions)
        self.jobs = Jobs(sessions, self.events, settings.workers)
        self.editing = Editing(sessions, self.events)
        self.sounds = Sounds(sessions, self.media, executor)
        self.listening = Listening(self.media, self.editing, self.sounds, self.events, executor)
        self.recordings = Recordings(sessions, self.media, self.jobs, self.events, self.editing, self.sounds, executor)
        self.purposes = Purposes(sessions, self.jobs, self.events, self.editing, self.recordings, self.sounds)
        self.uploads = Uploads(sessions, self.media, self.jobs, self.recordings, settings.largest_upload)
        self.larder = Larder(
            sessions, self.jobs, self.events, self.shows, self.editing, self.recordings, self.uploads, self.sounds,
            executor,
        )  # fmt: skip
        self.music = Music(
            self.editing, self.recordings, self.larder, self.jobs, self.sounds, self.listening, executor
        )  # fmt: skip
        self.idents = Idents(
            sessions, self.jobs, self.shows, self.editing, self.listening, self.recordings, self.larder, executor
        )  # fmt: skip
        self.patterns = Patterns(sessions, self.shows, self.editing, self.recordings, self.larder)
        self.recipes = Recipes(sessions, self.shows, self.editing)
        self.checking_up = CheckingUp(sessions, self.jobs, self.events, self.sounds, executor)
        self.voices = Voices(self.editing, self.sounds, executor)
        self.voice_curves = VoiceCurves(self.editing, self.sounds, executor)
        self.likenesses = Likenesses(sessions, self.shows, self.editing, self.sounds, self.voices)
        self.lining_up = LiningUp(sessions, self.jobs, self.events, self.editing, self.sounds)
        self.mending = Mending(sessions, self.jobs, self.events, self.shows, self.editing, self.sounds)
        self.finding = Finding(sessions, self.jobs, self.events, self.editing, self.sounds)
        self.about = About(sessions, self.editing)
        self.rendering = Rendering(self.media, self.listening)
        self.sending = Sending(
            sessions, self.media, self.jobs, self.events, self.editing, self.rendering, self.shows, self.about,
            self.likenesses, executor,
        )  # fmt: skip
        self.pictures = Pictures(
            sessions, self.media, self.jobs, self.events, self.editing, self.rendering, self.about, self.sending,
            executor,
        )  # fmt: skip
        self.series = Series(sessions, self.jobs, self.editing, self.likenesses)
        self.places = Places(sessions, Keyring(settings.data))
        self.publishing = Publishing(sessions, self.jobs, self.events, self.about, self.sending, self.places)
        self.desk = Desk(self.editing, self.recordings, self.lining_up, self.sending, self.listening, self.sounds)
        self.versions = Versions(sessions, self.editing)
        self.joins = Joins(self.jobs, self.events, self.editing, self.sounds, self.listening, self.finding)
        self.last_look = LastLook(
            self.jobs, self.events, self.editing, self.listening, self.rendering, self.sounds, self.recordings,
            self.joins, self.finding, self.checking_up, self.likenesses, self.shows, self.about, executor,
        )  # fmt: skip
        steps = Steps(Tools(
            self.shows, self.editing, self.recordings, self.lining_up, self.finding, self.mending, self.voices,
            self.recipes, self.music, self.patterns, self.about, OneRoom(sessions, self.editing, self.sounds),
        ))  # fmt: skip
        self.straight_through = StraightThrough(
            self.jobs, self.events, self.shows, self.editing, self.about, self.versions, self.sending, self.last_look,
            self.places, self.publishing, steps,
        )  # fmt: skip
        self.comparing = Comparing(
            sessions, self.media, self.jobs, self.events, self.editing, self.recordings, self.rendering, self.sending,
            executor,
        )  # fmt: skip
        self.exchange = Exchange(
            self.media, self.jobs, self.events, self.shows, self.editing, self.recordings, self.listening
        )
        self.space = Space(sessions, self.media, self.editing, self.sounds, self.events, settings.cache_bytes)
        self.laying_up = LayingUp(sessions, self.media, self.jobs, self.shows, self.editing, self.exchange, self.space)
        self.bringing_back = BringingBack(sessions, self.media)
        self.space.begin()
        self.jobs.resume()
        self.uploads.finish_all()

    def close(self) -> None:
        """Stop background work and let the data folder go."""
        self.events.close()
        self.space.close()
        self.listening.close()
        self.jobs.close()
        self.editing.close()
        self.executor.close()
        close_database(self._sessions)
        self._hold.close()


def _executor(settings: Settings) -> Threads:
    """Threads here; beside them the workers of a scheduler, where one is named."""
    if not settings.scheduler:
        return Threads(settings.workers)
    from pampa.core.cluster import Beside, Cluster

    return Beside(settings.workers, Cluster(settings.scheduler))

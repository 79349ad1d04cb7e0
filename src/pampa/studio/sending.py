"""Sending out: make files that meet a loudness target, and keep the list of what was made."""

import logging
import re
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select

from pampa.core.deliver.formats import Format
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.executor import Executor
from pampa.core.files.deliver import deliver
from pampa.core.files.tags import Tags
from pampa.core.mix.render import MonoSum
from pampa.core.sound import RATE, Source
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Delivery
from pampa.studio.editing import Editing, ordered, packed
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.likenesses import Likenesses
from pampa.studio.listening import Listening
from pampa.studio.shows import Shows

log = logging.getLogger(__name__)


class Sending:
    """Deliveries of all episodes."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, events: Events, editing: Editing,
                 listening: Listening, shows: Shows, likenesses: Likenesses, executor: Executor) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._events = sessions, media, jobs, events
        self._editing, self._listening, self._shows, self._executor = editing, listening, shows, executor
        self._likenesses = likenesses
        jobs.register("deliver", self._deliver)

    def start(self, episode_id: int, *, fmt: Format, aim: Aim, mono: bool, tags: Tags) -> int:
        """Begin making a file; returns the job's number. The choices are remembered for the episode."""
        channels = 1 if mono else 2
        fmt = fmt.checked(rate=RATE, channels=channels)
        state = self._editing.state(episode_id)
        if not state.document.length:
            raise EditRefused("There is nothing to send out yet. Bring recordings in first, in Gather.")
        choices = {"kind": fmt.kind, "bits": fmt.bits, "kbit": fmt.kbit, "target_lufs": aim.target_lufs,
                   "ceiling_dbtp": aim.ceiling_dbtp, "mono": mono, "date": tags.date}  # fmt: skip
        self._shows.change_episode(episode_id, choices=choices)
        return self._jobs.start("deliver", episode_id, f"Making {fmt.label}", format=asdict(fmt), aim=asdict(aim),
                                mono=mono, tags=asdict(tags), ordered=packed(state))  # fmt: skip

    def of_episode(self, episode_id: int) -> list[Delivery]:
        """What was made, newest first."""
        with self._sessions() as session:
            wanted = select(Delivery).where(Delivery.episode_id == episode_id).order_by(Delivery.id.desc())
            return list(session.scalars(wanted))

    def file(self, delivery_id: int) -> tuple[Path, str]:
        """A delivered file and the name it is downloaded under."""
        with self._sessions() as session:
            delivery = session.get(Delivery, delivery_id)
        path = self._media.delivery(delivery.episode_id, delivery.file) if delivery else None
        if delivery is None or path is None or not path.exists():
            raise NotFound("That file is not there any more. Make it again in Send out.")
        return path, delivery.name

    def _deliver(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        with self._sessions() as session:
            if session.scalar(select(Delivery.id).where(Delivery.job_id == job_id)):
                return  # it was finished just before the server stopped
            episode_id = self._jobs.episode_of(job_id)
        fmt, aim, tags = Format(**parameters["format"]), Aim(**parameters["aim"]), Tags(**parameters["tags"])
        state = ordered(self._editing, episode_id, parameters)
        self._listening.complete(state, lambda doing, share: progress(doing, 0.0))
        mix: Source = self._listening.mix(state)
        source: Source = MonoSum(mix) if parameters["mono"] else mix
        name = f"{file_name(tags)}.{fmt.kind}"
        file = f"{job_id}.{fmt.kind}"
        path = self._media.delivery(episode_id, file)
        self._media.require_room(expected_bytes(fmt, source))

        def told(doing: str, share: float) -> None:
            self._media.require_room()  # others write meanwhile
            progress(doing, share)

        sheet = deliver(source, path, fmt, aim, tags=tags, executor=self._executor, progress=told)
        self._keep(episode_id, job_id, file, name, state.revision, sheet)
        try:
            self._likenesses.remember(state)
        except (PampaError, OSError):
            log.exception("What people sound like in episode %s was not kept; its file is whole.", episode_id)

    def _keep(self, episode_id: int, job_id: int, file: str, name: str, revision: int, sheet: DeliverySheet) -> None:
        with self._sessions.begin() as session:
            session.add(
                Delivery(
                    episode_id=episode_id, job_id=job_id, file=file, name=name, revision=revision, sheet=asdict(sheet)
                )
            )
        self._events.post(Event("deliveries", episode_id))


def file_name(tags: Tags) -> str:
    """A file name without surprises, from show, number and title: slack-water-12-the-pilot-ladder."""
    text = " ".join(part for part in (tags.show, str(tags.number or ""), tags.title) if part)
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:100] or "episode"


def expected_bytes(fmt: Format, source: Source) -> int:
    """About how large a delivery becomes."""
    seconds = source.frames / source.rate
    if fmt.kind == "mp3":
        return int(seconds * (fmt.kbit or 160) * 125)
    return int(seconds * source.rate * source.channels * fmt.bits / 8)

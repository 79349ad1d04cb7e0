"""Sending out: make files that meet a loudness target, and keep the list of what was made."""

import logging
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import undefer

from pampa.core.deliver.formats import NAMES, Format, rate_for
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.executor import Executor
from pampa.core.files.deliver_set import WantedFile, deliver_all
from pampa.core.files.tags import Tags
from pampa.core.sound import RATE, Source
from pampa.core.timeline.codec import decode, packed_document, plain_document
from pampa.core.timeline.document import Document
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Delivery
from pampa.studio.about import About
from pampa.studio.editing import Editing, State, ordered, packed
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.likenesses import Likenesses
from pampa.studio.rendering import Rendering
from pampa.studio.shows import Shows

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Wanted:
    """One of the files that are wanted. fmt.rate : None for 48 kHz."""

    fmt: Format
    aim: Aim
    mono: bool = False

    @classmethod
    def of(cls, told: Mapping[str, Any]) -> "Wanted":
        """A file as a page describes it, and as it is kept with a show."""
        fmt = Format(told["kind"], told["bits"], told["kbit"], told["quality"], told["rate"], told["broadcast"])
        return cls(fmt, Aim(told["target_lufs"], told["ceiling_dbtp"]), told["mono"])


class Sending:
    """Deliveries of all episodes."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, events: Events, editing: Editing,
                 rendering: Rendering, shows: Shows, about: About, likenesses: Likenesses, executor: Executor
                 ) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._events = sessions, media, jobs, events
        self._editing, self._rendering, self._shows, self._about = editing, rendering, shows, about
        self._likenesses, self._executor = likenesses, executor
        jobs.register("deliver", self.deliver)

    def start(self, episode_id: int, wanted: Sequence[Wanted]) -> int:
        """Begin making files of an episode as it stands; returns the job's number."""
        told = self.ordered_files(episode_id, wanted)
        label = f"Making {wanted[0].fmt.label}" if len(wanted) == 1 else f"Making {len(wanted)} files"
        return self._jobs.start("deliver", episode_id, label, **told)

    def ordered_files(self, episode_id: int, wanted: Sequence[Wanted]) -> dict[str, Any]:
        """What the job is told: files, and the episode as it stands now. Raises EditRefused where that makes none."""
        checked = [replace(each, fmt=_checked(each)) for each in wanted]
        if not checked:
            raise EditRefused("No file is chosen. Tick those that are wanted.")
        state = self._editing.state(episode_id)
        if not state.document.length:
            raise EditRefused("There is nothing to send out yet. Bring recordings in first, in Gather.")
        return {"files": [asdict(each) for each in checked], "ordered": packed(state)}

    def of_episode(self, episode_id: int) -> list[Delivery]:
        """What was made, newest first."""
        with self._sessions() as session:
            wanted = select(Delivery).where(Delivery.episode_id == episode_id).order_by(Delivery.id.desc())
            return list(session.scalars(wanted))

    def delivery(self, delivery_id: int) -> Delivery:
        """A file that was made."""
        with self._sessions() as session:
            delivery = session.get(Delivery, delivery_id)
        if delivery is None:
            raise NotFound("That file is not known here any more. Make it again in Send out.")
        return delivery

    def document(self, delivery_id: int) -> Document | None:
        """The episode as it was when a file was made; None of files from before that was kept."""
        with self._sessions() as session:
            delivery = session.get(Delivery, delivery_id, options=[undefer(Delivery.document)])
        return decode(plain_document(delivery.document)) if delivery and delivery.document else None

    def file(self, delivery_id: int) -> tuple[Path, str]:
        """A delivered file and the name it is downloaded under."""
        with self._sessions() as session:
            delivery = session.get(Delivery, delivery_id)
        path = self._media.delivery(delivery.episode_id, delivery.file) if delivery else None
        if delivery is None or path is None or not path.exists():
            raise NotFound("That file is not there any more. Make it again in Send out.")
        return path, delivery.name

    def deliver(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job, told as `ordered_files` says. Files that were finished before a stop are not made again."""
        episode_id = self._jobs.episode_of(job_id)
        with self._sessions() as session:
            known = set(session.scalars(select(Delivery.file).where(Delivery.job_id == job_id)))
        state = ordered(self._editing, episode_id, parameters)
        tags = self._about.tags(episode_id, state.document)
        wanted = _wanted(parameters)
        files = [f"{job_id}.{each.fmt.kind}" if len(wanted) == 1 else f"{job_id}-{n}.{each.fmt.kind}"
                 for n, each in enumerate(wanted)]  # fmt: skip
        names = file_names(tags, wanted)
        missing = [n for n, file in enumerate(files) if file not in known]
        if not missing:
            return
        source = self._rendering.rendered(state, progress)
        self._media.require_room(sum(expected_bytes(wanted[n], source) for n in missing))

        def told(doing: str, share: float) -> None:
            self._media.require_room()  # others write meanwhile
            progress(doing, share)

        def made(place: int, sheet: DeliverySheet) -> None:
            n = missing[place]
            self.keep(state, job_id, files[n], names[n], sheet)

        failed = deliver_all(
            source,
            [WantedFile(self._media.delivery(episode_id, files[n]), wanted[n].fmt, wanted[n].aim, wanted[n].mono, tags)
             for n in missing],
            executor=self._executor, made=made, progress=told,
        )  # fmt: skip
        try:
            self._likenesses.remember(state)
        except (PampaError, OSError):
            log.exception("What people sound like in episode %s was not kept; its files are whole.", episode_id)
        if failed:
            place, why = next(iter(failed.items()))
            done = len(missing) - len(failed)
            rest = "" if len(missing) == 1 else f" {done} of {len(missing)} files were made and are whole."
            raise PampaError(f"{names[missing[place]]} was not made. {why}{rest}") from why

    def keep(self, state: State, job_id: int, file: str, name: str, sheet: DeliverySheet) -> None:
        """Put a finished file on the list."""
        with self._sessions.begin() as session:
            session.add(
                Delivery(
                    episode_id=state.episode_id, job_id=job_id, file=file, name=name, revision=state.revision,
                    sheet=asdict(sheet), document=packed_document(state.document),
                )
            )  # fmt: skip
        self._events.post(Event("deliveries", state.episode_id))


def _checked(wanted: Wanted) -> Format:
    rate = wanted.fmt.rate or RATE
    if rate_for(wanted.fmt.kind, rate) != rate:
        raise EditRefused(f"{NAMES[wanted.fmt.kind]} has no sample rate of {rate} Hz. Nothing was made.")
    return wanted.fmt.checked(rate=rate, channels=1 if wanted.mono else 2)


def _wanted(parameters: dict[str, Any]) -> list[Wanted]:
    """What a job was asked for; one that an earlier release left on the list asks for one file."""
    told = parameters.get("files") or [
        {"fmt": parameters["format"], "aim": parameters["aim"], "mono": parameters["mono"]}
    ]
    return [Wanted(Format(**each["fmt"]), Aim(**each["aim"]), each["mono"]) for each in told]


def file_names(tags: Tags, wanted: Sequence[Wanted]) -> list[str]:
    """What the files of a set are called: all differently, and no longer than it takes to tell them apart."""
    base = file_name(tags)
    names: list[str] = []
    for n, each in enumerate(wanted):
        alike = [other for m, other in enumerate(wanted) if m != n and other.fmt.kind == each.fmt.kind]
        name = base
        if any(other.mono != each.mono for other in alike):
            name += "-mono" if each.mono else "-stereo"
        if any(other.aim.target_lufs != each.aim.target_lufs for other in alike):
            name += f"-{abs(each.aim.target_lufs):g}lufs"
        if any(other.fmt.rate != each.fmt.rate for other in alike):
            name += f"-{(each.fmt.rate or RATE) / 1000:g}khz"
        if any(other.fmt.label != each.fmt.label for other in alike):
            name += "-" + re.sub(r"[^a-z0-9]+", "-", each.fmt.label.partition(" ")[2].lower()).strip("-")
        while f"{name}.{each.fmt.kind}" in names:
            name += f"-{n + 1}"
        names.append(f"{name}.{each.fmt.kind}")
    return names


def file_name(tags: Tags) -> str:
    """A file name without surprises, from show, number and title: slack-water-12-the-pilot-ladder."""
    return plain_name(" ".join(part for part in (tags.show, str(tags.number or ""), tags.title) if part)) or "episode"


def plain_name(text: str) -> str:
    """Letters and numbers of a text that every system takes in a name, with hyphens between."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:100]


def expected_bytes(wanted: Wanted, source: Source) -> int:
    """About how large a file becomes."""
    rate, channels = wanted.fmt.rate or source.rate, 1 if wanted.mono else source.channels
    return int(source.frames / source.rate * wanted.fmt.bytes_a_second(rate=rate, channels=channels))

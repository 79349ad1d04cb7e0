"""Microphones that stood in one room, mixed to sound like one: in step, of one polarity, each at its share."""

from dataclasses import asdict, dataclass, replace
from typing import Any

from pampa.core.errors import EditRefused
from pampa.core.files.seeking import heard_of
from pampa.core.finds.placed import Lying, on_time
from pampa.core.sync.one_room import SURE, hearing_db, in_one_room, polarity
from pampa.core.timeline.document import Document
from pampa.core.timeline.lining import distance
from pampa.store.database import Sessions
from pampa.studio.editing import Editing
from pampa.studio.finding import people_ready
from pampa.studio.sounds import Sounds

FULL = 100.0


@dataclass(frozen=True)
class Room:
    """recordings : of the microphones that hear one another. loudest_db : how loud the loudest of another's is in one
    of them, against its own person. turned : those whose wave is the other way up.
    """

    recordings: tuple[int, ...]
    loudest_db: float
    turned: tuple[int, ...]


class OneRoom:
    """Rooms of all episodes."""

    def __init__(self, sessions: Sessions, editing: Editing, sounds: Sounds) -> None:
        self._sessions, self._editing, self._sounds = sessions, editing, sounds
        self._known: dict[tuple[Any, ...], Room | None] = {}

    def found(self, document: Document) -> Room | None:
        """The room that people share, as they lie in a document; None where they do not hear one another."""
        people = people_ready(self._sessions, document)
        if len(people) < 2:
            return None
        lie = [(n, self._sounds.key(n), distance(document, n, people[0]), document.drift_ppm(n)) for n in people]
        key = tuple(lie)
        if key not in self._known:
            self._known[key] = self._listened(lie)
        return self._known[key]

    def undone(self, document: Document) -> Room | None:
        """The same, unless its microphones are mixed already."""
        room = self.found(document)
        return None if room is None or all(document.amounts(n).sharing for n in room.recordings) else room

    def told(self, room: Room, names: dict[int, str]) -> list[str]:
        """What it would be to mix them, in sentences."""
        lines = [
            f"{len(room.recordings)} microphones hear one another, by {room.loudest_db:.0f} dB: each at its share."
        ]  # fmt: skip
        if room.turned:
            lines.append(f"The wave of {', '.join(names.get(n, '') for n in room.turned)} is turned over.")
        return [line.replace("-", "−") for line in lines]

    def mix(self, episode_id: int) -> list[tuple[int, dict[str, Any]]]:
        """Mix them, in one edit; what each recording's amounts were before. Raises EditRefused where there is none."""
        document = self._editing.state(episode_id).document
        room = self.found(document)
        if room is None:
            raise EditRefused(
                "These microphones do not hear one another, so there is no room to be mixed. Nothing was changed."
            )
        before = [(number, asdict(document.amounts(number))) for number in room.recordings]
        after = []
        for number in room.recordings:
            now = document.amounts(number)
            turned = not now.polarity if number in room.turned else now.polarity
            after.append([number, asdict(replace(now, sharing=FULL, polarity=turned))])
        self._editing.edit(episode_id, "apply_recipe", {"name": "one room", "voices": [], "mendings": after})
        return before

    def _listened(self, lie: list[tuple[int, str, int, float]]) -> Room | None:
        first = min(begins for _, _, begins, _ in lie)
        features = [
            on_time(Lying(heard_of(self._sounds.folder(number)), begins, drift), begins - first).features
            for number, _, begins, drift in lie
        ]
        heard = hearing_db(features)
        inside = in_one_room(heard)
        if not inside:
            return None
        main = inside[0]
        sources = [self._sounds.conformed(lie[n][0], lie[n][3]) for n in inside]
        turned = [
            lie[n][0] for n, source in zip(inside[1:], sources[1:], strict=True)
            if polarity(sources[0], source, apart=lie[n][2] - lie[main][2]) < -SURE
        ]  # fmt: skip
        loudest = max(float(heard[a, b]) for a in inside for b in inside if a != b)
        # The fewest are turned over: which way up is right nobody can hear.
        if 2 * len(turned) > len(inside):
            turned = [lie[n][0] for n in inside if lie[n][0] not in turned]
        return Room(tuple(lie[n][0] for n in inside), round(loudest, 1), tuple(turned))

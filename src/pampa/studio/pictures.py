"""Pictures of recordings: small stand-ins, what is seen at each moment, and the picture cut as the talk was cut."""

from collections import Counter
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlalchemy import select

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound
from pampa.core.executor import Executor
from pampa.core.files.deliver import deliver
from pampa.core.files.whole import MAKING
from pampa.core.picture.facts import PictureFacts
from pampa.core.picture.seen import size_for, stretches_of, usual_rate
from pampa.core.picture.uncut import uncut
from pampa.core.sync.clocked import clocked_frames
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Recording
from pampa.studio.about import About
from pampa.studio.editing import Editing, State, ordered, packed
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.rendering import Rendering
from pampa.studio.sending import Sending, file_name

if TYPE_CHECKING:
    from pampa.core.files.picture_proxy import Proxy

PROXY, CUT, UNCUT = "picture", "cut picture", "uncut sound"
HEIGHTS = (360, 720, 1080, 2160)
AAC_KBIT = 192
PICTURE_BYTES = 0.3
"""Of a second of film for each pixel of its size, more than talk takes at the quality it is written in."""
SOUND, PICTURE = 0.4, 0.6
"""How the time of a delivery is shared, about."""
NONE_HERE = "No recording of this episode has a picture."


@dataclass(frozen=True)
class Pictured:
    """A recording with a picture, and where its original lies."""

    id: int
    path: Path
    facts: PictureFacts


class Pictures:
    """All that is seen."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, events: Events, editing: Editing,
                 rendering: Rendering, about: About, sending: Sending, executor: Executor) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._events = sessions, media, jobs, events
        self._editing, self._rendering, self._about, self._sending = editing, rendering, about, sending
        self._executor = executor
        jobs.register(PROXY, self._make_proxy)
        jobs.register(CUT, self._make_cut)
        jobs.register(UNCUT, self._make_uncut)

    def second(self, recording_id: int, second: int) -> bytes:
        """The small frames of one second of a recording's own time. Raises NotFound until they are made."""
        return self._proxy(recording_id).second(second)

    def still(self, recording_id: int, seconds: float) -> bytes:
        """The small frame that is seen at a moment of a recording's own time, a JPEG."""
        return self._proxy(recording_id).still(seconds)

    def stills(self, recording_id: int, start_s: float, step_s: float, count: int) -> bytes:
        """Thumbnails at equal distances of a recording's own time."""
        return self._proxy(recording_id).stills(start_s, step_s, count)

    def start_cut(self, episode_id: int, aim: Aim, most_high: int) -> int:
        """Begin to make the picture of an episode as it is cut; the job's number."""
        state = self._state(episode_id)
        if not stretches_of(state.document, self._pictured(episode_id)):
            raise EditRefused(f"{NONE_HERE} Nothing was made.")
        told: dict[str, Any] = {"aim": asdict(aim), "most_high": most_high, "ordered": packed(state)}
        return self._jobs.start(CUT, episode_id, "Making the picture", **told)

    def start_uncut(self, episode_id: int, recording_id: int, aim: Aim) -> int:
        """Begin to make the sound that lies under a picture as it was shot, a WAV file; the job's number."""
        state = self._state(episode_id)
        self._under(state, recording_id)
        told: dict[str, Any] = {"aim": asdict(aim), "recording": recording_id, "ordered": packed(state)}
        return self._jobs.start(UNCUT, episode_id, "Making the sound for the picture", **told)

    def _state(self, episode_id: int) -> State:
        state = self._editing.state(episode_id)
        if not state.document.length:
            raise EditRefused("There is nothing to send out yet. Bring recordings in first, in Gather.")
        return state

    def _pictured(self, episode_id: int) -> dict[int, Pictured]:
        with self._sessions() as session:
            rows = session.scalars(select(Recording).where(Recording.episode_id == episode_id)).all()
        return {
            row.id: Pictured(row.id, self._media.original(row.sha256, row.suffix), PictureFacts(**row.facts["picture"]))
            for row in rows if row.facts.get("picture")
        }  # fmt: skip

    def _folder(self, recording_id: int) -> tuple[Recording, Path]:
        with self._sessions() as session:
            recording = session.get(Recording, recording_id)
        if recording is None or not recording.facts.get("picture"):
            raise NotFound("There is no such picture.")
        return recording, self._media.treated(f"picture-{recording.sha256}")

    def _proxy(self, recording_id: int) -> "Proxy":
        from pampa.core.files.picture_proxy import proxy_in

        recording, folder = self._folder(recording_id)
        found = proxy_in(folder) if folder.exists() else None
        if found is None:
            proxy_in.cache_clear()
            self.begin(recording)
            raise NotFound(f"The picture of {recording.name} is being made ready. It comes in a while.")
        return found

    def begin(self, recording: Recording) -> None:
        """Have the small picture of a recording made, if it is not there."""
        self._jobs.start(
            PROXY, recording.episode_id, f"Making the small picture of {recording.name}",
            key=f"{PROXY} {recording.sha256}", recording=recording.id,
        )  # fmt: skip

    def _make_proxy(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        from pampa.core.files.picture_child import proxy_in_child
        from pampa.core.files.picture_proxy import proxy_in

        recording, folder = self._folder(parameters["recording"])
        if not folder.exists():
            original = self._media.original(recording.sha256, recording.suffix)
            facts = PictureFacts(**recording.facts["picture"])
            proxy_in_child(original, folder, facts, lambda share: progress("Making the small picture", share))
        proxy_in.cache_clear()
        self._events.post(Event("pictures", recording.episode_id))

    def _make_cut(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        from pampa.core.files.picture_child import cut_in_child

        episode_id = self._jobs.episode_of(job_id)
        state = ordered(self._editing, episode_id, parameters)
        pictured = self._pictured(episode_id)
        stretches = stretches_of(state.document, pictured)
        seen: Counter[int] = Counter()
        for each in stretches:
            seen[each.recording] += each.stop - each.start
        main = pictured[seen.most_common(1)[0][0]]
        size = size_for(main.facts.width, main.facts.height, parameters["most_high"])
        fps = usual_rate(main.facts.fps)
        source = self._rendering.rendered(state, progress)
        tags = self._about.tags(episode_id, state.document)
        target = self._media.delivery(episode_id, f"{job_id}.mp4")
        sound = target.with_name(f"{job_id}{MAKING}.m4a")
        self._media.require_room(
            int(source.frames / source.rate * (size[0] * size[1] * PICTURE_BYTES + AAC_KBIT * 125))
        )
        try:
            sheet = deliver(
                source, sound, Format("m4a", kbit=AAC_KBIT), Aim(**parameters["aim"]), tags=tags,
                executor=self._executor, progress=lambda doing, share: progress(doing, SOUND * share),
            )  # fmt: skip
            cut_in_child(
                target, stretches, {number: each.path for number, each in pictured.items()}, sound,
                frames=source.frames, size=size, fps=fps,
                progress=lambda share: progress("Writing the picture", SOUND + PICTURE * share),
            )  # fmt: skip
        finally:
            sound.unlink(missing_ok=True)
        told = f"MP4 {size[0]} × {size[1]}, {float(fps):.5g} frames a second, {sheet.format}"
        sheet = replace(sheet, format=told, size_bytes=target.stat().st_size)
        self._sending.keep(state, job_id, target.name, f"{file_name(tags)}.mp4", sheet)

    def _make_uncut(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        state = ordered(self._editing, episode_id, parameters)
        under = self._under(state, parameters["recording"])
        source = self._rendering.rendered(under, progress)
        tags = self._about.tags(episode_id, state.document)
        target = self._media.delivery(episode_id, f"{job_id}.wav")
        sheet = deliver(
            source, target, Format("wav", 24), Aim(**parameters["aim"]), executor=self._executor, progress=progress
        )  # fmt: skip
        self._sending.keep(state, job_id, target.name, f"{file_name(tags)}-for-the-uncut-picture.wav", sheet)

    def _under(self, state: State, recording_id: int) -> State:
        """The episode as it is heard under a picture that is not cut."""
        if recording_id not in self._pictured(state.episode_id):
            raise NotFound("There is no such picture.")
        with self._sessions() as session:
            rows = session.scalars(select(Recording).where(Recording.episode_id == state.episode_id)).all()
        lengths = {
            row.id: clocked_frames(row.facts["conformed_frames"], state.document.drift_ppm(row.id))
            for row in rows if row.state == "ready"
        }  # fmt: skip
        return replace(state, document=uncut(state.document, recording_id, lengths))

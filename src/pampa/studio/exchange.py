"""What goes to other programs and comes from them: the cut, markers, and everybody's sound on a track of its own."""

import re
import zipfile
from pathlib import Path
from typing import Any

import soundfile

from pampa.core.errors import EditRefused, NotFound
from pampa.core.files.cut_child import read_cut_in_child
from pampa.core.files.whole import MAKING
from pampa.core.mix.render import MonoSum
from pampa.core.sound import RATE, segments
from pampa.core.sync.clocked import clocked_frames
from pampa.core.timeline import marker_files
from pampa.core.timeline.codec import encode
from pampa.core.timeline.interchange import Media, from_cut, to_otio
from pampa.store.media import Media as Folder
from pampa.studio.editing import Editing, State, ordered, packed
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.listening import Listening
from pampa.studio.recordings import Recordings
from pampa.studio.shows import Shows

BYTES_A_FRAME = 4


class Exchange:
    """Export and import of the cut of all episodes."""

    def __init__(self, media: Folder, jobs: Jobs, events: Events, shows: Shows, editing: Editing,
                 recordings: Recordings, listening: Listening) -> None:  # fmt: skip
        self._media, self._jobs, self._events, self._shows = media, jobs, events, shows
        self._editing, self._recordings, self._listening = editing, recordings, listening
        jobs.register("stems", self._make_stems)

    def cut(self, episode_id: int) -> str:
        """The cut as OpenTimelineIO."""
        document = self._editing.state(episode_id).document
        return to_otio(document, self._known(episode_id), self._shows.episode(episode_id)[1].title)

    def bring_in_cut(self, episode_id: int, name: str, text: str, *, revision: int | None = None) -> State:
        """Cut the episode as a file tells; undone like any edit."""
        document = self._editing.state(episode_id).document
        made = from_cut(read_cut_in_child(text), document, self._known(episode_id))
        told = {"name": f"the cut in {name}"[:120], "content": encode(made)}
        return self._editing.edit(episode_id, "restore", told, revision=revision)

    def markers(self, episode_id: int, kind: str) -> str:
        """The markers as `csv` or `vtt`."""
        document = self._editing.state(episode_id).document
        return marker_files.to_vtt(document) if kind == "vtt" else marker_files.to_csv(document)

    def bring_in_markers(self, episode_id: int, name: str, text: str, *, revision: int | None = None) -> State:
        """Add the markers in a CSV or WebVTT file."""
        found = [[at, text] for at, text in marker_files.read_markers(text)]
        return self._editing.edit(episode_id, "add_markers", {"name": name[:120], "markers": found}, revision=revision)

    def file_name(self, episode_id: int, suffix: str) -> str:
        """What an exported file is called."""
        show, episode = self._shows.episode(episode_id)
        text = f"{show.name} {episode.number or ''} {episode.title}"
        return (re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:100] or "episode") + suffix

    # -- stems ---------------------------------------------------------------------------------------------

    def start_stems(self, episode_id: int, *, treated: bool) -> int:
        """Begin to write everybody's sound, each as long as the episode; returns the job's number."""
        state = self._editing.state(episode_id)
        if not any(track.clips for track in state.document.linked_tracks()):
            raise EditRefused("Nobody talks in this episode yet. Bring recordings in first, in Gather.")
        label = f"Making stems as {'treated' if treated else 'recorded'}"
        return self._jobs.start("stems", episode_id, label, treated=treated, ordered=packed(state))

    def stems(self, episode_id: int) -> list[str]:
        """What was made, newest first: names of files."""
        folder = self._media.delivery(episode_id, "")
        return sorted((path.name for path in folder.glob("stems-*.zip")), reverse=True)

    def stems_file(self, episode_id: int, name: str) -> Path:
        """One of them."""
        if name not in self.stems(episode_id):
            raise NotFound("Those stems are not there any more. Make them again.")
        return self._media.delivery(episode_id, name)

    def _make_stems(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id, treated = self._jobs.episode_of(job_id), parameters["treated"]
        state = ordered(self._editing, episode_id, parameters)
        if treated:
            self._listening.complete(state, lambda doing, share: progress(doing, 0.0))
        talk = [track for track in state.document.linked_tracks() if track.clips]
        self._media.require_room(2 * len(talk) * state.document.length * BYTES_A_FRAME)
        target = self._media.delivery(episode_id, f"stems-{job_id:06d}-{'treated' if treated else 'recorded'}.zip")
        making, wave = (target.with_suffix(f"{MAKING}{kind}") for kind in ("", ".wav"))
        try:
            with zipfile.ZipFile(making, "w", zipfile.ZIP_STORED) as stems:
                for n, track in enumerate(talk):
                    mix = self._listening.mix(state, treated=treated, only=frozenset((track.id,)))
                    sound = MonoSum(mix)
                    with soundfile.SoundFile(wave, "w", RATE, 1, "FLOAT", format="WAV") as file:
                        for segment in segments(mix.frames):
                            self._media.require_room()
                            progress(f"Writing {track.name}", (n + segment.start / mix.frames) / len(talk))
                            file.write(sound.read(segment.start, segment.stop))
                    stems.write(wave, f"{n + 1:02d} {_safe(track.name)}.wav")
            making.replace(target)
        finally:
            for path in (making, wave):
                path.unlink(missing_ok=True)
        self._events.post(Event("stems", episode_id))

    def _known(self, episode_id: int) -> dict[int, Media]:
        document = self._editing.state(episode_id).document
        listed = [
            *self._recordings.of_episode(episode_id),
            *self._recordings.of_episode(episode_id, removed=True, gone=True),
        ]
        lengths = {each.id: each.facts.get("conformed_frames", 0) for each in listed}
        return {
            each.id: Media(each.name, clocked_frames(lengths[each.id], document.drift_ppm(each.id)), each.sha256)
            for each in listed
        }


def _safe(name: str) -> str:
    return re.sub(r"[^\w .-]+", "", name).strip(" .") or "track"

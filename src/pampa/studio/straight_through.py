"""Straight through: from recordings to files by one action that can be looked into, changed, and taken back in parts.

First comes a plan with figures; each of its lines can be left out. What is done are edits like any others.
"""

import threading
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from typing import Any

from pampa.core.errors import EditRefused, NotFound, PampaError, SignalError
from pampa.core.straight.steps import NAMES, STEPS, Done, Name, Planned, Wants
from pampa.studio.about import About
from pampa.studio.editing import Editing
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.last_look import LastLook, Looked
from pampa.studio.places import Place, Places
from pampa.studio.publishing import Publishing, Wish
from pampa.studio.sending import Sending
from pampa.studio.shows import Shows
from pampa.studio.straight_steps import Steps
from pampa.studio.versions import Versions

BEFORE = "Before going straight through"
KEPT = "straight"
"""Under this, among an episode's choices, stands what was done."""
WAITS_FOR = ("take in", "bring in", "check up", "compare", "find", "mend", "line up", "look ahead")
HEARD = ("reached", "one-side", "against-itself", "nothing-inside", "cut-off", "too-close")
"""Checks of the last look that somebody should hear for themselves; the others wait for words or decisions."""
SHARES: dict[Name, float] = {
    "line-up": 8, "mend": 20, "room": 3, "silences": 8, "fillers": 1, "chatter": 1, "voices": 22, "music": 2,
    "files": 30, "publish": 8,
}  # fmt: skip
"""How long the steps take beside one another, for a bar that moves evenly."""


@dataclass(frozen=True)
class Plan:
    """What would be done. waits : something is still being measured. troubles : what no step can help."""

    wants: Wants
    steps: tuple[Planned, ...]
    troubles: tuple[str, ...]
    waits: bool


@dataclass(frozen=True)
class Report:
    """What was done. revision : of the episode afterwards. files : numbers of deliveries. needs : what a person has to
    look at. version : the episode as it was before. ended : all of it was done. job : that did it.
    """

    steps: tuple[Done, ...]
    files: tuple[int, ...]
    needs: tuple[str, ...]
    revision: int
    version: int | None
    ended: bool
    job: int


class StraightThrough:
    """Goes straight through episodes."""

    def __init__(self, jobs: Jobs, events: Events, shows: Shows, editing: Editing, about: About, versions: Versions,
                 sending: Sending, last_look: LastLook, places: Places, publishing: Publishing, steps: Steps
                 ) -> None:  # fmt: skip
        self._jobs, self._events, self._shows, self._editing = jobs, events, shows, editing
        self._about, self._versions, self._sending, self._last_look = about, versions, sending, last_look
        self._places, self._publishing, self._steps = places, publishing, steps
        self._lock = threading.Lock()
        jobs.register("one room", self._mix_room)
        jobs.register("look ahead", self._look_ahead, self._ended)
        jobs.register("straight through", self._go, self._ended)

    # -- the plan ---------------------------------------------------------------------------------------------

    def wants(self, show_id: int) -> Wants:
        """What is wanted of a show's episodes: as somebody last said, or what is usual."""
        told = self._about.of_show(show_id).straight
        return Wants(**{**asdict(Wants()), **told, "ticked": tuple(told.get("ticked", Wants().ticked))})

    def look_ahead(self, episode_id: int) -> int:
        """Begin to measure what a plan needs; an event tells the end."""
        self._shows.episode(episode_id)
        return self._jobs.start("look ahead", episode_id, "Looking ahead", key=f"look ahead {episode_id}",
                                after=self._open(episode_id, "look ahead"))  # fmt: skip

    def mix_room(self, episode_id: int) -> int:
        """Begin to put everybody in step and mix the microphones of their room; the job's number."""
        self._shows.episode(episode_id)
        return self._jobs.start("one room", episode_id, "Mixing the microphones of one room",
                                key=f"one room {episode_id}", after=self._open(episode_id, "one room"))  # fmt: skip

    def plan(self, episode_id: int, wants: Wants | None = None) -> Plan:
        """What would be done now, as far as it is known."""
        show, _ = self._shows.episode(episode_id)
        wants = wants or self.wants(show.id)
        waits = bool(self._open(episode_id))
        told = self._told(episode_id, wants)
        steps = []
        for step in STEPS:
            lines, needs = told[step.name]() if not waits or step.name in ("files", "publish") else ([], [])
            steps.append(Planned(step, tuple(lines), bool(lines), tuple(needs)))
        return Plan(wants, tuple(steps), tuple(self._steps.troubles(episode_id)), waits)

    def _told(self, episode_id: int, wants: Wants) -> dict[Name, Callable[[], tuple[list[str], list[str]]]]:
        of = self._steps
        return {
            "line-up": lambda: of.plan_line_up(episode_id), "mend": lambda: of.plan_mend(episode_id),
            "room": lambda: of.plan_room(episode_id),
            "silences": lambda: of.plan_cuts(episode_id, "silences", wants),
            "fillers": lambda: of.plan_cuts(episode_id, "fillers", wants),
            "chatter": lambda: of.plan_cuts(episode_id, "chatter", wants),
            "voices": lambda: of.plan_voices(episode_id), "music": lambda: of.plan_music(episode_id),
            "files": lambda: ([f"{name}, {wanted.fmt.label}." for name, wanted in of.files(episode_id)], []),
            "publish": lambda: (self._place_told(episode_id), []),
        }  # fmt: skip

    def _place_told(self, episode_id: int) -> list[str]:
        place = self._place(episode_id)
        return [f"To {place.name}."] if place else []

    def _place(self, episode_id: int) -> Place | None:
        """Where its show is published: the first place that can be spoken with."""
        show, _ = self._shows.episode(episode_id)
        return next((place for place in self._places.of_show(show.id) if place.has_secret), None)

    def _mix_room(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        self._steps.mix_room(self._jobs.episode_of(job_id), progress)

    def _look_ahead(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        self._steps.look_ahead(self._jobs.episode_of(job_id), progress)

    # -- doing it ---------------------------------------------------------------------------------------------

    def go(self, episode_id: int, wants: Wants) -> int:
        """Begin; what is wanted is remembered for the show. Returns the job's number."""
        show, _ = self._shows.episode(episode_id)
        if not wants.ticked:
            raise EditRefused("Nothing is ticked, so nothing would be done.")
        self._about.change_show(show.id, straight=asdict(wants))
        return self._jobs.start("straight through", episode_id, "Straight through", key=f"straight {episode_id}",
                                after=self._open(episode_id, "straight through"), wants=asdict(wants))  # fmt: skip

    def report(self, episode_id: int) -> Report | None:
        """What was done when somebody last went straight through; None where nobody has."""
        _, episode = self._shows.episode(episode_id)
        told = episode.choices.get(KEPT)
        if not told:
            return None
        steps = tuple(Done(d["name"], tuple(d["told"]), tuple(d["needs"]), d["undo"]) for d in told["steps"])
        lists = {name: tuple(told[name]) for name in ("files", "needs")}
        return Report(**{**told, **lists, "steps": steps})

    def take_back(self, episode_id: int, name: str) -> None:
        """Undo one of the steps alone, by edits."""
        report = self.report(episode_id)
        done = next((each for each in report.steps if each.name == name), None) if report else None
        if report is None or done is None or not done.undo:
            raise NotFound("There is nothing of that step to take back. Every edit stands in the history.")
        self._steps.take_back(episode_id, done)
        left = tuple(replace(each, undo=None) if each.name == name else each for each in report.steps)
        self._keep(episode_id, replace(report, steps=left, revision=self._revision(episode_id)))

    def _go(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job. Begun again after a stop it goes on with the steps that are left."""
        episode_id = self._jobs.episode_of(job_id)
        wants = Wants(**{**parameters["wants"], "ticked": tuple(parameters["wants"]["ticked"])})
        report = self.report(episode_id)
        if report is None or report.job != job_id:
            version = self._versions.keep(episode_id, BEFORE).id
            needs = tuple(self._steps.troubles(episode_id))
            report = Report((), (), needs, self._revision(episode_id), version, False, job_id)
        over = {done.name for done in report.steps}
        ticked = [name for name in NAMES if name in wants.ticked and name not in over]
        total, before = sum(SHARES[name] for name in ticked) or 1.0, 0.0
        self._steps.look_ahead(episode_id, lambda doing, share: progress(doing, 0.05 * share))
        for name in ticked:
            reach = SHARES[name] / total

            def told(doing: str, share: float, before: float = before, reach: float = reach) -> None:
                progress(doing, 0.05 + 0.95 * (before + reach * share))

            told(_title(name), 0.0)
            try:
                done, files = self._do(episode_id, name, wants, told, job_id, report)
            except (EditRefused, NotFound, SignalError) as error:  # what follows can be done all the same
                done, files = Done(name, needs=(f"{_title(name)}: {error}",)), []
            report = replace(report, steps=(*report.steps, done), needs=(*report.needs, *done.needs),
                             files=(*report.files, *files), revision=self._revision(episode_id))  # fmt: skip
            self._keep(episode_id, report)
            before += reach
        self._keep(episode_id, replace(report, ended=True))

    def _do(self, episode_id: int, name: Name, wants: Wants, progress: Progress, job_id: int, so_far: Report
            ) -> tuple[Done, list[int]]:  # fmt: skip
        of = self._steps
        match name:
            case "line-up":
                return of.do_line_up(episode_id), []
            case "mend":
                return of.do_mend(episode_id, progress), []
            case "room":
                return of.do_room(episode_id, progress), []
            case "silences" | "fillers" | "chatter":
                return of.do_cuts(episode_id, name, wants, progress), []
            case "voices":
                return of.do_voices(episode_id, progress), []
            case "music":
                return of.do_music(episode_id), []
            case "files":
                return self._make_files(episode_id, progress, job_id)
            case "publish":
                return self._publish(episode_id, progress, job_id, so_far), []

    def _make_files(self, episode_id: int, progress: Progress, job_id: int) -> tuple[Done, list[int]]:
        wanted = self._steps.files(episode_id)
        state = self._editing.state(episode_id)
        if not state.document.length:
            return Done("files", needs=("There is nothing to make files of: no recording is whole.",)), []
        aims = [(name, each.aim) for name, each in wanted]
        looked = self._last_look.look(state, aims, lambda doing, share: progress(doing, 0.5 * share))
        told = self._sending.ordered_files(episode_id, [each for _, each in wanted])
        self._sending.deliver(told, lambda doing, share: progress(doing, 0.5 + 0.5 * share), job_id)
        files = [file for file in self._sending.of_episode(episode_id) if file.job_id == job_id]
        lines = [f"{file.name}: {_figures(file.sheet['loudness'])}." for file in files]
        short = [f"{file.name}: {file.sheet['reason']}" for file in files if not file.sheet["met"]]
        return Done("files", tuple(lines), (*short, *_to_hear(looked))), [file.id for file in files]

    def _publish(self, episode_id: int, progress: Progress, job_id: int, so_far: Report) -> Done:
        place = self._place(episode_id)
        if place is None or not so_far.files:
            why = "no place is known" if place is None else "no file was made"
            return Done("publish", needs=(f"It was not published: {why}.",))
        try:
            wish = self._publishing.ordered_wish(episode_id, Wish(place.id, so_far.files[0]))
            self._publishing.bring(wish, progress, job_id)
        except PampaError as error:
            return Done("publish", needs=(str(error),))
        return Done("publish", (f"To {place.name}.",))

    # -- keeping ----------------------------------------------------------------------------------------------

    def _keep(self, episode_id: int, report: Report) -> None:
        with self._lock:
            self._shows.change_episode(episode_id, choices={KEPT: asdict(report)})

    def _open(self, episode_id: int, *but: str) -> list[int]:
        """Jobs that must have ended before all is known."""
        return [job for kind in WAITS_FOR if kind not in but for job in self._jobs.open_of(episode_id, kind)]

    def _revision(self, episode_id: int) -> int:
        return self._editing.state(episode_id).revision

    def _ended(self, job: Any) -> None:
        self._events.post(Event("straight", job.episode_id))


def _title(name: str) -> str:
    return next(step.title for step in STEPS if step.name == name)


def _figures(loudness: dict[str, Any]) -> str:
    if loudness["integrated_lufs"] is None:
        return "nothing is heard"
    told = f"{loudness['integrated_lufs']:.1f} LUFS, {loudness['true_peak_dbtp']:.1f} dBTP"
    return told.replace("-", "−")


def _to_hear(looked: Looked) -> tuple[str, ...]:
    return tuple(note.told for check in looked.found if check.name in HEARD for note in check.notes)


__all__ = ["Plan", "Report", "StraightThrough", "Wants"]

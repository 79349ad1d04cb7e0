"""Long passes in the background: rows with progress that can be stopped and outlive a restart."""

import logging
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pampa.core.errors import Cancelled, NotFound, PampaError, disk_errors
from pampa.store.database import Sessions
from pampa.store.models import Job
from pampa.studio.events import Event, Events

log = logging.getLogger(__name__)

Progress = Callable[[str, float], None]
Work = Callable[[dict[str, Any], Progress, int], None]
"""Does a job from its parameters; is given how to tell progress, and the job's number."""
Ended = Callable[[Job], None]
"""Told of a job's end, whichever it was: done, failed, stopped, or given up."""

OPEN = ("waiting", "running")
WRITE_EVERY = 0.02
MOST_ATTEMPTS = 2
"""A job under way when Pampa was killed is taken up again, but not for ever: it may be what killed it."""


@dataclass(frozen=True)
class _Kind:
    work: Work
    ended: Ended


class Jobs:
    """The job list of a studio. Work is registered by kind before `resume` is called."""

    def __init__(self, sessions: Sessions, events: Events, workers: int) -> None:
        self._sessions = sessions
        self._events = events
        self._pool = ThreadPoolExecutor(workers, thread_name_prefix="job")
        self._kinds: dict[str, _Kind] = {}
        self._lock = threading.Lock()
        self._running: set[int] = set()
        self._stopping: set[int] = set()
        self._unwritten: dict[int, dict[str, Any]] = defaultdict(dict)
        """What the database could not take, as when the disk is full: told all the same, and written later."""
        self._closing = threading.Event()

    def register(self, kind: str, work: Work, ended: Ended = lambda job: None) -> None:
        assert kind not in self._kinds, f"there are two kinds of job called {kind}"
        self._kinds[kind] = _Kind(work, ended)

    def resume(self) -> None:
        """Take up what a stop of the server had interrupted."""
        with self._sessions() as session:
            unfinished = session.scalars(select(Job).where(Job.state.in_(OPEN)).order_by(Job.id)).all()
        for job in unfinished:
            if job.stopping:
                self._end(job.id, "cancelled")
            elif job.state == "running" and job.attempts >= MOST_ATTEMPTS:
                self._end(
                    job.id, "failed",
                    f"{job.label} was under way {job.attempts} times when Pampa was stopped hard, so it is not begun "
                    "again by itself. Nothing was lost. Start it anew, or leave the file out.",
                )  # fmt: skip
            else:
                self._begin(job)

    def start(self, kind: str, episode_id: int, label: str, *, key: str | None = None, after: Iterable[int] = (),
              **parameters: Any) -> int:  # fmt: skip
        """Put a job on the list and begin; returns its number.

        key : of what it does. Where a job of that key is open already, that one is meant, and nothing is added.
        after : jobs that must have ended first.
        """
        if key is not None and not after and (known := self.open_with(key)) is not None:
            return known
        with self._sessions.begin() as session:
            job = self._with_key(session, key)
            if job is not None:
                if job.state == "waiting":
                    job.after = sorted({*job.after, *after})
                return job.id
            job = self.add(session, kind, episode_id, label, key=key, after=after, **parameters)
        self.go(job)
        return job.id

    def add(self, session: Session, kind: str, episode_id: int, label: str, *, key: str | None = None,
            after: Iterable[int] = (), **parameters: Any) -> Job:  # fmt: skip
        """Put a job on the list in the caller's transaction; `go` begins it once that is committed."""
        job = Job(
            kind=kind, episode_id=episode_id, label=label, parameters=parameters, key=key, after=sorted(set(after))
        )
        session.add(job)
        session.flush()
        return job

    def go(self, job: Job) -> None:
        """Begin a job that was added, at once or when those that it waits for have ended."""
        self._events.post(Event("job", job.episode_id, as_dict(job)))
        self._begin(job)

    def open_with(self, key: str) -> int | None:
        """The job of a key that waits or runs."""
        with self._sessions() as session:
            job = self._with_key(session, key)
        return None if job is None else job.id

    def open_of(self, episode_id: int, kind: str) -> list[int]:
        """Jobs of one kind that wait or run for an episode."""
        with self._sessions() as session:
            wanted = select(Job.id).where(Job.episode_id == episode_id, Job.kind == kind, Job.state.in_(OPEN))
            return list(session.scalars(wanted))

    def _with_key(self, session: Session, key: str | None) -> Job | None:
        if key is None:
            return None
        found = session.scalars(select(Job).where(Job.key == key, Job.state.in_(OPEN))).first()
        return None if found is None or found.id in self._unwritten else found

    def _begin(self, job: Job) -> None:
        if not self._waits_for(job.after):
            self._pool.submit(self._run, job.id)

    def _waits_for(self, others: list[int]) -> bool:
        if not others:
            return False
        with self._sessions() as session:
            still = set(session.scalars(select(Job.id).where(Job.id.in_(others), Job.state.in_(OPEN))))
        return bool(still - self._unwritten.keys())

    def _release(self, ended: int) -> None:
        """Begin what waited for a job that has ended."""
        with self._sessions() as session:
            waiting = session.scalars(select(Job).where(Job.state == "waiting", Job.after != [])).all()
        for job in waiting:
            if ended in job.after:
                self._begin(job)

    def cancel(self, job_id: int) -> None:
        """Stop a job soon; what it has made so far goes. One that has ended stays as it is."""
        with self._sessions() as session:
            job = session.get(Job, job_id)
        if job is None:
            raise NotFound("That job is not on the list any more.")
        with self._lock:
            at_work = job_id in self._running
            if at_work:
                self._stopping.add(job_id)
        if at_work:
            self._tell(job_id, stopping=True)  # it stays stopped, should Pampa end before the job has
        elif job.state in OPEN:
            self._end(job_id, "cancelled")

    def episode_of(self, job_id: int) -> int:
        """The episode that a job works for."""
        with self._sessions() as session:
            return session.get_one(Job, job_id).episode_id

    def open_jobs(self, episode_id: int) -> list[dict[str, Any]]:
        """Jobs of an episode that wait or run."""
        self._write_later()
        with self._sessions() as session:
            jobs = session.scalars(select(Job).where(Job.episode_id == episode_id, Job.state.in_(OPEN))).all()
        told = [{**as_dict(job), **_shown(self._unwritten.get(job.id, {}))} for job in jobs]
        return [job for job in told if job["state"] in OPEN]

    def told(self, job_id: int) -> dict[str, Any]:
        """A job, also one that has ended."""
        with self._sessions() as session:
            job = session.get(Job, job_id)
        if job is None:
            raise NotFound("There is no such job any more.")
        return as_dict(job)

    def wait(self, timeout: float = 120) -> None:
        """Wait until nothing runs: for tests and the demo."""
        deadline = threading.Event()
        steps = int(timeout / 0.02)
        for _ in range(steps):
            with self._sessions() as session:
                unfinished = set(session.scalars(select(Job.id).where(Job.state.in_(OPEN)))) - self._unwritten.keys()
            if not unfinished and not self._running:  # whoever is to be told of an end has been
                return
            deadline.wait(0.02)
        raise TimeoutError("Jobs are still running.")

    def close(self) -> None:
        """Stop taking work; what runs is left as it is and taken up at the next start."""
        self._closing.set()
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _run(self, job_id: int) -> None:
        if self._closing.is_set():
            return
        with self._lock:
            if job_id in self._running:  # two that it waited for ended at once, and each has begun it
                return
            self._running.add(job_id)
        try:
            self._work(job_id)
        finally:
            with self._lock:
                self._running.discard(job_id)
                self._stopping.discard(job_id)

    def _work(self, job_id: int) -> None:
        with self._sessions() as session:
            job = session.get(Job, job_id)
        if job is None or job.state not in OPEN:
            return
        last, said = 0.0, ""

        def progress(doing: str, share: float) -> None:
            nonlocal last, said
            if job_id in self._stopping:
                raise Cancelled
            if self._closing.is_set():
                raise _Interrupted
            if abs(share - last) >= WRITE_EVERY or share >= 1 or doing != said:
                last, said = share, doing
                self._tell(job_id, doing=doing, share=share)

        try:
            self._tell(job_id, state="running", doing="Starting", share=0.0, attempts=job.attempts + 1)
            progress("Starting", 0.0)
            with disk_errors():
                self._kinds[job.kind].work(job.parameters, progress, job_id)
            self._end(job_id, "done")
        except _Interrupted:
            self._tell(job_id, state="waiting", attempts=job.attempts)
        except Cancelled:
            self._end(job_id, "cancelled")
        except PampaError as error:
            self._end(job_id, "failed", str(error))
        except Exception:
            if self._closing.is_set():
                return
            log.exception("job %s failed", job_id)
            self._end(
                job_id, "failed", f"{job.label} failed inside Pampa. Nothing was lost. Try again; the log says more."
            )

    def _end(self, job_id: int, state: str, error: str = "") -> None:
        job = self._tell(job_id, state=state, doing="", error=error, **({"share": 1.0} if state == "done" else {}))
        job.state, job.error = state, error
        try:
            self._kinds[job.kind].ended(job)
        except Exception:  # whoever is told may find the disk full; the job has ended all the same
            log.exception("the end of job %s could not be told", job_id)
        self._release(job_id)

    def _tell(self, job_id: int, **changes: Any) -> Job:
        """Write down how a job stands, if that can be written, and tell it in any case."""
        try:
            with self._sessions.begin() as session:
                job = session.get_one(Job, job_id)
                for name, value in {**self._unwritten.get(job_id, {}), **changes}.items():
                    setattr(job, name, value)
            self._unwritten.pop(job_id, None)
        except PampaError as error:
            log.warning("job %s: %s", job_id, error)
            self._unwritten[job_id].update(changes)
            with self._sessions() as session:
                job = session.get_one(Job, job_id)
        self._events.post(Event("job", job.episode_id, {**as_dict(job), **_shown(self._unwritten.get(job_id, {}))}))
        return job

    def _write_later(self) -> None:
        for job_id in list(self._unwritten):
            self._tell(job_id)


class _Interrupted(Exception):
    """The studio closes: the job stays on the list and is taken up at the next start."""


def _shown(changes: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in changes.items() if name not in ("attempts", "stopping")}


def as_dict(job: Job) -> dict[str, Any]:
    """A job as the page is told of it."""
    return {
        "id": job.id, "kind": job.kind, "label": job.label, "state": job.state, "doing": job.doing,
        "share": round(job.share, 3), "error": job.error,
    }  # fmt: skip

"""Long passes in the background: rows with progress that can be stopped and outlive a restart."""

import logging
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from pampa.core.errors import Cancelled, NotFound, PampaError
from pampa.store.models import Job
from pampa.studio.events import Event, Events

log = logging.getLogger(__name__)

Progress = Callable[[str, float], None]
Work = Callable[[dict[str, Any], Progress, int], None]
"""Does a job from its parameters; is given how to tell progress, and the job's number."""

OPEN = ("waiting", "running")
WRITE_EVERY = 0.02


class Jobs:
    """The job list of a studio. Work is registered by kind before `resume` is called."""

    def __init__(self, sessions: sessionmaker[Session], events: Events, workers: int) -> None:
        self._sessions = sessions
        self._events = events
        self._pool = ThreadPoolExecutor(workers, thread_name_prefix="job")
        self._works: dict[str, Work] = {}
        self._stopping: set[int] = set()
        self._closing = threading.Event()

    def register(self, kind: str, work: Work) -> None:
        self._works[kind] = work

    def resume(self) -> None:
        """Take up what a stop of the server had interrupted."""
        with self._sessions() as session:
            unfinished = session.scalars(select(Job).where(Job.state.in_(OPEN)).order_by(Job.id)).all()
        for job in unfinished:
            self._pool.submit(self._run, job.id)

    def start(self, kind: str, episode_id: int, label: str, **parameters: Any) -> int:
        """Put a job on the list and begin; returns its number."""
        with self._sessions.begin() as session:
            job = self.add(session, kind, episode_id, label, **parameters)
        self.go(job)
        return job.id

    def add(self, session: Session, kind: str, episode_id: int, label: str, **parameters: Any) -> Job:
        """Put a job on the list in the caller's transaction; `go` begins it once that is committed."""
        job = Job(kind=kind, episode_id=episode_id, label=label, parameters=parameters)
        session.add(job)
        session.flush()
        return job

    def go(self, job: Job) -> None:
        """Begin a job that was added."""
        self._events.post(Event("job", job.episode_id, as_dict(job)))
        self._pool.submit(self._run, job.id)

    def cancel(self, job_id: int) -> None:
        """Stop a job soon; what it has made so far goes. One that has ended stays as it is."""
        with self._sessions() as session:
            if session.get(Job, job_id) is None:
                raise NotFound("That job is not on the list any more.")
        self._stopping.add(job_id)

    def episode_of(self, job_id: int) -> int:
        """The episode that a job works for."""
        with self._sessions() as session:
            return session.get_one(Job, job_id).episode_id

    def open_jobs(self, episode_id: int) -> list[dict[str, Any]]:
        """Jobs of an episode that wait or run."""
        with self._sessions() as session:
            jobs = session.scalars(select(Job).where(Job.episode_id == episode_id, Job.state.in_(OPEN)))
            return [as_dict(job) for job in jobs]

    def wait(self, timeout: float = 120) -> None:
        """Wait until nothing runs: for tests and the demo."""
        deadline = threading.Event()
        steps = int(timeout / 0.02)
        for _ in range(steps):
            with self._sessions() as session:
                if not session.scalar(select(Job.id).where(Job.state.in_(OPEN)).limit(1)):
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
        with self._sessions() as session:
            job = session.get(Job, job_id)
        if job is None or job.state not in OPEN:
            return
        last = -1.0

        def progress(doing: str, share: float) -> None:
            nonlocal last
            if job_id in self._stopping:
                raise Cancelled
            if self._closing.is_set():
                raise _Interrupted
            if abs(share - last) >= WRITE_EVERY or share >= 1:
                last = share
                self._tell(job_id, state="running", doing=doing, share=share)

        try:
            progress("Starting", 0.0)
            self._works[job.kind](job.parameters, progress, job_id)
            self._tell(job_id, state="done", share=1.0, doing="")
        except _Interrupted:
            return
        except Cancelled:
            self._tell(job_id, state="cancelled", doing="")
        except PampaError as error:
            self._tell(job_id, state="failed", error=str(error), doing="")
        except Exception:
            if self._closing.is_set():
                return
            log.exception("job %s failed", job_id)
            self._tell(
                job_id, state="failed", doing="",
                error=f"{job.label} failed inside Pampa. Nothing was lost. Try again; the log says more.",
            )  # fmt: skip

    def _tell(self, job_id: int, **changes: Any) -> None:
        with self._sessions.begin() as session:
            job = session.get_one(Job, job_id)
            for name, value in changes.items():
                setattr(job, name, value)
            told = as_dict(job)
        self._events.post(Event("job", job.episode_id, told))


class _Interrupted(Exception):
    """The studio closes: the job stays on the list as running, and is taken up at the next start."""


def as_dict(job: Job) -> dict[str, Any]:
    """A job as the page is told of it."""
    return {
        "id": job.id, "kind": job.kind, "label": job.label, "state": job.state, "doing": job.doing,
        "share": round(job.share, 3), "error": job.error,
    }  # fmt: skip

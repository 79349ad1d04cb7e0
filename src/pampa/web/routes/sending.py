"""Deliveries: make files, list and download them; and the jobs that run."""

from fastapi import APIRouter
from fastapi.responses import FileResponse

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.files.tags import Tags
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import DeliveryOut, JobOut, JobStarted, NewDelivery

router = APIRouter(tags=["sending out"])


@router.post("/episodes/{episode_id}/deliveries", status_code=202)
def start_delivery(episode_id: Id, body: NewDelivery, studio: WithStudio) -> JobStarted:
    """Begin making a file; the job tells how far it is."""
    show, episode = studio.shows.episode(episode_id)
    tags = Tags(title=body.title or episode.title, show=show.name, host=show.host,
                number=body.number if body.number is not None else episode.number, date=body.date)  # fmt: skip
    job = studio.sending.start(
        episode_id, fmt=Format(body.kind, body.bits, body.kbit), aim=Aim(body.target_lufs, body.ceiling_dbtp),
        mono=body.mono, tags=tags,
    )  # fmt: skip
    return JobStarted(job=job)


@router.get("/episodes/{episode_id}/deliveries")
def list_deliveries(episode_id: Id, studio: WithStudio) -> list[DeliveryOut]:
    """What was made, newest first, each with its delivery sheet."""
    return [DeliveryOut.of(delivery) for delivery in studio.sending.of_episode(episode_id)]


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: Id, studio: WithStudio) -> FileResponse:
    """The file."""
    path, name = studio.sending.file(delivery_id)
    return FileResponse(path, filename=name)


@router.get("/episodes/{episode_id}/jobs")
def list_jobs(episode_id: Id, studio: WithStudio) -> list[JobOut]:
    """Jobs that wait or run."""
    return [JobOut(**job) for job in studio.jobs.open_jobs(episode_id)]


@router.post("/jobs/{job_id}/cancel", status_code=204)
def cancel_job(job_id: Id, studio: WithStudio) -> None:
    """Stop a job soon."""
    studio.jobs.cancel(job_id)

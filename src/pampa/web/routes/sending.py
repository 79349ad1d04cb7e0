"""Deliveries: make files, list and download them; and the jobs that run."""

from fastapi import APIRouter
from fastapi.responses import FileResponse

from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import JobOut, JobStarted
from pampa.web.sending_schemas import DeliveryOut, LookedOut, NewDeliveries

router = APIRouter(tags=["sending out"])


@router.post("/episodes/{episode_id}/deliveries", status_code=202)
def start_delivery(episode_id: Id, body: NewDeliveries, studio: WithStudio) -> JobStarted:
    """Begin making files, all from one render; the job tells how far they are."""
    return JobStarted(job=studio.sending.start(episode_id, [each.wanted() for each in body.files]))


@router.get("/episodes/{episode_id}/deliveries")
def list_deliveries(episode_id: Id, studio: WithStudio) -> list[DeliveryOut]:
    """What was made, newest first, each with its delivery sheet."""
    return [DeliveryOut.of(delivery) for delivery in studio.sending.of_episode(episode_id)]


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: Id, studio: WithStudio) -> FileResponse:
    """The file."""
    path, name = studio.sending.file(delivery_id)
    return FileResponse(path, filename=name)


@router.get("/deliveries/{delivery_id}/sheet")
def read_sheet(delivery_id: Id, studio: WithStudio) -> DeliveryOut:
    """The delivery sheet of a file."""
    return DeliveryOut.of(studio.sending.delivery(delivery_id))


@router.get("/episodes/{episode_id}/last-look")
def read_last_look(episode_id: Id, studio: WithStudio) -> LookedOut:
    """What the last look found when somebody last asked for one."""
    return LookedOut.of(studio.last_look.last(episode_id), studio.editing.state(episode_id).revision)


@router.post("/episodes/{episode_id}/last-look", status_code=202)
def begin_last_look(episode_id: Id, body: NewDeliveries, studio: WithStudio) -> LookedOut:
    """Begin to look at the episode as it stands, for the files that are wanted; an event tells the end."""
    wanted = [(each.name or each.wanted().fmt.kind, each.wanted().aim) for each in body.files]
    looked = studio.last_look.begin(episode_id, wanted)
    return LookedOut.of(looked, studio.editing.state(episode_id).revision)


@router.get("/episodes/{episode_id}/jobs")
def list_jobs(episode_id: Id, studio: WithStudio) -> list[JobOut]:
    """Jobs that wait or run."""
    return [JobOut(**job) for job in studio.jobs.open_jobs(episode_id)]


@router.get("/jobs/{job_id}")
def read_job(job_id: Id, studio: WithStudio) -> JobOut:
    """A job, also one that has ended."""
    return JobOut(**studio.jobs.told(job_id))


@router.post("/jobs/{job_id}/cancel", status_code=204)
def cancel_job(job_id: Id, studio: WithStudio) -> None:
    """Stop a job soon."""
    studio.jobs.cancel(job_id)

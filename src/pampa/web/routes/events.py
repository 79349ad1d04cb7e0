"""What happens in an episode, as it happens."""

import json
from collections.abc import AsyncIterator

from fastapi import APIRouter
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse

from pampa.web.routes.deps import Id, WithStudio

router = APIRouter(tags=["events"])


@router.get("/episodes/{episode_id}/events", response_class=StreamingResponse)
async def follow(episode_id: Id, studio: WithStudio) -> StreamingResponse:
    """Server-sent events of an episode and of its show's larder: `revision`, `job`, `recordings`, `loudness`,
    `lining`, `checkups`, `larder`, `deliveries`."""
    show, _ = await run_in_threadpool(studio.shows.episode, episode_id)
    shelf = await run_in_threadpool(studio.shows.shelf, show.id)

    async def lines() -> AsyncIterator[str]:
        yield "retry: 1000\n\n"
        async for event in studio.events.read(episode_id, shelf):
            yield ": still here\n\n" if event is None else f"event: {event.kind}\ndata: {json.dumps(event.data)}\n\n"

    return StreamingResponse(lines(), media_type="text/event-stream", headers={"Content-Encoding": "identity"})

"""Publishing: places of a show, what would be published, what is there, and doing it."""

from fastapi import APIRouter

from pampa.web.publishing_schemas import (
    ListedOut,
    NewPlace,
    OutlookOut,
    PlaceChange,
    PlaceOut,
    PublicationOut,
    WishIn,
    Withdrawal,
)
from pampa.web.routes.deps import Id, WithStudio
from pampa.web.schemas import JobStarted

router = APIRouter(tags=["publishing"])


@router.get("/shows/{show_id}/places")
def list_places(show_id: Id, studio: WithStudio) -> list[PlaceOut]:
    """Where a show is published."""
    return [PlaceOut.of(place) for place in studio.places.of_show(show_id)]


@router.post("/shows/{show_id}/places", status_code=201)
def make_place(show_id: Id, body: NewPlace, studio: WithStudio) -> PlaceOut:
    """Say where a show is published. A secret is kept in a file of its own, and never told again."""
    return PlaceOut.of(studio.places.make(show_id, **body.model_dump()))


@router.patch("/places/{place_id}")
def change_place(place_id: Id, body: PlaceChange, studio: WithStudio) -> PlaceOut:
    """Change what is said of a place, or its secret."""
    return PlaceOut.of(studio.places.change(place_id, **body.model_dump()))


@router.delete("/places/{place_id}", status_code=204)
def forget_place(place_id: Id, studio: WithStudio) -> None:
    """Publish there no more. What lies there stays."""
    studio.places.forget(place_id)


@router.get("/places/{place_id}/there")
def there(place_id: Id, studio: WithStudio) -> list[ListedOut]:
    """What is at a place now, as it says itself."""
    return [ListedOut.model_validate(each) for each in studio.publishing.there(place_id)]


@router.post("/episodes/{episode_id}/outlook")
def look(episode_id: Id, body: WishIn, studio: WithStudio) -> OutlookOut:
    """What publishing would come to; nothing is sent."""
    return OutlookOut.of(studio.publishing.look(episode_id, body.wish()))


@router.get("/episodes/{episode_id}/publications")
def publications(episode_id: Id, studio: WithStudio) -> list[PublicationOut]:
    """Where an episode was brought, and how it stands there."""
    return [PublicationOut.model_validate(each) for each in studio.publishing.of_episode(episode_id)]


@router.post("/episodes/{episode_id}/publish", status_code=202)
def publish(episode_id: Id, body: WishIn, studio: WithStudio) -> JobStarted:
    """Begin to publish a file that was made; an event tells the end."""
    return JobStarted(job=studio.publishing.publish(episode_id, body.wish()))


@router.post("/episodes/{episode_id}/withdraw", status_code=202)
def withdraw(episode_id: Id, body: Withdrawal, studio: WithStudio) -> JobStarted:
    """Begin to take an episode out of a feed, and its files away."""
    return JobStarted(job=studio.publishing.withdraw(episode_id, body.place))

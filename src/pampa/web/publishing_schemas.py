"""What goes over the wire when an episode is published: places, what would be said, what is there. Never a secret."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AwareDatetime, BaseModel, Field

from pampa.studio.places import SSH_PORT, Place
from pampa.studio.publishing import Outlook, Wish
from pampa.web.schemas import Moment, Number, Told

Text = Annotated[str, Field(max_length=500)]
Secret = Annotated[str, Field(max_length=20_000)]


class NewPlace(BaseModel):
    """A place to publish to. Of a mooring: address and secret; of a folder: folder and public; of SFTP: the rest."""

    kind: Literal["mooring", "folder", "sftp"]
    name: Annotated[str, Field(max_length=120)] = ""
    secret: Secret = Field("", description="A token, a password, or a private key as text.")
    address: Text = ""
    show: Annotated[str, Field(max_length=100, pattern=r"^([A-Za-z0-9][A-Za-z0-9._-]*)?$")] = ""
    machine: Annotated[str, Field(max_length=255, pattern=r"^[A-Za-z0-9.:_-]*$")] = ""
    port: Annotated[int, Field(ge=1, le=65535)] = SSH_PORT
    user: Annotated[str, Field(max_length=100)] = ""
    folder: Text = ""
    public: Text = ""


class PlaceChange(BaseModel):
    """What to change of a place; what is left out stays."""

    name: Annotated[str, Field(max_length=120)] | None = None
    secret: Secret | None = None
    address: Text | None = None
    user: Annotated[str, Field(max_length=100)] | None = None
    folder: Text | None = None
    public: Text | None = None


class PlaceOut(BaseModel):
    """A place. fingerprint : what a machine behind SFTP is known by, for people to compare."""

    id: int
    kind: str
    name: str
    has_secret: bool
    address: str
    show: str
    machine: str
    port: int
    user: str
    folder: str
    public: str
    fingerprint: str

    @classmethod
    def of(cls, place: Place) -> "PlaceOut":
        told = {name: value for name, value in vars(place.details).items() if name != "key"}
        return cls(id=place.id, kind=place.kind, name=place.name, has_secret=place.has_secret, **told)


class WishIn(BaseModel):
    """What is to become of an episode at a place."""

    place: Number
    delivery: Number
    when: AwareDatetime | None = Field(None, description="Null for now, or for the date that it has there.")
    draft: bool = False
    take_over: bool = Field(False, description="Change the feed that lies there, whoever wrote it.")

    def wish(self) -> Wish:
        return Wish(self.place, self.delivery, self.when, self.draft, self.take_over)


class Withdrawal(BaseModel):
    place: Number


class ListedOut(Told):
    guid: str
    title: str
    date: datetime | None
    state: str
    episode: int | None


class FaultOut(Told):
    rule: str
    source: str
    grave: bool
    told: str
    guid: str


class OutlookOut(BaseModel):
    """What would be published. preview : the episode as its feed would have it."""

    address: str
    url: str
    date: datetime
    preview: str
    faults: list[FaultOut]
    there: list[ListedOut]
    strange: str
    clock: str
    again: bool

    @classmethod
    def of(cls, outlook: Outlook) -> "OutlookOut":
        return cls(
            address=outlook.address, url=outlook.item.url, date=outlook.item.date, preview=outlook.preview,
            faults=[FaultOut.model_validate(each) for each in outlook.faults],
            there=[ListedOut.model_validate(each) for each in outlook.there], strange=outlook.strange,
            clock=outlook.clock, again=outlook.again,
        )  # fmt: skip


class PublicationOut(Told):
    """How an episode stands at a place, as far as it was brought there from here. state : draft, public, withdrawn."""

    place_id: int
    state: str
    url: str
    made: Moment

"""What goes over the wire about room on the disk."""

from pydantic import BaseModel, Field

from pampa.web.schemas import Told


class TakenByEpisodeOut(Told):
    """Bytes of an episode."""

    episode: int
    show: int
    originals: int
    working: int = Field(description="Working copies, made again from the originals.")
    files: int


class TakenOut(Told):
    episodes: list[TakenByEpisodeOut]
    caches: int = Field(description="Treated sound, made again where it is heard.")
    laid_up: int
    free: int


class BytesOut(BaseModel):
    bytes: int


class LayUp(BaseModel):
    free: bool = Field(False, description="Delete what it takes here, once the archive is whole and read again.")


class LaidUpOut(Told):
    name: str
    show: str
    title: str
    number: int | None
    made: str
    size: int
    missing: list[str]

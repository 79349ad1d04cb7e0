"""What every place to publish to can do."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol

from pampa.core.errors import HostError

FEED = "feed.xml"
PIECE = 1 << 20
"""Bytes that are sent at a time: what is lost when a connection is cut."""

Told = Callable[[int], None]
"""Is told how many bytes of a file are there by now; may raise, to stop."""


@dataclass(frozen=True)
class Standing:
    """What stands at a place. feed : None where there is none yet. mark : of just this state, to change no other.

    drafts : guids of episodes that are there and not public. now : by the place's own clock.
    """

    feed: bytes | None
    mark: str
    drafts: tuple[str, ...]
    now: datetime


class Host(Protocol):
    """A place. keeps_back : it can hold drafts, and episodes whose date is still to come."""

    keeps_back: bool

    def standing(self) -> Standing:
        """What is there now."""

    def put(self, path: Path, name: str, told: Told) -> None:
        """Bring a file there under a name that belongs to its content; what is there already is not sent again."""

    def put_feed(self, feed: bytes, drafts: tuple[str, ...], before: Standing) -> None:
        """Change the feed at once, if it still stands as it did."""

    def remove(self, name: str) -> None:
        """Take a file away; one that is not there is no error."""

    def address(self, name: str) -> str:
        """Where anybody finds a file."""

    def close(self) -> None:
        """Let connections go."""


def moved_on(before: Standing, now: Standing) -> None:
    """Raise where the feed is not what it was when it was read."""
    if before.mark != now.mark:
        raise HostError("The feed was changed by somebody else meanwhile. Nothing was published; try again.")


def utc_now() -> datetime:
    """The time by this machine's clock."""
    return datetime.now(UTC)

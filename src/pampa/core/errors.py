"""Everything a person can be told as it stands: what happened, what is safe, what to do."""

import errno
from collections.abc import Iterator
from contextlib import contextmanager


class PampaError(Exception):
    """The root of all errors whose text is written for a person."""


class SignalError(PampaError):
    """A sound cannot be computed with: not finite, of the wrong shape, too short."""


class UnreadableSound(PampaError):
    """A file could not be read as sound."""


class EditRefused(PampaError):
    """An edit would leave the episode in a state that makes no sense."""


class NotFound(PampaError):
    """Something asked for does not exist (any more)."""


class HostError(PampaError):
    """A place where episodes are published did not do what was asked of it. again : it may, if it is asked again."""

    def __init__(self, told: str, *, again: bool = False) -> None:
        super().__init__(told)
        self.again = again


class DiskFull(PampaError):
    """There is no room for what is to be stored. needed : bytes, 0 where that is not known."""

    def __init__(self, needed: int = 0) -> None:
        self.needed = needed
        lacking = f": {needed / 1e6:,.0f} MB more are needed" if needed > 0 else ", or refuses to be written to"
        super().__init__(f"The disk is full{lacking}. Nothing was lost. Make room, and go on.")


class Cancelled(PampaError):
    """A long pass was stopped on request."""

    def __init__(self) -> None:
        super().__init__("Stopped as asked. Nothing was changed.")


NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
"""How a system says that something can not be stored: the disk is full, a person's share of it, or a limit on files."""


def is_no_room(error: OSError) -> bool:
    """Whether the system says that there is no room. NumPy says "requested and written", without its number."""
    return error.errno in NO_ROOM or (error.errno is None and "written" in str(error))


@contextmanager
def disk_errors() -> Iterator[None]:
    """Within, the system's word for a full disk becomes DiskFull."""
    try:
        yield
    except OSError as error:
        if is_no_room(error):
            raise DiskFull from error
        raise

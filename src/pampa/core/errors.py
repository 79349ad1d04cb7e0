"""Everything a person can be told as it stands: what happened, what is safe, what to do."""


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


class Cancelled(PampaError):
    """A long pass was stopped on request."""

    def __init__(self) -> None:
        super().__init__("Stopped as asked. Nothing was changed.")

"""What a find is, and how finds are asked for."""

from dataclasses import dataclass
from typing import Literal

Kind = Literal["silence", "filler", "breath", "click", "restart", "backchannel", "knock", "chatter"]


@dataclass(frozen=True)
class Find:
    """Something that the analysis proposes to take out or to shorten.

    Times are seconds of the conversation. `track` is whose it is; a silence belongs to who speaks after it.
    """

    kind: Kind
    track: int
    start_s: float
    end_s: float
    confidence: float
    """0 to 1: the share of such finds that is expected to be right."""
    evidence: str
    """The measurements that led to it, in a sentence."""
    alone: bool = True
    """Whether nobody else talks meanwhile: then it may be taken out of everybody's sound at once."""
    pause_s: float = 0.0
    """The shorter of the two pauses that this person leaves before and after it."""

    def meets(self, other: "Find") -> bool:
        """Whether both lie over a moment of the same track."""
        return self.track == other.track and self.start_s < other.end_s and other.start_s < self.end_s

    @property
    def length_s(self) -> float:
        return self.end_s - self.start_s

"""The steps from recordings to files, in their order, and what is usual of each."""

from dataclasses import dataclass
from typing import Any, Literal, get_args

Name = Literal["line-up", "mend", "room", "silences", "fillers", "chatter", "voices", "music", "files", "publish"]
NAMES: tuple[Name, ...] = get_args(Name)


@dataclass(frozen=True)
class Step:
    """One thing that is done. usual : whether it is, where nobody has said so; what takes words out is not."""

    name: Name
    title: str
    usual: bool


STEPS: tuple[Step, ...] = (
    Step("line-up", "Line everybody up", True),
    Step("mend", "Mend what the check-ups propose", True),
    Step("room", "Mix the microphones of one room", True),
    Step("silences", "Shorten long silences", True),
    Step("fillers", "Take out fillers that are sure", False),
    Step("chatter", "Take out talk before and after the programme", False),
    Step("voices", "Make every voice even and clear", True),
    Step("music", "Music of the show around the talk", True),
    Step("files", "Make the wanted files", True),
    Step("publish", "Publish", False),
)
USUAL: tuple[Name, ...] = tuple(step.name for step in STEPS if step.usual)


@dataclass(frozen=True)
class Wants:
    """What is wanted. longer_s : silences longer than this are shortened, to keep_s. sure : of fillers and chatter."""

    ticked: tuple[Name, ...] = USUAL
    longer_s: float = 1.2
    keep_s: float = 0.6
    sure: float = 0.9


@dataclass(frozen=True)
class Planned:
    """What a step would do. told : sentences with figures. possible : there is something to do.

    needs : sentences about what a person has to look at, whatever is done.
    """

    step: Step
    told: tuple[str, ...] = ()
    possible: bool = True
    needs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Done:
    """What a step did. undo : what takes just this back: edits to be made, seams to put back, clips to remove."""

    name: Name
    told: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    undo: dict[str, Any] | None = None

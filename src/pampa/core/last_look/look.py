"""What the last look looks at, and what it finds."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from pampa.core.deliver.solve import Aim
from pampa.core.last_look.programme import Programme
from pampa.core.sound import Curve

Stage = Literal["gather", "line-up", "mend", "prune", "balance", "send-out"]


@dataclass(frozen=True)
class Reached:
    """What becomes of one wanted file, as far as it can be told beforehand.

    gain_db : what the programme takes. loss_lu : what limiting costs the talk. shortfall : why it is not reached.
    """

    name: str
    aim: Aim
    gain_db: float
    peak_dbtp: float
    loss_lu: float
    shortfall: str | None


@dataclass(frozen=True)
class Place:
    """Something in the episode that a sentence is about. at_s : where."""

    at_s: float
    told: str


@dataclass(frozen=True)
class Words:
    """What is written about an episode. artwork : what is not as it should be with it; None where there is none."""

    title: str = ""
    number: int | None = None
    notes: str = ""
    artwork: Sequence[str] | None = None


@dataclass(frozen=True, eq=False)
class Look:
    """An episode as it is to go out.

    talk, music : K-weighted mean square of each in cells of 20 ms, 0 where it is not heard. begins_db, ends_db : by how
    many dB the sound just outside of the episode's two ends is softer than just inside; None where nothing lies there.
    joins : that may be heard. undecided : finds that nobody has decided on; None while they are looked for.
    proposals : how many proposals of a check-up nobody has looked at, by recording. strayed : people who are far from
    how they usually sound. chapters : as they stand, in their order in the document, in seconds.
    """

    programme: Programme
    wanted: Sequence[Reached] = ()
    talk: Curve = field(default_factory=lambda: np.zeros(0))
    music: Curve = field(default_factory=lambda: np.zeros(0))
    begins_db: float | None = None
    ends_db: float | None = None
    joins: Sequence[Place] = ()
    undecided: Sequence[Place] | None = ()
    proposals: Sequence[tuple[str, int]] = ()
    strayed: Sequence[tuple[str, str]] = ()
    words: Words = field(default_factory=Words)
    chapters: Sequence[tuple[float, str]] = ()


@dataclass(frozen=True)
class Note:
    """One thing that was found: a sentence, its figure, where it is, and where it is mended.

    at_s, until_s : seconds in the episode; None where it is about all of it.
    """

    told: str
    figure: str = ""
    at_s: float | None = None
    until_s: float | None = None
    stage: Stage | None = None


@dataclass(frozen=True)
class Check:
    """One thing that is looked at. looks : gives what was found, nothing where all is well."""

    name: str
    title: str
    looks: Callable[[Look], Iterable[Note]]


@dataclass(frozen=True)
class Found:
    """A check that found something."""

    name: str
    title: str
    notes: Sequence[Note]

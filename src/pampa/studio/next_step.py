"""What an episode needs next, and why, in one sentence."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Facts:
    """What is known of an episode. Names are of recordings, or of who is on them.

    out_of_step : people on tracks who have not been lined up. call : what there is to line up with. edited : the
    revision it is at. sent : the latest revision that went out, None for none.
    """

    recordings: int
    coming: Sequence[str]
    unsure: Sequence[str]
    unnamed: Sequence[str]
    people: int
    out_of_step: Sequence[str]
    call: str | None
    mended: bool
    pruned: bool
    edited: int
    sent: int | None


@dataclass(frozen=True)
class Step:
    """The stage where the next thing is done, and what it is; no stage where all is done."""

    stage: str | None
    told: str


def next_step(facts: Facts) -> Step:
    """The first thing that is not done, in the order in which an episode is made."""
    if not facts.recordings:
        return Step("gather", "Drop all recordings of the episode here: one per person, the call, music.")
    if facts.coming:
        return Step("gather", f"{_listed(facts.coming)} {_is(facts.coming)} coming in; you can go on meanwhile.")
    if facts.unsure:
        return Step("gather", f"Say what {_listed(facts.unsure)} {_is(facts.unsure)}: the sound alone does not tell.")
    if facts.unnamed and facts.people > 1:
        return Step("gather", f"Say who is on {_listed(facts.unnamed)}, so that tracks and recipes go by name.")
    if facts.sent is not None and facts.sent == facts.edited:
        return Step(None, "Sent out as it stands.")
    if not facts.people and facts.sent is None:
        return Step("gather", "Nobody talks in it yet: bring the people's recordings in.")
    if facts.people > 1 and facts.out_of_step and not facts.pruned:
        with_what = f"with {facts.call}" if facts.call else "with each other"
        return Step("line-up", f"Line {_listed(facts.out_of_step)} up {with_what}, so that everybody is in step.")
    if facts.people and not facts.mended and not facts.pruned:
        return Step("mend", "See what the check-ups propose to mend: noise, hum, clicks.")
    if facts.people and not facts.pruned:
        return Step("prune", "Take out what nobody would miss: go through the finds with N.")
    if facts.sent is None:
        return Step("send-out", "When the finds are through: balance the voices by ear, then send it out.")
    return Step("send-out", "It has changed since it was sent out. Send it out again.")


def _listed(names: Sequence[str]) -> str:
    if len(names) > 3:
        return f"{names[0]}, {names[1]} and {len(names) - 2} more"
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def _is(names: Sequence[str]) -> str:
    return "are" if len(names) > 1 else "is"

"""Checks of what is left to do in an episode, and of what is written about it."""

from collections.abc import Iterator
from itertools import pairwise

from pampa.core.deliver.chapters import short_clock
from pampa.core.last_look.look import Look, Note

MOST_PLACES = 5
SHORT_CHAPTER_S = 10.0


def joins(look: Look) -> Iterator[Note]:
    """Joins that may be heard."""
    for n, each in enumerate(look.joins[:MOST_PLACES]):
        rest = len(look.joins) - MOST_PLACES
        more = f" And {rest} more." if n == MOST_PLACES - 1 and rest > 0 else ""
        yield Note(each.told + more, "", each.at_s, stage="prune")


def undecided(look: Look) -> Iterator[Note]:
    """Finds that nobody has decided on."""
    if look.undecided is None:
        yield Note("Finds are still being looked for; ask again when they are there.", "", stage="prune")
    elif look.undecided:
        count = len(look.undecided)
        what = "1 find is" if count == 1 else f"{count} finds are"
        yield Note(
            f"{what} not decided: neither taken out nor left in.", str(count), look.undecided[0].at_s, stage="prune"
        )


def proposals(look: Look) -> Iterator[Note]:
    """Proposals of check-ups that nobody has looked at."""
    for name, count in look.proposals:
        what = "1 proposal" if count == 1 else f"{count} proposals"
        yield Note(f"{name}: the check-up has {what} that nobody has looked at.", str(count), stage="mend")


def strayed(look: Look) -> Iterator[Note]:
    """People who do not sound like themselves in other episodes."""
    for person, told in look.strayed:
        yield Note(f"{person} does not sound as usual in this show.", told, stage="balance")


def missing_words(look: Look) -> Iterator[Note]:
    """What listeners would look for and not find."""
    words = look.words
    lacking = [
        name for name, value in (("title", words.title), ("number", words.number), ("notes", words.notes)) if not value
    ]
    for name in lacking:
        yield Note(f"The episode has no {name}.", "", stage="send-out")
    if words.artwork is None:
        yield Note("There is no artwork, neither of the episode nor of the show.", "", stage="send-out")
    for told in words.artwork or ():
        yield Note(told, "", stage="send-out")


def chapters(look: Look) -> Iterator[Note]:
    """Chapters that players would show wrongly, or leave out."""
    end = look.programme.seconds
    for at_s, title in look.chapters:
        if at_s >= end:
            yield Note(f"The chapter “{title}” begins after the end and is left out.", short_clock(at_s), end,
                       stage="send-out")  # fmt: skip
    inside = sorted(chapter for chapter in look.chapters if chapter[0] < end)
    if inside and [chapter for chapter in look.chapters if chapter[0] < end] != inside:
        yield Note("The chapters are not in their order in time.", "", inside[0][0], stage="send-out")
    starts = [*inside, (end, "")]
    for (start, title), (stop, _) in pairwise(starts):
        if stop - start < SHORT_CHAPTER_S:
            yield Note(f"The chapter “{title}” is so short that it can hardly be chosen.", f"{stop - start:.1f} s",
                       start, stop, stage="send-out")  # fmt: skip

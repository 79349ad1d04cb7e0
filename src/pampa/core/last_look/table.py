"""All that the last look looks at, in order of the harm that it does."""

from pampa.core.last_look import episode, sound
from pampa.core.last_look.look import Check, Found, Look

CHECKS: tuple[Check, ...] = (
    Check("reached", "Loudness targets", sound.reached),
    Check("one-side", "Both sides sound", sound.one_side),
    Check("against-itself", "Sides agree on one loudspeaker", sound.against_itself),
    Check("nothing-inside", "No dead silence inside", sound.nothing_inside),
    Check("cut-off", "Whole beginning and end", sound.cut_off),
    Check("too-close", "Words stand clear of music", sound.too_close),
    Check("steps-out", "Talk is even", sound.steps_out),
    Check("empty-ends", "No empty seconds at the ends", sound.empty_ends),
    Check("joins", "Joins that may be heard", episode.joins),
    Check("strayed", "People sound like themselves", episode.strayed),
    Check("undecided", "Finds", episode.undecided),
    Check("proposals", "Check-ups", episode.proposals),
    Check("chapters", "Chapters", episode.chapters),
    Check("words", "Title, number, notes, artwork", episode.missing_words),
)


def last_look(look: Look) -> list[Found]:
    """What was found, in order of harm; a check that found nothing is not in the list."""
    told = ((check, list(check.looks(look))) for check in CHECKS)
    return [Found(check.name, check.title, notes) for check, notes in told if notes]

"""Whose words can be followed: where they cannot, fillers, restarts and agreement are not looked for, and it is said.

A whisper has no voice, and in a crowd or through a bad line the network hesitates between many phones. That it does not
know a language cannot be told from its sounds.
"""

from pampa.core.finds.words import clearness
from pampa.core.speech.activity import Activity
from pampa.core.speech.features import PER_S, Features
from pampa.core.speech.sounds import Sounds

LEAST_S = 2.0
CLEAR, VOICED = 0.3, 0.62
"""The least mean probability of the likeliest phone, and the least voice. Voices reach 0.37 to 0.65 and 0.7 to 0.9, in
bad rooms and narrow bands too, and how clear they are weighs in how sure a find is; a whisper has 0.6 of voice."""


def why_not_followed(features: Features, sounds: Sounds, person: Activity) -> str | None:
    """A sentence where this person's words are not followed; None where they are."""
    said = person.talking.sum() / PER_S
    if not said:
        return "no talk could be told from what else is recorded"
    if said < LEAST_S:
        return f"only {said:.1f} s of talk are there, too few to tell words from others"
    if features.voicing[: person.talking.size][person.talking].mean() < VOICED:
        return "there is no voice in it; it may be whispered"
    if clearness(sounds, person) < CLEAR:
        return "the words could not be followed; many voices, singing or a bad line may be why"
    return None

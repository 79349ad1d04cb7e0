"""How long an episode goes on sounding after its last clip: a room rings on."""

from pampa.core.mix.room import ring_frames
from pampa.core.timeline.document import Document


def sounds_until(document: Document) -> int:
    """The frame at which the last clip and all that it set off have died away."""
    room = next((bus for bus in document.buses if bus.name == "room"), None)
    if room and room.muted:
        return document.length
    sent = [
        clip.end for track in document.tracks if not track.muted for clip in track.clips
        if any(send.bus == "room" for send in (*track.sends, *clip.sends)) and not clip.muted
    ]  # fmt: skip
    rings = ring_frames(room.room if room else "hall")
    return max([document.length, *(end + rings for end in sent)])

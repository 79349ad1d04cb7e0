"""Finds as cuts in an episode, where nobody looks at each of them: only those that lie there whole and undecided."""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from typing import Any

from pampa.core.finds.deciding import POLICY, Policy
from pampa.core.sound import RATE
from pampa.core.timeline.document import Clip, Document, Left

Find = Mapping[str, Any]


def cuts_for(document: Document, finds: Sequence[Find], kind: str, *, sure: float = 0.0, longer_s: float = 0.0,
             keep_s: float = 0.0, policy: Policy = POLICY) -> list[dict[str, Any]]:  # fmt: skip
    """What is to be pruned for all finds of a kind, as the edit `prune` is told it.

    finds : as they are kept, in frames of their recordings. sure : those less sure are left alone. longer_s, keep_s :
    of silences, which are those that go, and what stays of each. What somebody decided to leave is no find any more.
    """
    cuts: list[dict[str, Any]] = []
    known = {find["recording"] for find in finds}
    others = [
        track.clips for track in document.tracks
        if track.kind == "spot" or (track.kind == "person" and any(c.recording not in known for c in track.clips))
    ]  # fmt: skip
    for find in finds:
        if (
            find["kind"] != kind
            or find["confidence"] < sure
            or any(_same(left, find, policy) for left in document.left)
        ):
            continue
        there = _whole(document, find)
        if there is None:
            continue
        track, start, stop = there
        manner = policy.manners[find["kind"]]
        if kind == "silence":
            if stop - start < longer_s * RATE or any(_sounds_within(clips, start, stop) for clips in others):
                continue
            kept = min(round(keep_s * RATE), stop - start - policy.rest)
            cuts.append({"start": start + kept // 2, "stop": stop - (kept - kept // 2)})
            continue
        cut = {"start": max(start - manner.around, 0), "stop": stop + manner.around}
        closes = manner.closes == "always" or (manner.closes == "alone" and find["alone"])
        only: dict[str, Any] = {} if closes else {"tracks": [track]}
        cuts.append({**cut, **only})
    return cuts


def _whole(document: Document, find: Find) -> tuple[int, int, int] | None:
    """The track that a find lies on, and where it begins and ends; None where not all of it lies in one piece."""
    for track in document.tracks:
        for clip in track.clips:
            if clip.recording == find["recording"] and clip.source <= find["start"] and find["stop"] <= clip.source_end:
                start = clip.start + find["start"] - clip.source
                return track.id, start, start + find["stop"] - find["start"]
    return None


def _sounds_within(clips: Sequence[Clip], start: int, stop: int) -> bool:
    at = bisect_right(clips, start, key=lambda clip: clip.end)
    return at < len(clips) and clips[at].start < stop


def _same(left: Left, find: Find, policy: Policy) -> bool:
    if left.kind != find["kind"] or left.recording != find["recording"]:
        return False
    met = min(left.stop, find["stop"]) - max(left.start, find["start"])
    return met >= policy.same * max(left.stop - left.start, find["stop"] - find["start"])

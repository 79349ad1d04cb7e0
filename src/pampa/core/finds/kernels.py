"""The compiled loop of finding."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def said_again(phones, begins, ends, reach, tail, least, aside, unsaid):  # type: ignore[no-untyped-def]
    """For each place where somebody may begin again: what just before it is most like what follows.

    phones : probabilities over the root of how common each phone is, float32, shape (frames, phones): the product of
    two moments is then how much likelier they are to be one phone than to be any two. begins : frames where the second
    saying may begin. ends : where what was said before each of them ends. The first saying begins at most `reach`
    frames before its end, and all of it comes again but for the last `tail` frames, each of which costs `unsaid`. Two
    moments score the logarithm of that product, less `least`; a frame of one that is left out costs `aside` besides. A
    path whose score falls under -2 is given up. Returns for each place: score, frame where the first saying begins,
    frame where the likeness ends in it, frame where it ends in the second. Shape (places, 4).

    Source: Smith & Waterman, J. Mol. Biol. 147 (1981), over posteriors of phones as in Hazen, Shen & White, Query-by-
    example spoken term detection using phonetic posteriorgram templates, IEEE ASRU (2009).
    """
    frames, count = phones.shape
    found = np.zeros((begins.size, 4))
    scores = np.empty((3, reach + 2))
    starts = np.zeros((3, reach + 2), np.int64)
    floor = 0.05  # of two moments that have nothing in common: one of them may have been told wrongly
    far, hopeless = -1e9, -2.0
    for n in range(begins.size):
        again, end = begins[n], ends[n]
        first = max(end - reach, 0)
        rows = end - first
        best = 0.0
        scores[:] = far
        low, high = 0, rows
        for step in range(min(reach, frames - again)):
            # Two frames of margin before the rows, so that steps that skip one need no test.
            here, before, earlier = step % 3, (step - 1) % 3, (step - 2) % 3
            scores[here] = far
            next_low, next_high = rows, 0
            for i in range(low, min(high + 2, rows)):
                value, start = far, first + i
                if step == 0:
                    value = 0.0
                else:
                    if scores[before, i + 1] > value:
                        value, start = scores[before, i + 1], starts[before, i + 1]
                    if scores[before, i] - aside > value:
                        value, start = scores[before, i] - aside, starts[before, i]
                    if step > 1 and scores[earlier, i + 1] - aside > value:
                        value, start = scores[earlier, i + 1] - aside, starts[earlier, i + 1]
                if value <= far / 2:
                    continue
                alike = np.float32(0)
                for k in range(count):
                    alike += phones[first + i, k] * phones[again + step, k]
                value += np.log(alike + floor) - least
                if value < hopeless:
                    continue
                scores[here, i + 2], starts[here, i + 2] = value, start
                next_low, next_high = min(next_low, i), max(next_high, i)
                left = rows - 1 - i
                if left <= tail and value - unsaid * left > best:
                    best = value - unsaid * left
                    found[n, 0], found[n, 1] = best, start
                    found[n, 2], found[n, 3] = first + i + 1, again + step + 1
            if next_high < next_low:
                if step > 0 and not (scores[before] > far / 2).any():
                    break
                low, high = low, high + 1
            else:
                low, high = max(min(low, next_low), 0), next_high
    return found

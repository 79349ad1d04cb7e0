"""The compiled loop of finding."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def prefix_match(later, earlier, skip):  # type: ignore[no-untyped-def]
    """How well each beginning of `later` is found in `earlier`, by dynamic time warping.

    later, earlier : cepstra, float32, shapes (frames, values). The match may begin up to `skip` frames into
    `earlier`; time runs at half to double pace. Returns, for each length of beginning: the mean distance of the best
    match, the frame of `earlier` where it ends, and the one where it begins; the same for the match that goes on to
    the last tenth of a second of `earlier`, and how far apart the two are towards its end. Shape (frames, 5):
    distance, end, begin, distance to the end, distance of the end.
    Source: Sakoe & Chiba, IEEE ASSP 26 (1978), slope constraint 1.
    """
    rows, columns = later.shape[0], earlier.shape[0]
    far = 1e9
    distance = np.empty((rows, columns))
    for i in range(rows):
        for j in range(columns):
            total = np.float32(0)
            for k in range(later.shape[1]):
                apart = later[i, k] - earlier[j, k]
                total += apart * apart
            distance[i, j] = np.sqrt(total / later.shape[1])
    cost, steps = np.full((rows, columns), far), np.ones((rows, columns))
    begins, lately = np.zeros((rows, columns)), np.zeros((rows, columns))
    for j in range(min(skip + 1, columns)):
        cost[0, j] = lately[0, j] = distance[0, j]
        begins[0, j] = j
    for i in range(1, rows):
        for j in range(1, columns):
            here = distance[i, j]
            a, b, more = i - 1, j - 1, 1
            best = cost[a, b] + here
            if j > 1 and cost[i - 1, j - 2] + here < best:
                a, b, best = i - 1, j - 2, cost[i - 1, j - 2] + here
            if i > 1 and cost[i - 2, j - 1] + distance[i - 1, j] + here < best:
                a, b, more = i - 2, j - 1, 2
                best = cost[a, b] + distance[i - 1, j] + here
            if best < far:
                cost[i, j], steps[i, j], begins[i, j] = best, steps[a, b] + more, begins[a, b]
                lately[i, j] = 0.9 * lately[a, b] + 0.1 * here
    out = np.full((rows, 5), far)
    for i in range(rows):
        for j in range(columns):
            if cost[i, j] < far:
                mean = cost[i, j] / steps[i, j]
                if mean < out[i, 0]:
                    out[i, 0], out[i, 1], out[i, 2] = mean, j, begins[i, j]
                if j >= columns - 10 and mean < out[i, 3]:
                    out[i, 3], out[i, 4] = mean, lately[i, j]
    return out

"""The compiled loop of what is said again."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def alike_at_lags(phones, bins, spans, chance, least, most):  # type: ignore[no-untyped-def]
    """How alike each moment and those around are to what was said at a lag: the best of each bin of lags.

    phones : probabilities over the root of how common each phone is, float32, shape (phones, moments): the product of
    two moments is how much likelier they are to be one phone than by chance. Two moments score the logarithm of that
    product and of `chance` besides, between `least` and `most`, and the mean of a span around them counts. bins : lags
    at which bins begin, and where the last ends. spans : odd numbers of moments. Returns float32, shape
    (moments, 2, spans, bins): first of what follows, then of what came before; `least` where nothing did.
    """
    count = phones.shape[1]
    out = np.full((count, 2, spans.size, bins.size - 1), least, np.float32)
    both = np.empty(count, np.float32)
    for which in range(bins.size - 1):
        for lag in range(bins[which], min(bins[which + 1], count)):
            length = count - lag
            both[:length] = chance
            for phone in range(phones.shape[0]):
                row = phones[phone]
                for t in range(length):
                    both[t] += row[t] * row[t + lag]
            for t in range(length):
                both[t] = min(max(np.log(both[t]), least), most)
            for n in range(spans.size):
                half = spans[n] // 2
                total = least * spans[n]
                for t in range(-half, length):
                    if t + half < length:
                        total += both[t + half] - least
                    if t - half - 1 >= 0:
                        total -= both[t - half - 1] - least
                    if t >= 0:
                        mean = np.float32(total / spans[n])
                        out[t, 0, n, which] = max(out[t, 0, n, which], mean)
                        out[t + lag, 1, n, which] = max(out[t + lag, 1, n, which], mean)
    return out

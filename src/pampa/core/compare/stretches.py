"""What two programmes have in common: stretches that are the same moment of talk in both."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise


@dataclass(frozen=True)
class Stretch:
    """`length_s` seconds that begin at `here_s` in the one and at `there_s` in the other."""

    here_s: float
    there_s: float
    length_s: float

    @property
    def here_end_s(self) -> float:
        return self.here_s + self.length_s

    @property
    def there_end_s(self) -> float:
        return self.there_s + self.length_s

    @property
    def turned(self) -> "Stretch":
        """The same, told from the other."""
        return Stretch(self.there_s, self.here_s, self.length_s)


def place_there(stretches: Sequence[Stretch], here_s: float) -> float:
    """The same moment in the other; where that has nothing of it, the place where it would be."""
    if not stretches:
        return here_s
    within = next((each for each in stretches if each.here_s <= here_s < each.here_end_s), None)
    if within:
        return within.there_s + here_s - within.here_s
    before = [each for each in stretches if each.here_end_s <= here_s]
    if before:
        return max(before, key=lambda each: each.here_end_s).there_end_s
    return min(stretches, key=lambda each: each.here_s).there_s


def joined(stretches: Sequence[Stretch], *, apart_s: float) -> list[Stretch]:
    """In order of the one, those that go on in both as one; gaps of up to `apart_s` in both are bridged."""
    found: list[Stretch] = []
    for each in sorted(stretches, key=lambda each: (each.here_s, each.there_s)):
        last = found[-1] if found else None
        if (
            last
            and abs((each.there_s - each.here_s) - (last.there_s - last.here_s)) < 1e-4
            and (each.here_s - last.here_end_s <= apart_s)
        ):
            end = max(last.here_end_s, each.here_end_s)
            found[-1] = Stretch(last.here_s, last.there_s, end - last.here_s)
        elif not last or each.here_end_s > last.here_end_s:
            found.append(each)
    return found


def gaps(stretches: Sequence[Stretch], length_s: float, *, least_s: float) -> list[tuple[float, float]]:
    """What of the one the other has not: from where to where, in seconds."""
    covered = sorted((each.here_s, each.here_end_s) for each in stretches)
    edges = [(0.0, 0.0), *covered, (length_s, length_s)]
    found, reached = [], 0.0
    for (_, end), (start, _) in pairwise(edges):
        reached = max(reached, end)
        if start - reached >= least_s:
            found.append((reached, start))
    return found

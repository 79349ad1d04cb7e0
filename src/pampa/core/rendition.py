"""Which sound is meant: a recording, on which clock, mended how, its voice treated how. One value tells it all.

It is the key of everything that is kept of that sound, what a mix is planned with, and small enough to be sent to
another process, which opens the very same sound by it.
"""

import hashlib
from dataclasses import astuple, dataclass, field
from functools import cached_property

from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import VERSION as MENDS_VERSION
from pampa.core.special.kinds import Special
from pampa.core.voice.chain import VERSION as CHAIN_VERSION
from pampa.core.voice.recipe import Recipe

SPECIAL_VERSION = 1
"""Of what special voices sound like: whoever changes one raises it."""
SILENT = "silent-"
"""How the content of a recording begins that was deleted for good; its length in frames follows."""


@dataclass(frozen=True)
class Rendition:
    """A recording as it is meant to be heard.

    content : of the conformed recording, told by its hash and channels. drift_ppm : of its clock, taken out.
    amounts, measured : how it is mended, and the processes that have been measured for it: the others do nothing yet.
    near : from where to where, in frames of the recording, it is mended by what that stretch alone has told.
    recipe : of its voice; None leaves it as it is. taken : a stage of the voice that is on, for the sound that it
    takes away. special : a special voice that it is heard as, after all else.
    """

    content: str
    drift_ppm: float = 0.0
    amounts: Amounts = field(default_factory=Amounts)
    measured: frozenset[str] = frozenset()
    near: tuple[int, int] | None = None
    recipe: Recipe | None = None
    taken: str | None = None
    special: Special | None = None

    @cached_property
    def key(self) -> str:
        """A name for exactly these samples: 32 letters and digits."""
        told = f"{self.content} {self.drift_ppm!r}"
        if self.amounts != Amounts():
            told += f" {MENDS_VERSION} {astuple(self.amounts)} {sorted(self.measured)}"
        if self.near is not None:
            told += f" near {self.near}"
        if self.recipe is not None:
            told += f" {CHAIN_VERSION} {astuple(self.recipe)}"
        if self.taken is not None:
            told += f" taken by {self.taken}"
        if self.special is not None:
            told += f" special {SPECIAL_VERSION} {astuple(self.special)}"
        return hashlib.sha256(told.encode()).hexdigest()[:32]

    @cached_property
    def _hash(self) -> int:
        return hash((self.content, self.drift_ppm, self.amounts, self.measured, self.near, self.recipe, self.taken,
                     self.special))  # fmt: skip

    def __hash__(self) -> int:
        return self._hash

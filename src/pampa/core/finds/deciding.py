"""How a find is decided: what is taken out for it, whether what follows moves up, and when it counts as decided.

A page lays finds on its sheet after every edit and shows what a decision would do before it is made; it is given this
policy, and holds none of its own.
"""

from dataclasses import dataclass
from typing import Literal, get_args

from pampa.core.finds.finds import Kind

Closes = Literal["always", "alone", "never"]


@dataclass(frozen=True)
class Manner:
    """How finds of one kind are decided.

    closes : whether what follows moves up: nobody's words are cut for what another said, so that of most only where
    nobody else talks meanwhile; else its own person's room goes on in its place. around : frames that go with it on
    either side. whole : the share of it that must be left on the sheet so that it is still asked about.
    """

    closes: Closes = "alone"
    around: int = 0
    whole: float = 0.6


@dataclass(frozen=True)
class Policy:
    """For all kinds. gone : of a find of which so little is left it is taken out. same : two finds that share so much
    are one. rest : frames of a silence that go at least."""

    manners: dict[Kind, Manner]
    gone: float = 0.35
    same: float = 0.5
    rest: int = 480


POLICY = Policy({
    **{kind: Manner() for kind in get_args(Kind)},
    "silence": Manner("always", whole=0.98),  # shortened a little, it has been decided
    "chatter": Manner("always"),
    "backchannel": Manner("never"),
    "knock": Manner("never"),
    "click": Manner(around=384),  # the cross-fade of a join must not reach into the click
})  # fmt: skip

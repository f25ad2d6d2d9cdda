"""The kinds of strips: what each may do. Whoever has to know asks here."""

from dataclasses import dataclass

from gemischt.core.session.document import Strip, StripKind
from gemischt.core.space.layout import LAYOUTS


@dataclass(frozen=True)
class StripTraits:
    """What a kind of strip may do.

    Attributes:
        plays_clips: its source is clips of its own; otherwise the sum of what plays and sends to it.
        is_heard: may have an output and sends; if not, only keys hear it. The mix is heard without an output.
        has_output: plays to another strip.
        stands_for_players: soloing it solos what plays into it.
        rank: where it stands in the document: sources first, the mix last.
    """

    plays_clips: bool = False
    is_heard: bool = True
    has_output: bool = True
    stands_for_players: bool = False
    rank: int = 0

    @property
    def takes_signals(self) -> bool:
        """Whether other strips may play or send to it."""
        return not self.plays_clips


TRAITS: dict[StripKind, StripTraits] = {
    "track": StripTraits(plays_clips=True),
    "ghost": StripTraits(plays_clips=True, is_heard=False, has_output=False),
    "bus": StripTraits(stands_for_players=True),
    "return": StripTraits(rank=1),
    "mix": StripTraits(has_output=False, stands_for_players=True, rank=2),
}


def traits_of(strip: Strip) -> StripTraits:
    """What a strip may do."""
    return TRAITS[strip.kind]


def is_wide(strip: Strip) -> bool:
    """Whether it works on more than two channels."""
    return strip.layout is not None and LAYOUTS[strip.layout].n_channels > 2

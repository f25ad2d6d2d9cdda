"""What is to be printed: a list of prints, what their files are called, and what they are meant for."""

from typing import Annotated, Literal

from pydantic import Field

from gemischt.core.parameters import FrozenModel, parameter
from gemischt.core.space.folding import FoldedTo
from gemischt.core.terms import LONGEST_SONG_S, Id, Name, SongTime, Tap

FormatName = Literal[
    "wav-16", "wav-24", "wav-32f", "flac-16", "flac-24", "aiff-16", "aiff-24", "w64-24", "w64-32f",
    "vorbis", "opus", "mp3",
]  # fmt: skip
PrintRate = Literal[32000, 44100, 48000, 88200, 96000]
Every = Literal["stem", "track", "bus", "return"]
USUAL_NAMES = "{session} - {what}"


class WholeSong(FrozenModel):
    """From the beginning on."""

    kind: Literal["whole"] = "whole"


class InSection(FrozenModel):
    """The first section of this name."""

    kind: Literal["section"] = "section"
    name: Name


class FromTo(FrozenModel):
    """A stretch in seconds; to null: to the song's end."""

    kind: Literal["from-to"] = "from-to"
    from_s: SongTime = 0.0
    to_s: float | None = Field(default=None, gt=0.0, le=LONGEST_SONG_S)


class Print(FrozenModel):
    """One print, of one file or several.

    Attributes:
        strips: what is printed, in this order; or ``every`` strip of a sort: a stem is what plays into the mix, so that
            all stems add up to it as it is before its chain.
        taps: where; or behind a processor or a lane of the one strip's chain (``after``).
        summed: several strips into one file, instead of one each.
        through_mix: of stems, what the mix would lose without each: as much of its chain as belongs to it.
        of: as if these were soloed; none for everything.
        ends: after its stretch, once it is silent, or cut there.
        only_sound: from the first sound to the last.
        moves: whether what moves moves.
        rate_hz: null for the session's.
        back: whether it comes back as a track, or to be played by the strip instead of its clips and chain.
        lands: the section before which it comes back, ending as that begins; null for where it was.
        shaped: noise of 16 bits is moved to where it is heard less.
    """

    id: Id
    strips: tuple[Id, ...] = Field(default=(), max_length=512)
    every: Every | None = None
    taps: tuple[Tap, ...] = Field(default=("post-fader",), min_length=1, max_length=3)
    after: Id | None = None
    summed: bool = False
    through_mix: bool = False
    of: tuple[Id, ...] = Field(default=(), max_length=512)
    channels: FoldedTo = "as-is"
    stretch: Annotated[WholeSong | InSection | FromTo, Field(discriminator="kind")] = WholeSong()
    ends: Literal["silent", "cut"] = "silent"
    only_sound: bool = False
    reversed: bool = False
    moves: bool = True
    format: FormatName = "wav-24"
    shaped: bool = False
    rate_hz: PrintRate | None = None
    back: Literal["no", "track", "in-place"] = "no"
    lands: Name | None = None


class Target(FrozenModel):
    """What a print is meant for: null is not asked for. ``source`` says where it stands."""

    id: Id
    name: Name
    lufs: float | None = parameter(None, -40.0, 0.0, label="Loudness", unit="LUFS", none="any", stays=True)
    within_lu: float = parameter(1.0, 0.1, 6.0, label="Tolerance", unit="LU", stays=True)
    at_most_dbtp: float | None = parameter(None, -12.0, 0.0, label="True peak", unit="dBTP", none="any", stays=True)
    range_at_most_lu: float | None = parameter(None, 1.0, 40.0, label="Range", unit="LU", none="any", stays=True)
    short_term_at_most_lufs: float | None = parameter(
        None, -40.0, 0.0, label="Short-term at most", unit="LUFS", none="any", stays=True
    )
    formats: tuple[FormatName, ...] = ()
    rate_hz: PrintRate | None = None
    source: str = Field(default="", max_length=300)

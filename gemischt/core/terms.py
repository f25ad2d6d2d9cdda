"""What parts of a session are said in: ids, names, times of the song, taps, note values, notes."""

from typing import Annotated, Literal

from pydantic import Field

from gemischt.core.parameters import FrozenModel

LONGEST_SONG_S = 86400.0
SongTime = Annotated[float, Field(ge=0.0, le=LONGEST_SONG_S)]
"""Seconds from the start of a song."""
Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$")]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Color = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
Tap = Literal["pre-chain", "pre-fader", "post-fader"]
NoteLength = Annotated[str, Field(pattern=r"^[1-9][0-9]?/(1|2|4|8|16|32)[.T]?$")]
"""A note value: "1/8" straight, "1/8." dotted, "1/8T" triplet, "8/1" eight whole notes."""

USUAL_NOTES = (
    "1/32", "1/16", "1/8T", "1/8", "1/8.", "1/4T", "1/4", "1/4.", "1/2", "1/2.", "1/1", "2/1", "4/1", "8/1",
)  # fmt: skip
"""Note values to choose from."""
USUAL_BEATS = ("1/2", "1/4", "1/4.", "1/8", "1/8.", "1/16")
"""Notes that a tempo may count."""
USUAL_METRES = ("2/4", "3/4", "4/4", "5/4", "6/4", "7/4", "3/8", "5/8", "6/8", "7/8", "9/8", "12/8")


class Note(FrozenModel):
    """One note of a note track. Pitch as MIDI counts it, 60 the middle C; velocity 0 to 1."""

    at_s: SongTime
    length_s: float = Field(default=0.0, ge=0.0, le=LONGEST_SONG_S)
    pitch: int = Field(default=60, ge=0, le=127)
    velocity: float = Field(default=1.0, ge=0.0, le=1.0)


def note_words(note: str) -> str:
    """A note value for people.

    >>> note_words("1/4."), note_words("1/8T"), note_words("2/1")
    ('dotted quarter', 'eighth triplet', '2 whole notes')
    """
    plain = note.rstrip(".T")
    count, unit = plain.split("/")
    names = {"1": "whole note", "2": "half", "4": "quarter", "8": "eighth", "16": "sixteenth", "32": "thirty-second"}
    name = names[unit]
    words = name if count == "1" else f"{count} {name}{'s' if name != 'half' else ''}"
    if note.endswith("."):
        return f"dotted {words}"
    return f"{words} triplet" if note.endswith("T") else words

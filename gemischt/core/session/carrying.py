"""What becomes of a song when its tempo changes: what keeps its bars, and what its seconds."""

from collections.abc import Callable
from typing import Literal

from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Clip, Move, NoteTrack, Section, Session, Strip, Tempo
from gemischt.core.session.drawing import uncrowded

Follows = Literal["nothing", "moves", "clips"]
"""What keeps its bars: nothing; moves, sections and notes; or those and the clips."""

Carry = Callable[[float], float]


def carried(session: Session, tempo: tuple[Tempo, ...], follows: Follows) -> Session:
    """The session in another tempo. What is said in note values follows of itself; what is said in seconds keeps them
    or goes along with its bar."""
    carry = _carry(BeatGrid(session.tempo), BeatGrid(tempo))
    changed = session.model_copy(update={"tempo": tempo})
    if follows == "nothing":
        return changed
    changed = changed.model_copy(
        update={
            "moves": tuple(_move(move, carry) for move in session.moves),
            "sections": tuple(_section(section, carry) for section in session.sections),
            "note_tracks": tuple(_notes(track, carry) for track in session.note_tracks),
        }
    )
    if follows == "moves":
        return changed
    return changed.model_copy(update={"strips": tuple(_strip(strip, carry) for strip in session.strips)})


def _carry(old: BeatGrid, new: BeatGrid) -> Carry:
    """Where a time goes. What lies before the first bar has no note value: it keeps its share of the way there."""

    def carry(at_s: float) -> float:
        if at_s < old.begins_s:
            return at_s * new.begins_s / old.begins_s
        return new.time_of_quarters(old.quarters_at(at_s))

    return carry


def _move(move: Move, carry: Carry) -> Move:
    points = [point.model_copy(update={"at_s": carry(point.at_s)}) for point in move.points]
    return move.model_copy(update={"points": tuple(uncrowded(points))})


def _section(section: Section, carry: Carry) -> Section:
    return section.model_copy(update={"start_s": carry(section.start_s), "end_s": carry(section.end_s)})


def _notes(track: NoteTrack, carry: Carry) -> NoteTrack:
    notes = (
        note.model_copy(
            update={"at_s": carry(note.at_s), "length_s": carry(note.at_s + note.length_s) - carry(note.at_s)}
        )
        for note in track.notes
    )
    return track.model_copy(update={"notes": tuple(notes)})


def _strip(strip: Strip, carry: Carry) -> Strip:
    clips: tuple[Clip, ...] = tuple(clip.model_copy(update={"start_s": carry(clip.start_s)}) for clip in strip.clips)
    return strip.model_copy(update={"clips": clips}) if strip.clips else strip

"""What becomes of a song when its tempo changes: what keeps its bars, and what its seconds."""

from collections.abc import Callable, Iterable
from typing import Any, Literal

from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Clip, Move, Section, Session, Strip, Tempo
from gemischt.core.session.drawing import uncrowded
from gemischt.core.session.ducks import WrittenNotes
from gemischt.core.terms import Note

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
            "note_tracks": tuple(
                track.model_copy(update={"notes": _notes(track.notes, carry)}) for track in session.note_tracks
            ),
            "ducks": tuple(duck.model_copy(update={"clock": _written(duck.clock, carry)}) for duck in session.ducks),
            "strips": tuple(
                strip.model_copy(update={"pattern": _written(strip.pattern, carry)}) if strip.pattern else strip
                for strip in session.strips
            ),
        }
    )
    if follows == "moves":
        return changed
    return changed.model_copy(update={"strips": tuple(_strip(strip, carry) for strip in changed.strips)})


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


def _notes(notes: Iterable[Note], carry: Carry) -> tuple[Note, ...]:
    return tuple(
        note.model_copy(
            update={"at_s": carry(note.at_s), "length_s": carry(note.at_s + note.length_s) - carry(note.at_s)}
        )
        for note in notes
    )


def _written(clock: Any, carry: Carry) -> Any:
    """What ticks by notes of its own; all else follows by its note values."""
    if not isinstance(clock, WrittenNotes):
        return clock
    return clock.model_copy(update={"notes": _notes(clock.notes, carry)})


def _strip(strip: Strip, carry: Carry) -> Strip:
    clips: tuple[Clip, ...] = tuple(clip.model_copy(update={"start_s": carry(clip.start_s)}) for clip in strip.clips)
    return strip.model_copy(update={"clips": clips}) if strip.clips else strip

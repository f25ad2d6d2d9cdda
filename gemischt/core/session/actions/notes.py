"""Edits of note tracks: what pads and keys play."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import NoteTrack, Session
from gemischt.core.session.ducking import without_track
from gemischt.core.session.edits import fresh_id
from gemischt.core.terms import Id, Name, Note
from gemischt.core.units import note_to_quarters

Quantum = Literal["1/4", "1/8", "1/8T", "1/16", "1/16T", "1/32"]


class AddNotes(Action):
    """Write notes into a note track, a new one if there is none of this name; quantised, each begins on the nearest
    such note value."""

    type: Literal["add-notes"] = "add-notes"
    name: Name
    notes: tuple[Note, ...] = Field(min_length=1, max_length=10_000)
    quantum: Quantum | None = None

    def apply(self, session: Session) -> Session:
        grid = BeatGrid(session.tempo)
        notes = [self._quantised(note, grid) for note in self.notes]
        known = next((track for track in session.note_tracks if track.name == self.name), None)
        if known is None:
            known = NoteTrack(id=fresh_id(self.name, (track.id for track in session.note_tracks)), name=self.name)
            session = session.model_copy(update={"note_tracks": (*session.note_tracks, known)})
        ordered = sorted({(note.at_s, note.pitch): note for note in (*known.notes, *notes)}.items())
        filled = known.model_copy(update={"notes": tuple(note for _, note in ordered)})
        tracks = tuple(filled if track.id == known.id else track for track in session.note_tracks)
        return session.model_copy(update={"note_tracks": tracks})

    def _quantised(self, note: Note, grid: BeatGrid) -> Note:
        if self.quantum is None:
            return note
        quarters = note_to_quarters(self.quantum)
        at_s = grid.time_of_quarters(round(grid.quarters_at(note.at_s) / quarters) * quarters)
        return note.model_copy(update={"at_s": max(0.0, at_s)})

    def describe(self, session: Session) -> str:
        count = f"{len(self.notes)} note{'' if len(self.notes) == 1 else 's'}"
        return f"{self.name}: {count} played" + (f", to {self.quantum}" if self.quantum else "")


class RemoveNoteTrack(Action):
    """Take a note track away."""

    type: Literal["remove-note-track"] = "remove-note-track"
    track: Id

    def apply(self, session: Session) -> Session:
        kept = tuple(track for track in session.note_tracks if track.id != self.track)
        if len(kept) == len(session.note_tracks):
            raise InvalidAction("there is no such note track", where=self.track, remedy="It may be gone; reload.")
        return without_track(session.model_copy(update={"note_tracks": kept}), self.track)

    def describe(self, session: Session) -> str:
        name = next((track.name for track in session.note_tracks if track.id == self.track), self.track)
        return f"No notes {name}"

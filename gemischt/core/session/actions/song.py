"""Edits of the song's frame: its name, its tempo and metre, its sections."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions.base import Action
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.carrying import Follows, carried
from gemischt.core.session.document import NoteTrack, SampleRate, Section, Session, Tempo
from gemischt.core.session.edits import fresh_id, show_db
from gemischt.core.terms import Name, SongTime


class SetSong(Action):
    """The session's name, or where its VU reads 0; what is left out stays."""

    type: Literal["set-song"] = "set-song"
    name: Name | None = None
    vu_reference_dbfs: float | None = Field(default=None, ge=-40.0, le=0.0)

    def apply(self, session: Session) -> Session:
        given = {"name": self.name, "vu_reference_dbfs": self.vu_reference_dbfs}
        return session.model_copy(update={field: value for field, value in given.items() if value is not None})

    def describe(self, session: Session) -> str:
        if self.name is not None:
            return f"Rename to {self.name}"
        return f"0 VU at {show_db(self.vu_reference_dbfs)}FS"


class SetSampleRate(Action):
    """The rate of a session that holds no audio yet."""

    type: Literal["set-sample-rate"] = "set-sample-rate"
    sample_rate_hz: SampleRate

    def apply(self, session: Session) -> Session:
        if session.media:
            raise InvalidAction(
                "the session holds audio at its own rate",
                where="sample_rate_hz",
                remedy="Begin a new session with files of the wanted rate.",
            )
        return session.model_copy(update={"sample_rate_hz": self.sample_rate_hz})

    def describe(self, session: Session) -> str:
        return f"{self.sample_rate_hz / 1000.0:g} kHz, as its first file"


class SetTempo(Action):
    """Tempo and metre, all along the song; ``follows`` says what keeps its bars instead of its seconds."""

    type: Literal["set-tempo"] = "set-tempo"
    tempo: tuple[Tempo, ...] = Field(min_length=1, max_length=1000)
    follows: Follows = "moves"

    def apply(self, session: Session) -> Session:
        return carried(session, self.tempo, self.follows)

    def describe(self, session: Session) -> str:
        if len(self.tempo) != len(session.tempo):
            return self._describe_changes(session)
        for index, (before, after) in enumerate(zip(session.tempo, self.tempo, strict=True)):
            if before == after:
                continue
            where = f" from bar {BeatGrid(session.tempo).place(before.at_s)} on" if index else ""
            if before.metre != after.metre:
                return f"Metre {after.metre}{where}"
            if (before.bpm, before.beat) != (after.bpm, after.beat):
                return f"Tempo {after.bpm:g}{where}"
            return f"Tempo changes at {after.at_s:.3f} s" if index else f"The song begins at {after.at_s:.3f} s"
        return "Tempo"

    def _describe_changes(self, session: Session) -> str:
        more = len(self.tempo) > len(session.tempo)
        longer, shorter = (self.tempo, session.tempo) if more else (session.tempo, self.tempo)
        times = {tempo.at_s for tempo in shorter}
        odd = next((tempo for tempo in longer if tempo.at_s not in times), longer[-1])
        place = BeatGrid(longer).place(odd.at_s)
        return f"Tempo {odd.bpm:g} from bar {place} on" if more else f"No other tempo from bar {place} on"


class AddSection(Action):
    """Name a stretch of the song; sections that lie there give way."""

    type: Literal["add-section"] = "add-section"
    name: Name
    start_s: SongTime
    end_s: SongTime

    def apply(self, session: Session) -> Session:
        section = Section(name=self.name, start_s=self.start_s, end_s=self.end_s)
        return session.model_copy(update={"sections": _in_order(session.sections, section)})

    def describe(self, session: Session) -> str:
        return f"New section {self.name}"


class SetSection(Action):
    """Rename a section, or put its ends elsewhere; sections that lie there give way."""

    type: Literal["set-section"] = "set-section"
    index: int = Field(ge=0)
    name: Name | None = None
    start_s: SongTime | None = None
    end_s: SongTime | None = None

    def apply(self, session: Session) -> Session:
        given = {"name": self.name, "start_s": self.start_s, "end_s": self.end_s}
        known = _section(session, self.index)
        changed = known.model_copy(update={field: value for field, value in given.items() if value is not None})
        return session.model_copy(update={"sections": _in_order(_without(session, self.index), changed)})

    def describe(self, session: Session) -> str:
        known = _section(session, self.index)
        if self.name is not None:
            return f"{known.name}: now {self.name}"
        at_s = self.start_s if self.start_s is not None else self.end_s
        side = "begins" if self.start_s is not None else "ends"
        return f"{known.name}: {side} at bar {BeatGrid(session.tempo).place(at_s or 0.0)}"


class RemoveSection(Action):
    """Take a section away; the song stays."""

    type: Literal["remove-section"] = "remove-section"
    index: int = Field(ge=0)

    def apply(self, session: Session) -> Session:
        _section(session, self.index)
        return session.model_copy(update={"sections": _without(session, self.index)})

    def describe(self, session: Session) -> str:
        return f"No section {_section(session, self.index).name}"


class TakeMidi(Action):
    """Take tempo, metre, sections and notes of a MIDI file; notes come to those that are there already."""

    type: Literal["take-midi"] = "take-midi"
    name: Name
    tempo: tuple[Tempo, ...] = Field(min_length=1, max_length=1000)
    sections: tuple[Section, ...] = Field(default=(), max_length=1000)
    note_tracks: tuple[NoteTrack, ...] = Field(default=(), max_length=128)

    def apply(self, session: Session) -> Session:
        session = carried(session, self.tempo, "nothing")
        if self.sections:
            session = session.model_copy(update={"sections": self.sections})
        tracks = list(session.note_tracks)
        for track in self.note_tracks:
            fresh = fresh_id(track.name, (known.id for known in tracks))
            tracks.append(track.model_copy(update={"id": fresh}))
        return session.model_copy(update={"note_tracks": tuple(tracks)})

    def describe(self, session: Session) -> str:
        return f"Beat of {self.name}"


def _section(session: Session, index: int) -> Section:
    if index >= len(session.sections):
        raise InvalidAction(f"there is no section {index + 1}", where="sections", remedy="Reload and try again.")
    return session.sections[index]


def _without(session: Session, index: int) -> tuple[Section, ...]:
    return (*session.sections[:index], *session.sections[index + 1 :])


def _in_order(others: tuple[Section, ...], section: Section) -> tuple[Section, ...]:
    """A section among others that give way to it, by time. One that it lies in the middle of ends before it."""
    kept = [section]
    for other in others:
        if other.end_s <= section.start_s or other.start_s >= section.end_s:
            kept.append(other)
        elif other.start_s < section.start_s:
            kept.append(other.model_copy(update={"end_s": section.start_s}))
        elif other.end_s > section.end_s:
            kept.append(other.model_copy(update={"start_s": section.end_s}))
    return tuple(sorted(kept, key=lambda one: one.start_s))

"""Standard MIDI files, read for what a mix needs of them: tempo, metre, markers, notes.

Source of the format: Standard MIDI Files 1.0 (RP-001); mido reads its bytes.
"""

import io
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise

import mido

from gemischt.core.errors import BadMidi
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import NoteTrack, Section, Tempo
from gemischt.core.session.edits import fresh_id
from gemischt.core.terms import Note

MOST_NOTES = 100_000
_LEAST_BPM, _MOST_BPM = 10.0, 400.0
_REMEDY = "Save it again as a Standard MIDI File of type 0 or 1."


@dataclass(frozen=True)
class MidiSong:
    """What a file says of a song. Times are in seconds from its beginning; without a tempo it is in 120 quarters a
    minute, without a metre in 4/4 (RP-001)."""

    tempo: tuple[Tempo, ...]
    sections: tuple[Section, ...]
    note_tracks: tuple[NoteTrack, ...]


def read_midi(data: bytes, *, name: str) -> MidiSong:
    """Read a file's bytes.

    Raises:
        BadMidi: it is cut short, empty, no MIDI file, or of a kind that has no beat.
    """
    file = _parse(data, name)
    events = sorted(_events(file), key=lambda event: event.tick)
    tempo = _tempo(events, file.ticks_per_beat, name)
    seconds = _Clock(events, file.ticks_per_beat)
    end_s = seconds.at(max((event.tick for event in events), default=0))
    tracks = tuple(_note_tracks(file, seconds, name))
    return MidiSong(tempo, _sections(events, seconds, tempo, end_s), tracks)


@dataclass(frozen=True)
class _Event:
    tick: int
    message: mido.messages.BaseMessage


class _Clock:
    """Ticks in seconds, through every change of the tempo."""

    def __init__(self, events: list[_Event], ticks_per_quarter: int) -> None:
        self._ticks = [0]
        self._changes: list[tuple[float, float]] = [(0.0, 0.5 / ticks_per_quarter)]
        for event in events:
            if event.message.type == "set_tempo":
                change = (self.at(event.tick), event.message.tempo * 1e-6 / ticks_per_quarter)
                self._ticks.append(event.tick)
                self._changes.append(change)

    def at(self, tick: int) -> float:
        place = bisect_right(self._ticks, tick) - 1
        at_s, s_per_tick = self._changes[place]
        return at_s + (tick - self._ticks[place]) * s_per_tick


def _parse(data: bytes, name: str) -> mido.MidiFile:
    try:
        file = mido.MidiFile(file=io.BytesIO(data))
    except (EOFError, OSError, ValueError, IndexError, KeyError, UnicodeDecodeError) as error:
        words = "it is empty" if not data else "it is no MIDI file, or was cut short"
        raise BadMidi(words, where=name, remedy=_REMEDY) from error
    if file.ticks_per_beat <= 0:
        # Read as a negative number: the highest bit says that it counts frames of a film.
        raise BadMidi("it counts frames of a film, not beats", where=name, remedy=_REMEDY)
    if file.type == 2:
        raise BadMidi("its tracks are patterns of their own, not one song", where=name, remedy=_REMEDY)
    return file


def _events(file: mido.MidiFile) -> Iterator[_Event]:
    for track in file.tracks:
        yield from _timed(track)


def _timed(track: Iterable[mido.messages.BaseMessage]) -> Iterator[_Event]:
    tick = 0
    for message in track:
        tick += message.time
        yield _Event(tick, message)


def _tempo(events: list[_Event], ticks_per_quarter: int, name: str) -> tuple[Tempo, ...]:
    clock = _Clock(events, ticks_per_quarter)
    bpm, metre = 120.0, "4/4"
    found: dict[int, Tempo] = {0: Tempo()}
    for event in events:
        if event.message.type == "set_tempo":
            bpm = _bpm(event.message.tempo, name)
        elif event.message.type == "time_signature":
            metre = _metre(event.message.numerator, event.message.denominator, name)
        else:
            continue
        found[event.tick] = Tempo(at_s=clock.at(event.tick), bpm=bpm, metre=metre)
    listed = [found[tick] for tick in sorted(found)]
    return (listed[0], *(after for before, after in pairwise(listed) if _changes(before, after)))


def _changes(before: Tempo, after: Tempo) -> bool:
    return (before.bpm, before.metre) != (after.bpm, after.metre)


def _bpm(microseconds_per_quarter: int, name: str) -> float:
    bpm = round(6e7 / microseconds_per_quarter, 4) if microseconds_per_quarter > 0 else 0.0
    if not _LEAST_BPM <= bpm <= _MOST_BPM:
        raise BadMidi(f"a tempo of {bpm:g} is outside {_LEAST_BPM:g} to {_MOST_BPM:g}", where=name, remedy=_REMEDY)
    return bpm


def _metre(numerator: int, denominator: int, name: str) -> str:
    if not 1 <= numerator <= 99 or denominator not in (1, 2, 4, 8, 16):
        raise BadMidi(f"a metre of {numerator}/{denominator} cannot be counted here", where=name, remedy=_REMEDY)
    return f"{numerator}/{denominator}"


def _sections(events: list[_Event], clock: _Clock, tempo: tuple[Tempo, ...], end_s: float) -> tuple[Section, ...]:
    """From each marker to the next, the last to the file's end, or for a bar."""
    markers = [
        (clock.at(event.tick), (event.message.text.strip() or "Section")[:200])
        for event in events
        if event.message.type == "marker"
    ]
    if not markers:
        return ()
    grid = BeatGrid(tempo)
    last_s = markers[-1][0]
    behind_s = max(end_s, grid.time_of_bars(grid.bars_at(last_s) + 1.0))
    ends = [at_s for at_s, _ in markers[1:]] + [behind_s]
    return tuple(
        Section(name=text, start_s=start_s, end_s=stop_s)
        for (start_s, text), stop_s in zip(markers, ends, strict=True)
        if stop_s > start_s
    )


def _note_tracks(file: mido.MidiFile, clock: _Clock, name: str) -> Iterator[NoteTrack]:
    ids: list[str] = []
    for number, track in enumerate(file.tracks, start=1):
        notes = sorted(_notes(track, clock), key=lambda note: (note.at_s, note.pitch))
        if not notes:
            continue
        if len(notes) > MOST_NOTES:
            raise BadMidi(
                f"track {number} has {len(notes)} notes; {MOST_NOTES} are the most", where=name, remedy=_REMEDY
            )
        title = (track.name.strip() or f"Notes {number}")[:200]
        ids.append(fresh_id(title, ids))
        yield NoteTrack(id=ids[-1], name=title, notes=tuple(notes))


def _notes(track: Iterable[mido.messages.BaseMessage], clock: _Clock) -> Iterator[Note]:
    """Each from its beginning to its end; one that never ends lasts to the track's end. Velocity 0 ends a note."""
    sounding: dict[tuple[int, int], list[tuple[int, int]]] = {}
    tick = 0
    for event in _timed(track):
        tick = event.tick
        message = event.message
        if message.type not in ("note_on", "note_off"):
            continue
        key = (message.channel, message.note)
        if message.type == "note_on" and message.velocity > 0:
            sounding.setdefault(key, []).append((event.tick, message.velocity))
        elif sounding.get(key):
            begin, velocity = sounding[key].pop(0)
            yield _note(clock, begin, event.tick, message.note, velocity)
    for (_, pitch), begun in sounding.items():
        for begin, velocity in begun:
            yield _note(clock, begin, tick, pitch, velocity)


def _note(clock: _Clock, begin: int, end: int, pitch: int, velocity: int) -> Note:
    at_s = clock.at(begin)
    return Note(at_s=at_s, length_s=max(0.0, clock.at(end) - at_s), pitch=pitch, velocity=velocity / 127.0)

"""A song's tempo, metre and sections as a Standard MIDI File.

Source of the format: Standard MIDI Files 1.0 (RP-001); mido writes its bytes. Tempos are whole microseconds a quarter
note there, and places ticks of 1/960 of one.
"""

import io
import math

import mido

from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Session
from gemischt.core.units import note_to_quarters

TICKS_PER_QUARTER = 960
_LEAD_QUARTERS_PER_S = 2.0


def write_midi(session: Session) -> bytes:
    """The bytes of a file: a song that begins late has a lead of its own before its first bar, the sections are
    markers."""
    grid, begins_s = BeatGrid(session.tempo), session.tempo[0].at_s
    lead = math.ceil(begins_s * _LEAD_QUARTERS_PER_S)

    def tick_of(at_s: float) -> int:
        if at_s < begins_s:
            return round(at_s / begins_s * lead * TICKS_PER_QUARTER)
        return lead * TICKS_PER_QUARTER + round(grid.quarters_at(at_s) * TICKS_PER_QUARTER)

    events: list[tuple[int, mido.MetaMessage]] = []
    if lead:
        events.append((0, mido.MetaMessage("set_tempo", tempo=round(begins_s / lead * 1e6))))
    for tempo in session.tempo:
        beats, unit = tempo.metre.split("/")
        quarter_s = 60.0 / (tempo.bpm * note_to_quarters(tempo.beat))
        tick = tick_of(tempo.at_s)
        events.append((tick, mido.MetaMessage("set_tempo", tempo=round(quarter_s * 1e6))))
        events.append((tick, mido.MetaMessage("time_signature", numerator=int(beats), denominator=int(unit))))
    events += [(tick_of(one.start_s), mido.MetaMessage("marker", text=_latin(one.name))) for one in session.sections]
    last = tick_of(session.sections[-1].end_s) if session.sections else 0
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_QUARTER)
    track = file.add_track(_latin(session.name))
    before = 0
    for tick, message in sorted(events, key=lambda event: event[0]):
        track.append(message.copy(time=tick - before))
        before = tick
    track.append(mido.MetaMessage("end_of_track", time=max(0, last - before)))
    written = io.BytesIO()
    file.save(file=written)
    return written.getvalue()


def _latin(text: str) -> str:
    """Text as the format has it: what it has no letters for becomes a question mark."""
    return text.encode("latin-1", errors="replace").decode("latin-1")

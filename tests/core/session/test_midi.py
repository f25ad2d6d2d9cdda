"""MIDI files into tempo, metre, sections and notes.

Sources: Standard MIDI Files 1.0 (RP-001) for the bytes; times as mido's own clock gives them.
"""

import io
import random
import unittest

import mido

from gemischt.core.errors import BadMidi
from gemischt.core.session.actions import apply_action
from gemischt.core.session.midi import MidiSong, read_midi
from gemischt.operations.importing import midi_action
from tests.core.session.test_addresses import band

Message = mido.messages.BaseMessage


def written(*tracks: list[Message], kind: int = 1, ticks_per_beat: int = 480) -> bytes:
    file = mido.MidiFile(type=kind, ticks_per_beat=ticks_per_beat)
    for messages in tracks:
        file.tracks.append(mido.MidiTrack(messages))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def meta(kind: str, time: int = 0, **values: object) -> Message:
    return mido.MetaMessage(kind, time=time, **values)


def note(time: int = 0, velocity: int = 100, pitch: int = 60, kind: str = "note_on") -> Message:
    return mido.Message(kind, note=pitch, velocity=velocity, time=time)


def song(*tracks: list[Message]) -> MidiSong:
    return read_midi(written(*tracks), name="a.mid")


def slowing() -> bytes:
    """120 for four beats, then 60, a note on each of eight beats."""
    tempo = [meta("set_tempo", tempo=500_000), meta("set_tempo", time=4 * 480, tempo=1_000_000)]
    notes = [part for _ in range(8) for part in (note(), note(240, 0), note(240, 0))]
    return written(tempo, notes)


class ReadTest(unittest.TestCase):
    def test_a_file_that_slows_down(self) -> None:
        # Source: RP-001, "Header Chunks": type 1, two tracks, 480 ticks a quarter.
        self.assertEqual(slowing()[:14].hex(), "4d546864" + "00000006" + "0001" + "0002" + "01e0")
        read = read_midi(slowing(), name="a.mid")
        self.assertEqual([(tempo.at_s, tempo.bpm) for tempo in read.tempo], [(0.0, 120.0), (2.0, 60.0)])
        notes = read.note_tracks[0].notes
        self.assertEqual([note.at_s for note in notes], [0.0, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0])
        self.assertEqual([note.length_s for note in notes[3:5]], [0.25, 0.5])

    def test_without_tempo_or_metre_it_is_120_in_four_four(self) -> None:
        read = song([note(), note(480, 0)])
        self.assertEqual([(tempo.bpm, tempo.metre) for tempo in read.tempo], [(120.0, "4/4")])

    def test_metres_and_markers(self) -> None:
        read = song(
            [
                meta("time_signature", numerator=6, denominator=8),
                meta("marker", text="Verse"),
                meta("time_signature", time=4 * 1440, numerator=3, denominator=4),
                meta("marker", text="Refrain"),
            ],
            [note(), note(8 * 1440, 0)],
        )
        self.assertEqual([(tempo.at_s, tempo.metre) for tempo in read.tempo], [(0.0, "6/8"), (6.0, "3/4")])
        sections = [(section.name, section.start_s, section.end_s) for section in read.sections]
        self.assertEqual(sections, [("Verse", 0.0, 6.0), ("Refrain", 6.0, 12.0)])

    def test_velocity_nought_ends_a_note_and_one_without_an_end_lasts_to_the_tracks(self) -> None:
        read = song([note(), note(480, 0), note(0, 64, 62), note(960, 10, 64, "note_off")])
        notes = [
            (note.pitch, note.at_s, note.length_s, round(note.velocity * 127)) for note in read.note_tracks[0].notes
        ]
        self.assertEqual(notes, [(60, 0.0, 0.5, 100), (62, 0.5, 1.0, 64)])

    def test_times_are_those_of_midos_own_clock_through_any_tempo(self) -> None:
        rng = random.Random(7)
        tempo = [
            meta("set_tempo", time=rng.randrange(0, 2000), tempo=rng.randrange(200_000, 2_000_000)) for _ in range(20)
        ]
        notes = [part for _ in range(60) for part in (note(rng.randrange(1, 700)), note(rng.randrange(1, 300), 0))]
        data = written(tempo, notes)
        clock, expected = 0.0, []
        for message in mido.MidiFile(file=io.BytesIO(data)):
            clock += message.time
            if message.type == "note_on" and message.velocity:
                expected.append(clock)
        found = [note.at_s for note in read_midi(data, name="a.mid").note_tracks[0].notes]
        self.assertEqual(len(found), len(expected))
        for one, other in zip(found, expected, strict=True):
            self.assertAlmostEqual(one, other, places=9)

    def test_what_is_no_song_is_refused_in_words(self) -> None:
        film = bytearray(slowing())
        film[12:14] = b"\xe7\x28"
        bad = {
            "empty": b"",
            "no MIDI file": b"not a song at all, just words that go on for a while",
            "cut short": slowing()[:-9],
            "frames of a film": bytes(film),
            "patterns of their own": written([note(), note(480, 0)], kind=2),
            "metre of 4/64": written([meta("time_signature", numerator=4, denominator=64)]),
            "tempo of 3.57": written([meta("set_tempo", tempo=16_777_215)]),
        }
        for words, data in bad.items():
            with self.subTest(words), self.assertRaisesRegex(BadMidi, words):
                read_midi(data, name="a.mid")

    def test_no_damage_is_more_than_refused(self) -> None:
        rng = random.Random(3)
        whole = slowing()
        for number in range(400):
            data = bytearray(whole)
            for _ in range(rng.randrange(1, 6)):
                data[rng.randrange(len(data))] = rng.randrange(256)
            with self.subTest(number):
                try:
                    read_midi(bytes(data[: rng.randrange(len(data) + 1)]), name="a.mid")
                except BadMidi as error:
                    self.assertTrue(error.remedy)


class TakeTest(unittest.TestCase):
    def test_tempo_is_taken_and_notes_come_to_those_that_are_there(self) -> None:
        action = midi_action(slowing(), "folder/Ebb.mid")
        once = apply_action(band(), action)
        self.assertEqual(action.describe(band()), "Beat of Ebb")
        self.assertEqual(len(once.tempo), 2)
        twice = apply_action(once, action)
        self.assertEqual([len(track.notes) for track in twice.note_tracks], [8, 8])
        self.assertEqual(len({track.id for track in twice.note_tracks}), 2)


if __name__ == "__main__":
    unittest.main()

"""Notes that are played, and parameters that are set by their address."""

import unittest
from typing import Any

from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from tests.core.session.test_addresses import band


def edited(session: Session, **action: Any) -> Session:
    return apply_action(session, parse_action(action))


class NotesTest(unittest.TestCase):
    def test_notes_come_in_order_to_the_track_of_their_name(self) -> None:
        one = edited(band(), type="add-notes", name="Pads", notes=[{"at_s": 1.0}, {"at_s": 0.5}])
        two = edited(one, type="add-notes", name="Pads", notes=[{"at_s": 0.75, "pitch": 38}])
        self.assertEqual(
            [(note.at_s, note.pitch) for note in two.note_tracks[0].notes], [(0.5, 60), (0.75, 38), (1.0, 60)]
        )
        self.assertEqual(len(edited(two, type="add-notes", name="Other", notes=[{"at_s": 0.0}]).note_tracks), 2)

    def test_quantised_to_the_songs_own_notes(self) -> None:
        slower = edited(band(), type="set-tempo", tempo=[{}, {"at_s": 2.0, "bpm": 60.0}])
        played = [{"at_s": at_s} for at_s in (0.11, 0.61, 2.2, 3.1)]
        quantised = edited(slower, type="add-notes", name="Pads", notes=played, quantum="1/8")
        self.assertEqual([note.at_s for note in quantised.note_tracks[0].notes], [0.0, 0.5, 2.0, 3.0])

    def test_a_track_is_taken_away_once(self) -> None:
        one = edited(band(), type="add-notes", name="Pads", notes=[{"at_s": 1.0}])
        track = one.note_tracks[0].id
        self.assertEqual(edited(one, type="remove-note-track", track=track).note_tracks, ())
        with self.assertRaises(InvalidAction):
            edited(band(), type="remove-note-track", track=track)


class ParametersTest(unittest.TestCase):
    def test_any_parameter_by_its_address(self) -> None:
        values = [
            {"address": "strips/bass/fader_db", "value": -7.0},
            {"address": "strips/hall/chain/room/decay_s", "value": 3.0},
        ]
        after = edited(band(), type="set-parameters", values=values)
        self.assertEqual(after.strip("bass").fader_db, -7.0)
        name = parse_action({"type": "set-parameters", "values": values[:1]}).describe(band())
        self.assertEqual(name, "Bass fader -7.0 dB")

    def test_what_it_does_not_take_is_refused(self) -> None:
        for address, value in (
            ("strips/bass/fader_db", 99.0),
            ("strips/gone/fader_db", 0.0),
            ("strips/bass/mute", 3.0),
        ):
            with self.subTest(address), self.assertRaises((InvalidAction, InvalidSession)):
                edited(band(), type="set-parameters", values=[{"address": address, "value": value}])


if __name__ == "__main__":
    unittest.main()
